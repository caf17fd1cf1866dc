"""Contacts by role, with alternates; several lists, lines in the job, and who is left out by a condition."""

from __future__ import annotations

from contextlib import closing
from typing import Any

import pytest

from gonnet.errors import GonnetError, JobError
from gonnet.pipeline.survey import Request, survey
from scripted_smtp import Script, serving
from support import AS_OF, Dairy

USUAL = "recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}"
CONTACTS = """\
farm_no,farm_name,email,adviser,role
00042,Owner of 42,owner42@members.tarnvale.example,ines@tarnvale.example,owner
00042,Books of 42,books42@members.tarnvale.example,,Accounts
00042,More books,more42@members.tarnvale.example,,accounts
117,Owner of 117,owner117@members.tarnvale.example,,owner
117,Books of 117,not an address,,accounts
117,Adviser of 117,adviser117@tarnvale.example,,adviser
118,Vet of 118,vet118@tarnvale.example,,vet
"""


def messages(dairy: Dairy, recipients: str) -> dict[str, list[tuple[str, ...]]]:
    """Key → To and copies of each message, and why it is held."""
    job = dairy.job((USUAL, recipients), ("litres > 5000", "litres > 50000"))
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        return {plan.key: [_written(person) for person in plan.addressed.contacts] for plan in found.plans}


def _written(person: Any) -> tuple[str, ...]:  # noqa: ANN401
    parts = (person.to, person.cc, person.bcc)
    said = tuple(" ".join(address.mailbox.partition("@")[0] for address in part) for part in parts)
    return (*said, person.obstacle) if person.obstacle else said


ROLES = "recipients: {rows: members, key: farm_no, name: farm_name, to: email, role: role, roles: "


@pytest.mark.parametrize(
    ("recipients", "expected"),
    [
        (ROLES + "{to: [accounts, owner]}}", {"00042": [("books42", "", ""), ("more42", "", "")], "117": [("owner117", "", "")]}),
        (ROLES + "{to: accounts, cc: owner}, together: true}", {"00042": [("books42 more42", "owner42", "")]}),
        (ROLES + "{to: owner, bcc: adviser}, cc: adviser}", {"00042": [("owner42", "ines", "")], "117": [("owner117", "", "adviser117")]}),
        (ROLES + "{to: [accounts, owner]}}",
         {"118": [("", "", "", "no contact with a usable address who is accounts, else owner; the list has vet118@tarnvale.example (vet)")]}),
        (USUAL.replace("cc: adviser", "together: true"), {"00042": [("owner42 books42 more42", "", "")]}),
        (USUAL.replace("cc: adviser", "cc: [adviser, office@tarnvale.example]"),
         {"00042": [("owner42", "ines office", ""), ("books42", "office", ""), ("more42", "office", "")]}),
        (USUAL.replace("cc: adviser", "where: \"lower(role) = 'owner' and $as_of > date '2026-01-01'\""),
         {"00042": [("owner42", "", "")], "117": [("owner117", "", "")]}),
    ],
)  # fmt: skip
def test_who_of_the_contacts_is_written_to(dairy: Dairy, recipients: str, expected: dict[str, Any]) -> None:
    dairy.write("members.csv", CONTACTS)
    found = messages(dairy, recipients)
    assert {key: found[key] for key in expected} == expected


