"""What a person decides about a prepared run: it is recorded with who and why, sealed anew, and then what leaves."""

from __future__ import annotations

from collections.abc import Callable
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest

from gonnet.errors import GonnetError, RunError
from gonnet.ledger import RunRecord, State
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import Verdict, move, settle
from gonnet.pipeline.reviewing.comparison import compare
from gonnet.pipeline.reviewing.sending_again import again
from gonnet.pipeline.send import Wish, send
from gonnet.pipeline.sending.composing import unsealed
from gonnet.pipeline.tools import Tools
from scripted_smtp import HANG_UP, Script, serving
from support import MEMBERS, MILK, SETTINGS, Dairy, of

BOTH_RECORDS = "asked"

WHY = ("called them", "maren")


def states(dairy: Dairy, tools: Tools, run: RunRecord) -> dict[str, str]:
    return {key: str(package.state) for key, package in dairy.by_key(tools, run).items()}


def sent(dairy: Dairy, tools: Tools, run: RunRecord, **more: Any) -> Script:  # noqa: ANN401
    script = Script()
    with serving(script, dairy.port):
        send(run, tools, Wish(**more))
    return script


def read(raw: bytes) -> Any:  # noqa: ANN401
    return message_from_bytes(raw, policy=default)


def test_what_is_held_leaves_when_it_is_released_and_what_is_ready_stays_when_it_is_held(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        move(run, tools, of("118"), State.READY, *WHY)
        move(run, tools, of("117"), State.HELD, *WHY)
        move(run, tools, of("00042"), State.SKIPPED, *WHY)
        assert states(dairy, tools, run) == {"00042": "skipped", "117": "held", "118": "ready", "119": "skipped"}
        script = sent(dairy, tools, run)
        package = dairy.by_key(tools, run)["118"]
        assert (str(package.state), str(package.prepared_as)) == ("sent", "held")
        assert "released by maren: called them" in [what for _, what in tools.ledger.history(run.id, package.id)]
        assert dairy.by_key(tools, run)["117"].reason == "called them"
    assert [address for address, _ in script.stored] == ["hallbank@members.tarnvale.example"]


@pytest.mark.parametrize(
    ("key", "to", "what"),
    [
        ("117", State.READY, "package 117 is ready, so it cannot be released"),
        ("119", State.READY, "package 119 has no documents"),
        ("119", State.HELD, "package 119 is skipped, so it cannot be held"),
        ("999", State.HELD, "no package for key '999'"),
    ],
)
def test_what_cannot_be_is_refused_and_then_nothing_is_changed(dairy: Dairy, key: str, to: State, what: str) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        before = states(dairy, tools, run)
        other = "118" if to is State.READY else "00042"
        with pytest.raises(RunError, match=what):
            move(run, tools, of(other, key), to, *WHY)
        assert states(dairy, tools, run) == before


def test_nothing_is_changed_while_the_run_is_being_sent(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        before = tools.ledger.packages(run.id)
        with tools.ledger.rights.alone(run), dairy.tools() as others:
            changes: tuple[Callable[[], object], ...] = (
                lambda: move(run, others, of("117"), State.HELD, *WHY),
                lambda: amend(run, others, of("117"), Amendment(to="l@x.example"), *WHY),
                lambda: settle(run, others, of("117"), Verdict.SENT, "", "maren"),
                lambda: again(run, others, of("117"), *WHY),
            )
            for change in changes:
                with pytest.raises(RunError, match="is being sent or changed by another process"):
                    change()
        assert tools.ledger.packages(run.id) == before


def test_messages_to_several_people_are_not_sent_to_one(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS + "117,Second Reader,second@members.tarnvale.example,\n")
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with pytest.raises(RunError, match="they would all go to one address"):
            amend(run, tools, of("117"), Amendment(to="l@x.example"), *WHY)
        (package,) = amend(run, tools, of("117"), Amendment(cc=""), *WHY)
    assert [message.to for message in package.messages] == [(to,) for to in package.to]


def test_what_was_sent_cannot_be_held(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        sent(dairy, tools, run)
        with pytest.raises(RunError, match="package 117 is sent, so it cannot be held"):
            move(run, tools, of("117"), State.HELD, *WHY)


@pytest.mark.parametrize(("was_sent", "state", "copies"), [(True, "sent", 1), (False, "ready", 2)])
def test_what_is_in_doubt_is_settled_by_a_person(dairy: Dairy, *, was_sent: bool, state: str, copies: int) -> None:
    script = Script(answers={"dot": [HANG_UP, "250 taken"]})
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (", cc: adviser", ""))
        with serving(script, dairy.port):
            send(run, tools, Wish(only=("117",)))
        assert states(dairy, tools, run)["117"] == "unsure"
        verdict = Verdict.SENT if was_sent else Verdict.NOT_SENT
        (package,) = settle(run, tools, of("117"), verdict, "in the server's log", "maren")
        assert (package.key, str(package.state)) == ("117", state)
        with serving(script, dairy.port):
            send(run, tools, Wish(only=("117",)))
        assert states(dairy, tools, run)["117"] == "sent"
        with pytest.raises(RunError, match="nothing of package 117 is in doubt, or a draft: it is sent"):
            settle(run, tools, of("117"), Verdict.SENT, "", "maren")
    assert len(script.stored) == copies


def test_sent_again_it_is_the_same_under_another_message_id(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (", cc: adviser", ""))
        first = sent(dairy, tools, run)
        for _ in range(2):
            again(run, tools, of("117"), "lost it", "maren")
            assert states(dairy, tools, run)["117"] == "ready"
            second = sent(dairy, tools, run, again=True)
            assert [address for address, _ in second.stored] == ["laka@members.tarnvale.example"]
        old, new = (read(raw) for raw in (first.stored[1][1], second.stored[0][1]))
        assert old["Message-ID"] != new["Message-ID"]
        assert old["Subject"] == new["Subject"]
        assert [p.get_content() for p in old.iter_attachments()] == [p.get_content() for p in new.iter_attachments()]
        with pytest.raises(RunError, match="only what was sent can be sent again"):
            again(run, tools, of("118"), "", "maren")


def test_sent_again_to_another_address_it_goes_there_this_once(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        first = sent(dairy, tools, run, only=("117",))
        for to, says in (
            ("zoe@members.tarnvale.example", "written to zoe@members.tarnvale.example, the address of 00042"),
            ("nobody", "'nobody' is not an address"),
        ):
            with pytest.raises(GonnetError, match=says):
                again(run, tools, of("117"), *WHY, to=to)
        with pytest.raises(RunError, match="2 packages cannot go to one address"):
            again(run, tools, of("117", "118"), *WHY, to="keeper@x.example")
        for _ in range(2):
            again(run, tools, of("117"), *WHY, to="Eva Keeper <keeper@x.example>")
            second = sent(dairy, tools, run, again=True, only=("117",))
            assert [address for address, _ in second.stored] == ["keeper@x.example"]
        old, new = (read(raw) for raw in (first.stored[0][1], second.stored[0][1]))
        assert (new["To"], new["Cc"]) == ("Eva Keeper <keeper@x.example>", None)
        assert [p.get_content() for p in old.iter_attachments()] == [p.get_content() for p in new.iter_attachments()]
        package = dairy.by_key(tools, run)["117"]
        assert any(
            "to Eva Keeper <keeper@x.example> this once" in what for _, what in tools.ledger.history(run.id, package.id)
        )
        assert compare([package], 1, tools.ledger.packages(run.id, ["117"])).readdressed == ()


def test_a_missing_address_is_put_right_and_the_package_sealed_anew(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS.replace("laka@members.tarnvale.example", ""))
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        assert dairy.by_key(tools, run)["117"].reason == "no address on the list"
        with pytest.raises(RunError, match="package 117 has no address"):
            move(run, tools, of("117"), State.READY, *WHY)
        (package,) = amend(run, tools, of("117"), Amendment(to="Łukasz <l@x.example>", cc=""), *WHY)
        assert (package.to, str(package.state)) == (("l@x.example",), "held")
        unsealed(package, tools, run.id)
        move(run, tools, of("117"), State.READY, *WHY)
        (address, raw), *more = sent(dairy, tools, run, only=("117",)).stored
    mail = read(raw)
    assert (address, mail["To"], mail["Cc"], more) == ("l@x.example", "Łukasz <l@x.example>", None, [])
    assert mail["Subject"] == "Statement of Łąka Górna"


@pytest.mark.parametrize(
    ("wanted", "to", "cc"),
    [
        (
            Amendment(cc="Office <office@x.example>"),
            "Łąka Górna <laka@members.tarnvale.example>",
            "Office <office@x.example>",
        ),
        (Amendment(to="l@x.example"), "l@x.example", "ines@tarnvale.example"),
    ],
)
def test_the_line_that_is_not_changed_keeps_its_names(dairy: Dairy, wanted: Amendment, to: str, cc: str) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        (package,) = amend(run, tools, of("117"), wanted, *WHY)
        mail = read(tools.store.get(package.messages[0].sha256))
    assert (mail["To"], mail["Cc"]) == (to, cc)


def test_a_message_is_reworded_and_a_file_enclosed(dairy: Dairy) -> None:
    note = dairy.write("note.txt", "About your tank\n")
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        wanted = Amendment(text="Dear **Piotr**,\n\nsorry for the delay.", enclose=(note,), bcc="b@x.example")
        amend(run, tools, of("117"), wanted, *WHY)
        stored = sent(dairy, tools, run, only=("117",)).stored
    assert [address for address, _ in stored] == [
        "laka@members.tarnvale.example",
        "ines@tarnvale.example",
        "b@x.example",
    ]
    mail = read(stored[0][1])
    assert mail.get_body(("plain",)).get_content().replace("\r\n", "\n") == "Dear Piotr,\n\nsorry for the delay.\n"
    assert "<strong>Piotr</strong>" in mail.get_body(("html",)).get_content()
    assert [part.get_filename() for part in mail.iter_attachments()][-1] == "note.txt"
    assert mail["Bcc"] is None


@pytest.mark.parametrize(
    ("wanted", "what"),
    [
        (Amendment(to="nobody"), "'nobody' is not an address"),
        (Amendment(text="Ask Zoë's Dairy"), "names somebody else: 'Zoë's Dairy', the name of 00042"),
        (Amendment(to="spy@evil.test"), "does not allow mail to spy@evil.test"),
    ],
)
def test_what_is_wrong_is_not_put_in(dairy: Dairy, wanted: Amendment, what: str) -> None:
    limits = "limits: {domains: [tarnvale.example]}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + limits)
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        before = dairy.by_key(tools, run)["117"]
        with pytest.raises(GonnetError, match=what):
            amend(run, tools, of("117"), wanted, *WHY)
        assert dairy.by_key(tools, run)["117"] == before


def test_by_the_commands(dairy: Dairy) -> None:
    dairy.job()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    assert "say why" in dairy.gonnet("release", "last", "118", "--why", " ", code=2).stderr
    assert "ready" in dairy.gonnet("release", "last", "118", "--why", "seen", "--yes").stdout
    dairy.gonnet("amend", "last", "118", "--to", "new@x.example", "--why", "moved")
    dairy.gonnet("hold", "last", "117", "--why", "waits")
    dairy.gonnet("skip", "last", "117", "--why", "gone")
    found = dairy.json("review", "last", code=0)["packages"]
    assert {p["key"]: (p["state"], p["to"]) for p in found if p["key"] in ("117", "118")} == {
        "117": ("skipped", ["laka@members.tarnvale.example"]),
        "118": ("ready", ["new@x.example"]),
    }
    assert (
        "by hand 1 package released (1 row) and 1 package held back or skipped (2 rows)"
        in dairy.gonnet("review").stdout
    )
    lines = dairy.gonnet("show", "last", "--state", "skipped", "--csv", code=None).stdout.splitlines()
    assert [line.split(",")[:2] for line in lines] == [
        ["state", "key"],
        *[["skipped", key] for key in ("117", "117", "119")],
    ]
    dairy.gonnet("save", "last", "118", "--into", "desk")
    made = (dairy.folder / "desk/118 statement.pdf").read_bytes()
    assert made.startswith(b"%PDF")
    dairy.write("desk/118 statement.pdf", "mine")
    assert "is there already" in dairy.gonnet("save", "last", "117", "118", "--into", "desk", code=2).stderr
    assert not list((dairy.folder / "desk").glob("117*"))
    dairy.gonnet("release", "last", "117", "--why", "stays", "--yes")
    for key in ("117", "118"):  # two files of one name: neither is lost in the copies
        dairy.write("note.txt", key)
        dairy.gonnet("amend", "last", key, "--enclose", "note.txt")
    dairy.gonnet("review", "last", "--into", "look", code=0)
    assert [(dairy.folder / f"look/{key}/note.txt").read_text() for key in ("117", "118")] == ["117", "118"]
    assert "say --sent, --not-sent or --closed" in dairy.gonnet("settle", "last", "118", code=2).stderr
    assert "only what was sent" in dairy.gonnet("resend", "last", "118", "--yes", code=2).stderr


def test_what_is_sent_again_is_told_for_itself_whatever_the_rest_of_the_run_is(dairy: Dairy) -> None:
    dairy.gonnet("prepare", "statements", code=3)
    script = Script()
    with serving(script, dairy.port):
        dairy.gonnet("send", "last", "--yes", code=3)
        told = dairy.gonnet("resend", "last", "117", "--yes").stdout
    assert [address for address, _ in script.stored].count("laka@members.tarnvale.example") == 2
    assert "Left out" not in told
    (again,) = [
        line for line in dairy.gonnet("show", "last", "117", code=3).stdout.splitlines() if "sent again" in line
    ]
    assert not again.rstrip().endswith(":"), "nobody gave a reason"


def test_made_afresh_it_has_the_rows_of_now_and_the_date_of_then(dairy: Dairy) -> None:
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    script = Script()
    with serving(script, dairy.port):
        dairy.gonnet("send", "last", "--yes", code=3)
        dairy.write("milk.csv", MILK.replace("392.40", "400.00"))
        found = dairy.gonnet("resend", "1", "117", "--fresh", "--why", "corrected", "--yes").stdout
    assert "run 2" in found.casefold()
    old, new = (dairy.json("show", run, "117", code=None) for run in ("1", "2"))
    assert (old["as_of"], new["as_of"]) == ("2026-11-05", "2026-11-05")
    assert [part["packages"][0]["figures"]["payable"] for part in (old, new)] == ["780.51", "788.11"]
    assert [package["key"] for package in dairy.json("show", "2")["packages"]] == ["117"]
    assert [address for address, _ in script.stored].count("laka@members.tarnvale.example") == 2
    assert "117 prepared again as run 2, by" in dairy.gonnet("show", "1", code=3).stdout
    assert "prepared in place of run 1, by" in dairy.gonnet("show", "2").stdout


def test_an_address_that_is_kept_is_used_until_the_list_has_another(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS.replace("laka@members.tarnvale.example", ""))
    dairy.gonnet("prepare", "statements", code=3)
    words = ("--to", "Iga <iga@laka.example>", "--keep", "--why", "called them")
    told = dairy.gonnet("amend", "last", "117", *words).stdout
    assert "the list has no address; you gave it one, so it can be released" in " ".join(told.split())
    dairy.gonnet("amend", "last", "00042", "--to", "z@zoe.example", "--keep")
    dairy.gonnet("amend", "last", "117", *words)  # once is enough, twice is the same
    assert len((dairy.folder / "corrections.csv").read_text("utf-8").splitlines()) == 3
    checked = dairy.gonnet("check", "statements", code=None).stdout
    assert "117 is written to at Iga <iga@laka.example> in place of no address, as put right by" in checked
    assert "(called them)" in checked
    later = {p["key"]: p for p in dairy.json("prepare", "statements", code=3)["packages"]}
    assert (later["117"]["state"], later["117"]["to"]) == ("ready", ["iga@laka.example"])
    assert later["00042"]["to"] == ["z@zoe.example"]
    assert later["118"]["to"] == ["hallbank@members.tarnvale.example"]
    dairy.write("members.csv", MEMBERS.replace("laka@members.tarnvale.example", "new@laka.example"))
    last = {p["key"]: p for p in dairy.json("prepare", "statements", code=3)["packages"]}
    assert last["117"]["to"] == ["new@laka.example"]
    assert (
        "the list counts; take the line out of corrections.csv" in dairy.gonnet("check", "statements", code=None).stdout
    )
    dairy.job(name="others")
    others = {p["key"]: p for p in dairy.json("prepare", "others", code=3)["packages"]}
    assert others["00042"]["to"] == ["zoe@members.tarnvale.example"], "a correction is for one job"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("job;key\n", "corrections.csv:1: a column lacks"),
        ("HEAD\nstatements,117,,nobody,m,2026,\n", "corrections.csv:2"),
    ],
)
def test_corrections_that_cannot_be_read_are_told(dairy: Dairy, text: str, says: str) -> None:
    dairy.write("corrections.csv", text.replace("HEAD", "job,key,was,now,by,on,why"))
    assert says in dairy.gonnet("check", "statements", code=2).stderr
