"""Fixed files that go with packages: there, chosen by rules and language, and searched like everything that leaves."""

from __future__ import annotations

import zipfile
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest

from gonnet import delivery
from gonnet.errors import JobError
from gonnet.pipeline.sending.composing import unsealed
from opened import laid
from support import RULES, Dairy

DOCUMENTS = "  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]\n"


def enclosing(what: str) -> tuple[str, str]:
    return DOCUMENTS, f"  enclose: {what}\n{DOCUMENTS}"


def names(dairy: Dairy, *changes: tuple[str, str]) -> dict[str, tuple[str, list[str]]]:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, *changes))
    return {key: (str(p.state), [document.name for document in p.documents[2:]]) for key, p in found.items()}


def test_enclosures_travel_as_they_are(dairy: Dairy) -> None:
    dairy.write("data/terms.txt", "Terms of the cooperative\n")
    dairy.write("data/plan.png", b"\x89PNG not looked into")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, enclosing("[data/terms.txt, data/plan.png]"))
        package = dairy.by_key(tools, run)["117"]
        sealed = tools.store.get(package.messages[0].sha256)
        whole = delivery.compose(sealed, list(unsealed(package, tools, run.id).values()), tools.clock())
    mail: Any = message_from_bytes(whole, policy=default)
    parts = [(part.get_filename(), part.get_content_type()) for part in mail.iter_attachments()]
    assert parts[2:] == [("terms.txt", "text/plain"), ("plan.png", "image/png")]
    assert list(mail.iter_attachments())[3].get_content() == b"\x89PNG not looked into"


def test_rules_choose_enclosures_and_a_taken_name_is_told_apart(dairy: Dairy) -> None:
    for name in ("usual.txt", "warning.txt", "117 statement.pdf"):
        dairy.write(name, "x" if name.endswith("txt") else _pdf(dairy))
    rules = "  - {name: r, when: rows = 1, add: warning, drop: usual}\n"
    what = "[usual.txt, {file: warning.txt, name: warning, optional: true}, 117 statement.pdf]"
    found = names(dairy, (RULES, rules), enclosing(what))
    assert found["117"] == ("ready", ["usual.txt", "117 statement (2).pdf"])
    assert found["118"] == ("held", ["warning.txt", "117 statement.pdf"]), "its name is another's"


def _pdf(dairy: Dairy) -> bytes:
    from gonnet.reports import draw

    layout, look = laid(dairy)
    from dataclasses import replace

    return draw(replace(layout, blocks=(), title="Terms", merged=()), "pdf", look).data


def test_an_enclosure_in_the_language_of_its_reader(dairy: Dairy) -> None:
    lines = (dairy.folder / "members.csv").read_text("utf-8").splitlines()
    dairy.write(
        "members.csv", "\n".join([f"{lines[0]},language", f"{lines[1]},de", *(f"{line}," for line in lines[2:])])
    )
    for name in ("terms.txt", "Regeln.txt"):
        dairy.write(name, name)
    change = ("cc: adviser}", "cc: adviser, language: language}")
    found = names(dairy, change, enclosing("[{file: {en: terms.txt, de: Regeln.txt}}]"))
    assert (found["00042"][1], found["117"][1]) == (["Regeln.txt"], ["terms.txt"])


def test_somebody_in_an_enclosure_holds_all_the_others(dairy: Dairy) -> None:
    dairy.write("terms.txt", "As agreed with farm 00042.\n")
    found = names(dairy, (RULES, "  []\n"), enclosing("[terms.txt]"))
    assert {key: state for key, (state, _) in found.items()} == {
        "00042": "ready",
        "117": "held",
        "118": "held",
        "119": "skipped",
    }


@pytest.mark.parametrize(
    ("what", "says"),
    [
        ("[nothing.pdf]", "the enclosure nothing.pdf cannot be read"),
        ("[empty.txt]", "the enclosure empty.txt is empty"),
        ("[bad.pdf]", "the enclosure bad.pdf is no PDF"),
        ("[bad.xlsx]", "the enclosure bad.xlsx is no XLSX"),
        ("[{file: bad.pdf, optional: true}]", "no rule adds the optional enclosure 'bad'"),
        ("[{fyle: bad.pdf}]", "'fyle' is not a language"),
    ],
)
def test_an_enclosure_that_cannot_be_is_told(dairy: Dairy, what: str, says: str) -> None:
    dairy.write("empty.txt", "")
    dairy.write("bad.pdf", "no PDF")
    with zipfile.ZipFile(dairy.folder / "bad.xlsx", "w") as file:
        file.writestr("xl/worksheets/sheet1.xml", "<worksheet><c>")
    with pytest.raises(JobError) as caught:
        names(dairy, enclosing(what))
    assert any(says in str(mistake) for mistake in caught.value.mistakes), caught.value.mistakes
