"""Files that are there before the run: each recipient gets those of their own, and nobody's are passed over."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gonnet.errors import JobError
from gonnet.jobs.contents import Enclosure
from gonnet.jobs.reach import Reach
from gonnet.packages.own_files import NoFileError, Shelf
from gonnet.wording.filled import BEGIN, END
from support import RULES, Dairy

DOCUMENTS = "  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]\n"
KEYS = ("00042", "117", "118")


def enclosing(what: str) -> tuple[str, str]:
    return DOCUMENTS, f"  enclose: {what}\n{DOCUMENTS}"


def states(dairy: Dairy, what: str, *changes: tuple[str, str]) -> dict[str, tuple[str, str, list[str]]]:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, enclosing(what), (RULES, "  []\n"), *changes)
        found = dairy.by_key(tools, run)
        return {key: (str(p.state), p.reason, [d.name for d in p.documents[2:]]) for key, p in found.items()}


def test_each_gets_the_files_of_its_own(dairy: Dairy) -> None:
    for name in ("117 plan.txt", "117.txt", "1170.txt", "118-a.txt", "X118.txt", "00042 b.txt"):
        dairy.write(f"post/{name}", "for you\n")
    found = states(dairy, '["post/{{ key }}*.txt"]')
    assert {key: found[key][2] for key in KEYS} == {
        "00042": ["00042 b.txt"],
        "117": ["117 plan.txt", "117.txt"],
        "118": ["118-a.txt"],
    }


@pytest.mark.parametrize(
    ("how_many", "states_of"),
    [
        ("at least one", {"00042": "held", "117": "ready", "118": "ready"}),
        ("exactly one", {"00042": "held", "117": "held", "118": "ready"}),
        ("any number", {"00042": "ready", "117": "ready", "118": "ready"}),
    ],
)
def test_whoever_lacks_a_file_is_held_by_name(dairy: Dairy, how_many: str, states_of: dict[str, str]) -> None:
    for name in ("117 a.txt", "117 b.txt", "118 a.txt"):
        dairy.write(f"post/{name}", "for you\n")
    found = states(dairy, f'[{{file: "post/{{{{ key }}}} *.txt", how_many: {how_many}}}]')
    assert {key: found[key][0] for key in KEYS} == states_of
    assert how_many == "any number" or "no file post/00042 *.txt for 00042" in found["00042"][1]
    assert how_many != "exactly one" or "2 files are called post/117 *.txt for 117: 117 a.txt, 117 b" in found["117"][1]


def test_files_that_nobody_takes_are_told(dairy: Dairy) -> None:
    for name in (*KEYS, "900", "901", "terms"):
        dairy.write(f"post/{name}.txt", "for you\n")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, enclosing('["post/{{ key }}.txt", post/terms.txt]'), (RULES, "  []\n"))
    assert "2 files to enclose are nobody's: 900.txt, 901.txt" in str(run.findings)


def test_a_file_that_the_list_names(dairy: Dairy) -> None:
    lines = (dairy.folder / "members.csv").read_text("utf-8").splitlines()
    named = {"00042": "deeds/old.txt", "117": "../private.txt", "118": ""}
    rows = [line + "," + named.get(line.split(",")[0], "deeds/old.txt") for line in lines[1:]]
    dairy.write("members.csv", "\n".join([f"{lines[0]},deed", *rows]))
    dairy.write("deeds/old.txt", "for you\n")
    (dairy.folder.parent / "private.txt").write_text("not for you")
    found = states(dairy, '[{file: "{{ recipient.deed }}"}]')
    assert found["00042"] == ("ready", "", ["old.txt"])
    assert "leads to another folder" in found["117"][1]
    assert "no file is named for 118" in found["118"][1]


def test_what_a_file_says_of_others_holds_it(dairy: Dairy) -> None:
    for key in KEYS:
        dairy.write(f"post/{key}.txt", "As agreed with farm 00042.\n")
    found = states(dairy, '["post/{{ key }}.txt"]')
    assert {key: found[key][0] for key in KEYS} == {"00042": "ready", "117": "held", "118": "held"}


@pytest.mark.parametrize(
    ("what", "message"),
    [
        ('["post/*/{{ key }}.txt"]', "in the name of a file, not in that of a folder"),
        ('["post/{{ run.id }} *.txt"]', "names the files of all"),
        ("[{file: terms.txt, how_many: exactly one}]", "is for files of each recipient"),
        ('["post/{{ recipient.nothing }}.txt"]', "has no field 'nothing'"),
    ],
)
def test_patterns_that_cannot_be_meant(dairy: Dairy, what: str, message: str) -> None:
    with dairy.tools() as tools, pytest.raises(JobError, match=message):
        dairy.prepared(tools, enclosing(what))


NAMES = st.text(st.sampled_from("aF1*?[]_- .é"), min_size=1, max_size=6).filter(lambda name: name.strip(" ."))


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(names=st.sets(NAMES, min_size=1, max_size=8), value=NAMES)
def test_no_key_takes_the_file_of_another(tmp_path: Path, names: set[str], value: str) -> None:
    """Files are called by keys; the pattern of a key takes that of this key, and none whose name goes on."""
    folder = tmp_path / "post"
    folder.mkdir(exist_ok=True)
    for old in folder.iterdir():
        old.unlink()
    for name in names:
        (folder / f"{name}.txt").write_text("x")
    spec = Enclosure.model_validate({"file": "post/{{ key }}*.txt", "how_many": "any number"})
    taken = Shelf(Reach(folder=tmp_path)).take(f"post/{BEGIN}{value}{END}*.txt", spec, "", value)
    stems = {path.stem for path in taken}
    expected = {
        name
        for name in names
        if not name.startswith(".") and name.startswith(value) and not name[len(value) :][:1].isalnum()
        if any(sign.isalnum() for sign in value)
    }
    assert stems == expected


@pytest.mark.parametrize("value", ["", " ", "-", "_"])
def test_an_empty_value_takes_nobodys_files(tmp_path: Path, value: str) -> None:
    (tmp_path / "F1 - plan_a.txt").write_text("x")
    spec = Enclosure.model_validate({"file": "*{{ key }}*.txt"})
    with pytest.raises(NoFileError):
        Shelf(Reach(folder=tmp_path)).take(f"*{BEGIN}{value}{END}*.txt", spec, "", "")
