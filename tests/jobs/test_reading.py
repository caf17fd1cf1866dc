"""Job files: every mistake at once, each with its place and the way to put it right."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from gonnet.errors import GonnetError, JobError
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.secrets import Secrets
from gonnet.pipeline.survey import Request, survey

if TYPE_CHECKING:
    from support import Dairy


def told(dairy: Dairy, *changes: tuple[str, str]) -> list[str]:
    """Every mistake that reading and checking the changed job tells of."""
    import datetime as dt

    try:
        job = dairy.job(*changes)
        with dairy.tools() as tools:
            survey(job, tools, Request(as_of=dt.date(2026, 11, 5), asked={})).engine.close()
    except JobError as error:
        return [str(mistake) for mistake in error.mistakes]
    except GonnetError as error:
        return [str(error)]
    return []


def test_the_usual_job_has_no_mistake(dairy: Dairy) -> None:
    assert told(dairy) == []


BOMB = b"a0: &a0 [x, x, x, x, x, x, x, x, x, x]\n" + b"".join(
    b"a%d: &a%d [%s]\n" % (n, n, b", ".join([b"*a%d" % (n - 1)] * 10)) for n in range(1, 9)
)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("split:", "splitt:", "5:1: unknown key 'splitt'. Did you mean 'split'?"),
        ("title: Milk statements\n", "", "'title' is missing here. Add a line `title: …`"),
        ("title: Milk statements", "title: 2026", "1:8: 'title' must be text, this is the number 2026"),
        ("total: sum}\n            - {field: amount", "totl: sum}\n            - {field: amount", "Did you mean 'total'?"),
        ("as: pdf", "as: pfd", "'pfd' is not a value of 'as'. Did you mean 'pdf'?"),
        ("- text:", "- txet:", "unknown key 'txet'. Did you mean 'text'?"),
        ("milk: {file: milk.csv}", "milk: {fiel: milk.csv}", "unknown key 'fiel'. Did you mean 'file'?"),
        ('format: "#,##0.00"', "format: abc", "'abc' is neither a number pattern such as #,##0.00 nor a date pattern"),
        ("rows = 0, skip: no milk", "rows = 0", "a rule needs an outcome"),
        ("{name: idle,", "{name: idle, name: again,", "duplicate key"),
        ("split: {rows: milk", "split: {rows: mlik", "5:15: there is no data set 'mlik'. Did you mean 'milk'?"),
        ("by: farm_no", "by: farm_nr", "data set 'milk' has no column 'farm_nr'. Did you mean 'farm_no'?"),
        ("to: email", "to: e_mail", "data set 'members' has no column 'e_mail'. Did you mean 'email'?"),
        ("[{report: statement,", "[{report: statment,", "there is no report 'statment'. Did you mean 'statement'?"),
        ("{field: litres", "{field: liters", "has no column 'liters'. Did you mean 'litres'?"),
        ("recipient.farm_name }}\"\n    blocks", "recipient.name }}\"\n    blocks", "'recipient' has no field 'name'"),
        ("figures.payable | money }}**", "figures.payble | money }}**", "'figures' has no field 'payble'. Did you mean"),
        ("| money }}**", "| mony }}**", "unknown format 'mony' in a text. Did you mean 'money'?"),
        ("{{ key }} statement", "{{ key statement", "this text cannot be read"),
        ("sum(amount)}", "sum(amuont)}", "figure 'payable' does not run: Referenced column \"amuont\" not found"),
        ("when: litres > 5000", "when: liters > 5000", "the condition of rule 'a lot' does not run"),
        ("when: litres > 5000", "when: litres >", "the condition of rule 'a lot' does not run"),
        ("{field: remark}", '{field: remark, format: "0.00"}', "the format '0.00' does not fit column 'remark', which is text"),
        ("format: d MMM", "format: d MMM HH:mm", "the format 'd MMM HH:mm' has a time, and column 'day' holds dates"),
        ("{field: remark}", "{field: remark, total: sum}", "column 'remark' is text and has no sum"),
        ("deliver:\n", "deliver:\n  - {name: by post, folder: {}}\n", "'by post' cannot be a name here; use letters, digits and _"),
        ("file: milk.csv}", "file: milk.csv, skip: -1}", "'skip' must be at least 0, this is -1"),
        ("file: milk.csv}", "file: milk.csv, types: {litres: integer}}", "'integer' is not a type; write text, whole"),
        ("file: milk.csv}", "file: milk.csv, positions: {litres: 7 to 12}}", "'7 to 12' is not a first and a last place in the line, such as 1-12"),
        ("data:\n", "keep: 0 days\ndata:\n", "'keep' must be at least 1, this is 0 days"),
        ("data:\n", "calendar: {every: monday, tries: 101}\ndata:\n", "'tries' must be at most 100, this is 101"),
        ("data:\n", f"calendar: {{every: monday, name: {'x' * 61}}}\ndata:\n", "the text of 'name' is too long. Write at most 60 letters"),
        ("statements@tarnvale.example", "statements", "is not an address: there is no @ in it"),
        ("{field: remark}", '{field: remark, label: "{{ key }}"}', "merge fields are not filled in `label`"),
        ("data:\n", 'phrases: {bye: {en: Yours, de: "Ihr {{ sender }}"}}\ndata:\n', "not filled in `phrases.bye`"),
        ('    title: "Statement', '    watermark: {text: "{{ key }}"}\n    title: "Statement', "merge fields are not filled here"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_with_its_place_and_the_cure(dairy: Dairy, old: str, new: str, says: str) -> None:
    found = told(dairy, (old, new))
    if "address" in says:
        from gonnet.pipeline.making.message_texts import senders_of

        with dairy.tools() as tools, pytest.raises(JobError) as caught:
            senders_of(dairy.job((old, new)), tools)
        found = [str(caught.value)]
    assert any(says in text for text in found), found
    assert all(text.startswith("jobs/statements.yaml:") for text in found)


def test_all_mistakes_of_a_file_are_told_at_once_in_its_order(dairy: Dairy) -> None:
    found = told(dairy, ("title: Milk", "titel: Milk"), ("format: d MMM", "formt: d MMM"), ("as: xlsx", "as: xls"))
    assert [text.partition(". ")[0].split(":", 3)[3] for text in found] == [
        " unknown key 'titel'",
        " unknown key 'formt'",
        " 'xls' is not a value of 'as'",
    ]


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"title: [unclosed\n", "this is not YAML"),
        (b"", "this file is empty"),
        (b"- a list\n", "must consist of `name: value` lines"),
        ("title: Łódź".encode("utf-16"), "not UTF-8"),
        (b"title: !secret milk\n", "the tag `!secret` means nothing here"),
        (BOMB, "repeated by `\\*name` again and again"),
    ],
)
def test_a_file_that_is_no_job_is_refused_in_words(dairy: Dairy, raw: bytes, says: str) -> None:
    dairy.write("jobs/broken.yaml", raw)
    with pytest.raises(JobError, match=says):
        load_job(load_workspace(dairy.folder), "broken")


def test_a_part_may_be_merged_into_another(dairy: Dairy) -> None:
    old = "            - {field: remark}"
    new = "            - &last {field: remark}\n            - {<<: *last, label: Again}"
    columns = dairy.job((old, new)).file.reports["statement"].blocks[2].table.columns  # type: ignore[union-attr]
    assert [column.label for column in columns[-2:]] == [None, "Again"]
    assert any(
        "has no column 'remrk'" in text for text in told(dairy, (old, new.replace("field: remark", "field: remrk")))
    )


def test_an_unknown_job_is_refused_with_the_nearest_one(dairy: Dairy) -> None:
    with pytest.raises(JobError, match="Did you mean 'statements'"):
        load_job(load_workspace(dairy.folder), "statemnts")


def test_a_password_never_stands_in_a_file_and_is_never_shown(dairy: Dairy) -> None:
    text = "mail_servers:\n  office:\n    host: mail.example.test\n    password: hunter2\n"
    dairy.write("gonnet.yaml", text)
    with pytest.raises(JobError, match=r"write \$\{NAME\}") as caught:
        load_workspace(dairy.folder)
    assert "hunter2" not in str(caught.value)
    dairy.write("gonnet.yaml", text.replace("hunter2", "${MAIL_PASSWORD}"))
    _, server = load_workspace(dairy.folder).server(None, "here")
    secrets = Secrets.of(dairy.folder, {"MAIL_PASSWORD": "hunter2"})
    assert secrets.resolve(server.password or "", "here") == "hunter2"
    assert "hunter2" not in repr(server) + repr(secrets)
    assert secrets.hidden("login hunter2 failed") == "login *** failed"
    with pytest.raises(JobError, match="MAIL_PASSWORD is not set"):
        Secrets.of(dairy.folder, {}).resolve("${MAIL_PASSWORD}", "here")
