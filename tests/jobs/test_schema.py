"""The schemas for editors say what `check` says: every key, and nothing more is refused."""

from __future__ import annotations

import copy
import importlib.util
import json
import re
from collections.abc import Iterator
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from pydantic import BaseModel, ValidationError
from ruamel.yaml import YAML
from ruamel.yaml.constructor import DuplicateKeyError

from gonnet import schemas
from gonnet.demo.workspace_files import write_workspace
from gonnet.jobs.models import JobFile
from gonnet.jobs.workspace import WorkspaceFile
from support import Dairy, run_gonnet

PROJECT = Path(__file__).parents[2]
MODELS: dict[schemas.Kind, type[BaseModel]] = {"job": JobFile, "workspace": WorkspaceFile}
DEMO = sorted((PROJECT / "src/gonnet/demo/workspace/jobs").glob("*.yaml"))
Way = tuple[str | int, ...]


@cache
def tool() -> Any:  # noqa: ANN401
    """tools/schemas.py, which writes the schemas."""
    spec = importlib.util.spec_from_file_location("schemas_tool", PROJECT / "tools/schemas.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def plain(text: str) -> Any:  # noqa: ANN401
    """A text of YAML as JSON has it."""
    return json.loads(json.dumps(YAML(typ="safe").load(text), default=str))


@cache
def validator(kind: schemas.Kind, part: str = "") -> Draft202012Validator:
    """What holds a file, or a part of one, to its schema."""
    whole = json.loads(schemas.text_of(kind))
    return Draft202012Validator({"$ref": f"#/$defs/{part}", "$defs": whole["$defs"]} if part else whole)


def exact(tree: Any) -> Any:  # noqa: ANN401
    """A tree with its numbers as a job file is read."""
    if isinstance(tree, dict):
        return {name: exact(part) for name, part in tree.items()}
    return list(map(exact, tree)) if isinstance(tree, list) else Decimal(str(tree)) if isinstance(tree, float) else tree


def parts(kind: schemas.Kind) -> Iterator[tuple[str, dict[str, Any]]]:
    whole = json.loads(schemas.text_of(kind))
    yield MODELS[kind].__name__, whole
    yield from whole["$defs"].items()


@pytest.mark.parametrize("kind", schemas.KINDS)
def test_the_schemas_are_those_of_the_models_with_a_sentence_and_an_example_for_every_key(kind: schemas.Kind) -> None:
    assert schemas.text_of(kind) == tool().texts()[f"{kind}.json"], "run python tools/schemas.py"
    Draft202012Validator.check_schema(json.loads(schemas.text_of(kind)))
    for name, part in parts(kind):
        for key, found in part["properties"].items():
            assert re.fullmatch(r"[A-Z0-9`→].{9,}\.", found["description"]), (name, key)
            assert found["examples"], (name, key)


def test_every_example_is_read_as_the_part_that_it_is() -> None:
    shown = tool().examples()
    raw = YAML(typ="safe").load(tool().EXAMPLES)
    models = tool().models()
    known = {name: kind for kind in schemas.KINDS for name, _ in parts(kind)}
    assert shown.keys() == known.keys()
    for name, examples in raw.items():
        for index, example in enumerate(examples):
            models[name].model_validate(exact(example), by_alias=True, by_name=False)
            part = "" if models[name] in MODELS.values() else name
            validator(known[name], part).validate(shown[name][index])


def test_the_demo_and_the_test_dairy_are_as_their_schemas_say(tmp_path: Path, dairy: Dairy) -> None:
    write_workspace(tmp_path / "tarn")
    dairy.job()
    for folder in (tmp_path / "tarn", dairy.folder):
        validator("workspace").validate(plain((folder / "gonnet.yaml").read_text("utf-8")))
        for job in (folder / "jobs").glob("*.yaml"):
            validator("job").validate(plain(job.read_text("utf-8")))
    first = (tmp_path / "tarn/jobs/statements.yaml").read_text("utf-8").splitlines()[0]
    assert (tmp_path / "tarn/jobs" / first.partition("$schema=")[2]).read_text("utf-8") == schemas.text_of("job")


def snippets() -> list[Any]:
    pages = [*sorted((PROJECT / "docs").glob("*.md")), PROJECT / "README.md"]
    found = [(page.name, block) for page in pages for block in re.findall(r"```yaml\n(.*?)```", page.read_text(), re.S)]
    return [pytest.param(block, id=f"{page}-{number}") for number, (page, block) in enumerate(found)]


def troubles(part: dict[str, Any]) -> list[list[str]]:
    """What is wrong with a part of a file, for each that it may be by its keys; what is left out by … is not looked at."""
    found = []
    for kind in schemas.KINDS:
        known = json.loads(schemas.text_of(kind))["$defs"]
        for _, schema in parts(kind):
            if part.keys() <= schema["properties"].keys():
                errors = Draft202012Validator({"properties": schema["properties"], "$defs": known}).iter_errors(part)
                found.append([error.message for error in errors if "…" not in str(error.instance)])
    return found


@pytest.mark.parametrize("block", snippets())
def test_what_the_documentation_shows_is_as_the_schemas_say(block: str) -> None:
    try:
        shown = plain(block)
    except DuplicateKeyError:  # several ways to write one line
        shown = [plain(line) for line in block.splitlines()]
    for part in shown if isinstance(shown, list) else [shown]:
        if not troubles(part):  # named by the job: a data set, a report
            (part,) = part.values()
        assert [] in troubles(part), troubles(part)


def ways(tree: object, way: Way = ()) -> Iterator[Way]:
    if way:
        yield way
    inside = tree.items() if isinstance(tree, dict) else enumerate(tree) if isinstance(tree, list) else ()
    for name, part in inside:
        yield from ways(part, (*way, name))


VALUES = [None, True, 3, 2.5, "", "text", "pdf", "08:00", [], ["a", "b"], {}, {"a": "b"}, {"field": "litres"}, [1, 2]]


@given(st.sampled_from(DEMO), st.data())
def test_what_the_schema_refuses_check_refuses(path: Path, data: st.DataObject) -> None:
    tree = exact(YAML(typ="safe").load(path))
    way = data.draw(st.sampled_from(list(ways(tree))))
    changed = copy.deepcopy(tree)
    place: Any = changed
    for step in way[:-1]:
        place = place[step]
    match data.draw(st.sampled_from(["other", "gone", "more"])):
        case "other":
            place[way[-1]] = data.draw(st.sampled_from(VALUES))
        case "gone":
            del place[way[-1]]
        case _ if isinstance(place, dict):
            place[data.draw(st.sampled_from(["rows", "as", "when", "format", "label", "tank"]))] = "text"
        case _:
            place.append("text")
    if not validator("job").is_valid(json.loads(json.dumps(changed, default=str))):
        with pytest.raises(ValidationError):
            JobFile.model_validate(changed, by_alias=True, by_name=False)


def test_the_command_prints_a_schema_and_writes_both_into_the_workspace(dairy: Dairy) -> None:
    assert dairy.gonnet("schema").stdout == schemas.text_of("job")
    assert dairy.gonnet("schema", "workspace").stdout == schemas.text_of("workspace")
    (dairy.folder / "schemas").mkdir()
    (dairy.folder / "schemas/job.json").write_text("{}")
    assert "# yaml-language-server: $schema=../schemas/job.json" in dairy.gonnet("schema", "--write").stdout
    assert (dairy.folder / "schemas/job.json").read_text("utf-8") == schemas.text_of("job")
    assert run_gonnet(("schema", "jobs"), dairy.folder).returncode == 2