def test_where_no_role_fits_whoever_releases_says_to_whom(dairy: Dairy) -> None:
    dairy.write("members.csv", CONTACTS)
    dairy.job((USUAL, ROLES + "{to: accounts}}"), ("litres > 5000", "litres > 50000"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    refused = dairy.gonnet("release", "1", "118", "--why", "they called", code=2).stderr
    assert "package 118 has no address" in refused
    assert "amend 1 118 --to ADDRESS" in refused
    told = dairy.gonnet("amend", "1", "118", "--to", "keeper@tarnvale.example", "--why", "asked on the phone").stdout
    assert "118" in told
    assert "→ keeper@tarnvale.example" in dairy.gonnet("release", "1", "118", "--why", "they called", "--yes").stdout


def test_several_lists_and_lines_in_the_job_come_together(dairy: Dairy) -> None:
    recipients = """\
recipients:
  - {rows: members, key: farm_no, name: farm_name, to: email, where: "farm_no <> '118'"}
  - key: farm_no
    to: email
    name: farm_name
    lines:
      - {farm_no: "118", email: keeper@tarnvale.example, farm_name: Keeper}
      - {farm_no: "00042", email: archive@tarnvale.example, farm_name: Archive}"""
    found = messages(dairy, recipients)
    assert found["118"] == [("keeper", "", "")]
    assert found["00042"] == [("zoe", "", ""), ("archive", "", "")]
    assert dairy.gonnet("explain", "statements", "118").stdout.count("Keeper (line 1 of recipients, in en_IE)") == 1


@pytest.mark.parametrize(
    ("recipients", "says"),
    [
        ("recipients: {key: farm_no, to: email}", "a list needs one source"),
        (USUAL.replace("cc: adviser", "role: adviser"), "`role`, the column, and `roles`"),
        (USUAL.replace("cc: adviser", "language: lang"), "data set 'members' has no column 'lang'"),
        (USUAL.replace("cc: adviser", "where: farm_nr = 1"), "farm_nr"),
        ("recipients: [{rows: members, key: farm_no, to: email}, {rows: membrs, key: farm_no, to: email}]", "no data set 'membrs'"),
        ("recipients: [{rows: members, key: farm_no, to: email}, {lines: [{k: '1', to: a@x.example}], key: k, to: to}]",
         "'recipient' has no field 'farm_name'"),
    ],
)  # fmt: skip
def test_a_list_that_cannot_be_used_is_told(dairy: Dairy, recipients: str, says: str) -> None:
    with pytest.raises(GonnetError) as caught:
        messages(dairy, recipients)
    told = caught.value.mistakes if isinstance(caught.value, JobError) else (caught.value,)
    assert any(says in str(mistake) for mistake in told), told


@pytest.mark.parametrize(
    ("roles", "key", "expected"),
    [
        ("{to: [accounts, owner]}", "00042", ["'accounts' goes before", "chosen", "chosen"]),
        ("{to: accounts, cc: owner}", "00042", ["chosen for a copy", "chosen", "chosen"]),
        ("{to: [accounts, owner]}", "117", ["chosen", "'not an address' is not an address", "nobody asks for this role"]),
        ("{to: owner}, where: \"role <> 'Accounts'\"", "00042",
         ["chosen", "the list leaves it out", "nobody asks for this role"]),
        ("{to: owner}, where: \"role <> 'vet'\"", "118", ["the list leaves it out"]),
    ],
)  # fmt: skip
def test_every_contact_of_a_key_is_told_with_why_it_is_written_to_or_not(
    dairy: Dairy, roles: str, key: str, expected: list[str]
) -> None:
    dairy.write("members.csv", CONTACTS)
    dairy.job((USUAL, ROLES + roles + "}"), ("litres > 5000", "litres > 50000"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=None)
    (package,) = dairy.json("show", "1", key, code=None)["packages"]
    fates = [
        contact["why_not"] or {"to": "chosen", "cc": "chosen for a copy"}[contact["use"]]
        for contact in package["contacts"]
    ]
    assert [fate[: len(wanted)] for fate, wanted in zip(fates, expected, strict=True)] == expected
    shown, explained = (dairy.gonnet(*words, code=None).stdout for words in (("show", "1", key), ("explain", "1", key)))
    of_job = dairy.gonnet("explain", "statements", key, "--as-of", "2026-11-05", code=None).stdout
    for contact, wanted in zip(package["contacts"], expected, strict=True):
        assert all(contact["name"] in text for text in (shown, explained, of_job))
        assert all(wanted in text for text in (shown, explained))


def test_a_cell_may_name_several_roles_and_a_parameter_may_say_which_is_written_to(dairy: Dairy) -> None:
    dairy.write("members.csv", CONTACTS.replace(",,Accounts", ",,Accounts; Owner").replace(",,owner\n", ",,Keeper\n"))
    parameters = ("split:", "parameters: {who: {kind: text, default: owner; keeper}}\nsplit:")
    recipients = ROLES + '{to: "$who", cc: accounts}, together: true}'
    job = dairy.job((USUAL, recipients), parameters, ("litres > 5000", "litres > 50000"))
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={"who": "accounts"}))
        asked = {plan.key: [_written(person) for person in plan.addressed.contacts] for plan in found.plans}
        found.engine.close()
        usual = survey(job, tools, Request(as_of=AS_OF, asked={}))
        told = [finding.text for finding in usual.findings]
        written = {plan.key: [_written(person) for person in plan.addressed.contacts] for plan in usual.plans}
        usual.engine.close()
    assert asked["00042"] == [("books42 more42", "", "")]
    assert written["00042"] == [("owner42 books42", "more42", "")]
    assert written["117"] == [("owner117", "", "")]
    assert not any("has the role" in text for text in told)
    dairy.job((USUAL, ROLES + "{to: [acounts, owner]}}"))
    said = dairy.gonnet("check", "statements", code=None).stdout
    assert "nobody on the list has the role 'acounts'. Did you mean 'accounts'?" in " ".join(said.split())
    dairy.job((USUAL, ROLES + '{to: "$whom"}}'), parameters)
    assert "there is no parameter 'whom'" in dairy.gonnet("check", "statements", code=2).stderr


@pytest.mark.parametrize(
    ("key", "wanted", "to", "cc"),
    [
        ("00042", "Owner", "owner42@members.tarnvale.example", ()),
        ("117", "adviser of 117", "adviser117@tarnvale.example", ()),
        ("118", "vet", "vet118@tarnvale.example", ()),
    ],
)
def test_another_contact_gets_it_in_words_for_them(
    dairy: Dairy, key: str, wanted: str, to: str, cc: tuple[str, ...]
) -> None:
    dairy.write("members.csv", CONTACTS)
    dairy.job((USUAL, ROLES + "{to: accounts, cc: owner}, together: true}"), ("litres > 5000", "litres > 50000"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    dairy.gonnet("amend", "1", key, "--contact", wanted, "--why", "asked")
    (package,) = dairy.json("show", "1", key, code=None)["packages"]
    (message,) = package["messages"]
    assert (message["to"], tuple(message["cc"])) == ([to], cc)
    shown = dairy.gonnet("show", "1", key, code=None).stdout
    name = next(contact["name"] for contact in package["contacts"] if contact["to"] == [to])
    assert f"Statement of {name}" in shown
    assert f"Dear {name}," in shown
    assert f"contact changed to '{wanted}'" in shown


def test_a_contact_that_is_not_clear_is_not_chosen(dairy: Dairy) -> None:
    dairy.write("members.csv", CONTACTS)
    dairy.job((USUAL, ROLES + "{to: owner}}"), ("litres > 5000", "litres > 50000"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    for key, wanted, says in (
        ("00042", "accounts", "several contacts called 'accounts'"),
        ("00042", "nobody", "no contact called 'nobody'"),
        ("117", "Books of 117", "has no usable address"),
    ):
        assert says in dairy.gonnet("amend", "1", key, "--contact", wanted, code=2).stderr
    dairy.write("members.csv", CONTACTS.replace("Books of 42", "Other Books"))
    refused = dairy.gonnet("amend", "1", "00042", "--contact", "Books of 42", code=2).stderr
    assert "no longer those that package 00042 was made of" in refused


def test_a_contact_whom_the_list_leaves_out_is_chosen_by_hand(dairy: Dairy) -> None:
    dairy.write("members.csv", CONTACTS)
    dairy.job((USUAL, ROLES + "{to: owner}, where: \"role <> 'vet'\"}"), ("litres > 5000", "litres > 50000"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=None)
    before = dairy.json("show", "1", code=None)["rows"]
    refused = dairy.gonnet("amend", "1", "118", "--contact", "vet", "--subject", "x", code=2).stderr
    assert "package 118 is not made yet" in refused
    dairy.gonnet("amend", "1", "118", "--contact", "vet", "--why", "asked her", code=None)
    (package,) = dairy.json("show", "1", "118", code=None)["packages"]
    assert (package["state"], package["to"]) == ("skipped", ["vet118@tarnvale.example"])
    assert package["reason"].endswith("was chosen by hand, so it can be released")
    assert [one["name"] for one in package["documents"]] == ["118 statement.pdf", "118 statement.xlsx"]
    assert dairy.json("show", "1", code=None)["rows"] == before, "what is skipped is still withheld"
    told = dairy.gonnet("release", "1", "118", "--why", "asked her", "--yes").stdout
    assert "→ vet118@tarnvale.example" in told
    after = dairy.json("show", "1", code=None)["rows"]
    assert after["delivered"] == before["delivered"] + 1
    script = Script()
    with serving(script, dairy.port):
        dairy.gonnet("send", "1", "--only", "118", "--yes")
    assert "vet118@tarnvale.example" in {to for to, _ in script.stored}
