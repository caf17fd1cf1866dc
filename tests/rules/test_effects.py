"""Recipients × rules: what a package consists of, who gets it, and what each rule did."""

from __future__ import annotations

from contextlib import closing
from typing import Any

import pytest

from gonnet.errors import JobError
from gonnet.pipeline.survey import Request, survey
from support import AS_OF, RULES, Dairy

PACKAGE = """\
  documents:
    - {report: statement, as: pdf}
    - {report: statement, as: xlsx, name: book, optional: true}
    - {report: letter, as: pdf, optional: true, file: "{{ key }} letter"}
"""
CHANGES = (
    ("  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]\n", PACKAGE),
    ("package:\n", "  letter: {title: A letter, blocks: [{text: Please call us.}]}\npackage:\n"),
    ("deliver:\n", "  other: {subject: Other, body: Other}\ndeliver:\n"),
)


def plans(dairy: Dairy, rules: str) -> dict[str, Any]:
    job = dairy.job((RULES, rules), *CHANGES)
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        return {plan.key: plan for plan in found.plans}


ADD = "  - {name: unused, when: rows > 99, add: [book, letter]}\n"


@pytest.mark.parametrize(
    ("rules", "key", "names"),
    [
        ("", "117", ["117 statement.pdf"]),
        ("  - {name: r, when: rows = 2, add: book}\n", "117", ["117 statement.pdf", "117 statement.xlsx"]),
        ("  - {name: r, when: rows = 2, add: [book, letter]}\n", "118", ["118 statement.pdf"]),
        ("  - {name: r, when: rows = 2, add: letter, drop: statement}\n", "117", ["117 letter.pdf"]),
        ("  - {name: r, when: rows = 2, add: book, as: html}\n", "117", ["117 statement.html"]),
        ("  - {name: a, when: rows = 2, add: book}\n  - {name: b, when: rows > 0, drop: book}\n", "117", ["117 statement.pdf"]),
        ("  - {name: a, when: rows = 9, hold: x}\n  - {name: b, otherwise: true, add: letter}\n", "117",
         ["117 statement.pdf", "117 letter.pdf"]),
        ("  - {name: a, when: rows = 2, important: true}\n  - {name: b, otherwise: true, add: letter}\n", "117",
         ["117 statement.pdf"]),
        ("  - {name: r, when: rows = 2, drop: statement}\n", "117", []),
    ],
)  # fmt: skip
def test_rules_choose_the_documents(dairy: Dairy, rules: str, key: str, names: list[str]) -> None:
    plan = plans(dairy, rules + ADD)[key]
    assert [document.file_name for document in plan.documents if plan.decision.outcome == "ready"] == names
    if not names:
        assert (plan.decision.outcome, plan.decision.reason) == ("held", "the rules leave no document to send")


def test_the_last_word_counts_and_what_it_overrides_is_recorded(dairy: Dairy) -> None:
    rules = """\
  - {name: first, when: rows > 0, message: other, important: true, cc: office@tarnvale.example, add: letter}
  - {name: second, when: rows = 2, message: standard, drop: letter, bcc: adviser}
  - {name: never, when: rows > 99, message: other}
  - {name: perhaps, when: recipient.adviser = 'x', message: other}
"""
    found = plans(dairy, rules + ADD)
    both, one = found["117"].decision, found["118"].decision
    assert (both.effects.message, one.effects.message, both.effects.important) == ("standard", "other", True)
    first, second, never, perhaps, _ = both.steps
    assert first.changes == ("message: other", "add: letter", "cc: office@tarnvale.example", "important")
    assert first.overridden == ("message, by 'second'", "add, by 'second'")
    assert (second.held, second.overridden, never.held, perhaps.held) == (True, (), False, False)
    assert [step.held for step in one.steps] == [True, False, False, None, False]
    (contact,) = found["117"].addressed.contacts
    assert [address.mailbox for address in contact.cc] == ["ines@tarnvale.example", "office@tarnvale.example"]
    assert [address.mailbox for address in contact.bcc] == ["ines@tarnvale.example"]


def test_a_redirect_takes_the_place_of_all_contacts(dairy: Dairy) -> None:
    dairy.write("members.csv", (dairy.folder / "members.csv").read_text("utf-8") + "117,Books,books@x.example,\n")
    rule = "  - {name: r, when: rows = 2, to: adviser}\n"
    found = plans(dairy, rule + ADD)
    assert [[a.mailbox for a in c.to] for c in found["117"].addressed.contacts] == [["ines@tarnvale.example"]]
    dairy.write("members.csv", (dairy.folder / "members.csv").read_text("utf-8").replace(",ines@tarnvale.example", ","))
    found = plans(dairy, rule + ADD)
    assert (found["117"].decision.outcome, found["117"].decision.reason) == ("held", "no address in adviser")


def test_an_important_message_says_so_and_has_the_chosen_words(dairy: Dairy) -> None:
    rules = "  - {name: r, when: rows = 2, message: other, important: true}\n" + ADD
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, (RULES, rules), *CHANGES))
        head = tools.store.get(found["117"].messages[0].sha256).partition(b"\r\n\r\n")[0].decode()
        assert "Importance: high\r\n" in head
        assert found["117"].messages[0].subject == "Other"
        assert "Importance" not in tools.store.get(found["118"].messages[0].sha256).decode()


@pytest.mark.parametrize(
    ("rule", "says"),
    [
        ("{name: r, hold: x}", "a rule needs a condition"),
        ("{name: r, when: rows > 0, otherwise: true, hold: x}", "a rule needs a condition"),
        ("{name: r, when: rows > 0}", "a rule needs an outcome"),
        ("{name: r, when: rows > 0, hold: x, skip: y}", "either skips or holds"),
        ("{name: r, when: rows > 0, message: othr}", "there is no message 'othr'. Did you mean 'other'?"),
        ("{name: r, when: rows > 0, add: leter}", "the package has no document 'leter'. Did you mean 'letter'?"),
        ("{name: r, when: rows > 0, cc: advisr}", "the list has no column 'advisr'. Did you mean 'adviser'?"),
        ("{name: r, when: rows > 0, as: csv}", "a CSV file holds one table, report 'letter' has 0"),
        ("{name: a, otherwise: true, hold: x}\n  - {name: b, otherwise: true, hold: y}", "rule 'b' never holds"),
    ],
)
def test_a_rule_that_cannot_be_is_told(dairy: Dairy, rule: str, says: str) -> None:
    with pytest.raises(JobError) as caught:
        plans(dairy, f"  - {rule}\n{ADD}")
    assert any(says in str(mistake) for mistake in caught.value.mistakes), caught.value.mistakes


def test_an_optional_document_that_no_rule_adds_is_told(dairy: Dairy) -> None:
    with pytest.raises(JobError, match="no rule adds the optional document 'book'"):
        plans(dairy, RULES)
