"""Write src/gonnet/schemas from the models of job files and of gonnet.yaml: `python tools/schemas.py`.

The schemas are JSON Schema, draft 2020-12. What a key says is its sentence in the docstring of its model; its examples
are those of schema_examples.yaml.
"""

from __future__ import annotations

import inspect
import json
import re
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from pydantic import BaseModel
from ruamel.yaml import YAML

from gonnet.jobs.models import JobFile
from gonnet.jobs.sections import Section
from gonnet.jobs.workspace import WorkspaceFile

EXAMPLES = Path(__file__).with_name("schema_examples.yaml")
TARGET = Path(__file__).parents[1] / "src/gonnet/schemas"
DIALECT = "https://json-schema.org/draft/2020-12/schema"
_ATTRIBUTE = re.compile(r"^    (\w+): (.*(?:\n        .*)*)", re.MULTILINE)
_JOINT = re.compile(r"[;,] (or|and)$")
_GONE = "No longer there"  # of earlier versions: only there to say what to write now
_NOT_OF_CHOICES = ("minLength", "maxLength", "minItems", "maxItems", "ge", "le", "gt", "lt")
_SEVERAL = 4  # examples of a key
_LIKE = {
    "like": ("Another job, by name, that this one is like: what it does not say itself is as there.", "statements"),
    "set": ("Parameters of that job that have another default here.", {"period": "previous"}),
    "where": (
        "SQL as in the conditions of rules: only those for whom it holds are of this job.",
        "recipient.region = 'Eastmoor'",
    ),
}

Tree = dict[str, Any]


def models() -> dict[str, type[BaseModel]]:
    """Every part of a job file and of gonnet.yaml, by the name of its model."""

    def below(model: type[BaseModel]) -> Iterator[type[BaseModel]]:
        for one in model.__subclasses__():
            yield one
            yield from below(one)

    return {model.__name__: model for model in below(Section)}


def examples() -> dict[str, list[Tree]]:
    """Model → examples of the part that it is, as a job file has them."""
    found: dict[str, list[Tree]] = json.loads(json.dumps(YAML(typ="safe").load(EXAMPLES), default=str))
    return found


def sentences(model: type[BaseModel]) -> dict[str, str]:
    """What the docstring of a model says of each of its fields, and those of what it is made from."""
    found: dict[str, str] = {}
    for part in reversed(model.__mro__):
        doc = inspect.cleandoc(part.__dict__.get("__doc__") or "").partition("Attributes:\n")[2]
        if issubclass(part, Section):
            found |= {name: " ".join(text.split()) for name, text in _ATTRIBUTE.findall(doc)}
    return found


def schema(model: type[BaseModel], called: str) -> Tree:
    """The schema of a file that `model` reads."""
    tree: Tree = model.model_json_schema(by_alias=True, mode="validation")
    known, shown = models(), examples()
    for name, part in {**tree.get("$defs", {}), model.__name__: tree}.items():
        _explain(part, known[name], shown[name])
    tree = _plain(tree)
    if model is JobFile:
        _may_be_like_another(tree)
    return {"$schema": DIALECT, "title": called, **tree}


def _explain(part: Tree, model: type[BaseModel], shown: list[Tree]) -> None:
    """Give a part its sentence, and each of its keys a sentence and examples."""
    part["description"] = inspect.cleandoc(model.__doc__ or "").partition("\n\nAttributes:")[0].replace("\n", " ")
    said = sentences(model)
    for field, info in model.model_fields.items():
        key = info.alias or field
        if said[field].startswith(_GONE):
            del part["properties"][key]
            continue
        text, there = said[field], [one[key] for one in shown if key in one]
        found = part["properties"][key]
        text = _JOINT.sub("", text).removesuffix(".")  # from one attribute to the next
        found["description"] = f"{text[:1].upper()}{text[1:]}."
        found["examples"] = [one for at, one in enumerate(there) if one not in there[:at]][:_SEVERAL]


def _plain(node: Any) -> Any:  # noqa: ANN401
    """A schema without what only Python knows: titles made of names, defaults, limits of one of several forms."""
    if isinstance(node, list):
        return [_plain(part) for part in node]
    if not isinstance(node, dict):
        return node
    found = {name: _plain(part) for name, part in node.items() if name not in ("default", "const_default")}
    if isinstance(found.get("title"), str):
        del found["title"]
    if "anyOf" in found or "pattern" in found:
        found = {name: part for name, part in found.items() if name not in _NOT_OF_CHOICES}
    if "properties" in node:  # the names of keys are no words of the schema
        found["properties"] = {name: _plain(part) for name, part in node["properties"].items()}
    return found


def _may_be_like_another(tree: Tree) -> None:
    """A job may leave out whatever it has from another one, and `split` where it has one data set."""
    for name, (sentence, example) in _LIKE.items():
        kind: Mapping[str, object] = {"type": "object"} if name == "set" else {"type": "string"}
        tree["properties"][name] = {"description": sentence, "examples": [example], **kind}
    needed = [name for name in tree.pop("required") if name != "split"]
    tree["anyOf"] = [{"required": ["like"]}, *({"required": [*needed, name]} for name in ("data", "arrivals"))]


def texts() -> dict[str, str]:
    """Name of each file → its text."""
    found = {"job.json": schema(JobFile, "A job of Gonnet"), "workspace.json": schema(WorkspaceFile, "gonnet.yaml")}
    return {name: json.dumps(tree, ensure_ascii=False, indent=1) + "\n" for name, tree in found.items()}


if __name__ == "__main__":
    for file, text in texts().items():
        (TARGET / file).write_text(text, "utf-8")
