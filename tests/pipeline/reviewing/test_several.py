"""Several packages are meant by what is known of them; it is shown and asked, and then all of it is done, or nothing."""

from __future__ import annotations

from typing import Any

import pytest

from gonnet import delivery
from gonnet.errors import GonnetError, RunError
from gonnet.ledger import PackageRecord, State
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import move
from gonnet.pipeline.reviewing.decisions import Intention
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.tools import Tools
from support import MILK, Dairy, of

BOTH_RECORDS = "asked"

WHY = ("called them", "maren")
TWO = (
    "  standard:\n",
    """  owing:
    subject: "{{ recipient.farm_name }} owes {{ figures.payable | money }}"
    body: "Please call us, {{ recipient.farm_name }}."
  standard:
""",
)


@pytest.mark.parametrize(
    ("which", "keys"),
    [
        (Selection(keys=("11*",)), ["117", "118", "119"]),
        (Selection(keys=("117..118", "00042")), ["00042", "117", "118"]),
        (Selection(keys=("@KEYS",)), ["00042", "118"]),
        (Selection(states=("held", "skipped")), ["118", "119"]),
        (Selection(because="Than The Tank"), ["118"]),
        (Selection(where="payable between 780.50 and 780.51 or rows = 0"), ["117", "119"]),
        (Selection(where="recipient.adviser is null and litres > 0"), ["118"]),
        (Selection(where="recipient.farm_name = 'Zoë''s Dairy' and state = 'ready'"), ["00042"]),
        (Selection(where="\"to\" like 'laka@%'"), ["117"]),
        (Selection(keys=("11*",), states=("ready",), where="litres > 1"), ["117"]),
    ],
)
def test_packages_are_meant_by_what_is_known_of_them(dairy: Dairy, which: Selection, keys: list[str]) -> None:
    listed = dairy.write("keys.txt", "118\n00042\n")
    which = Selection(
        keys=tuple(key.replace("KEYS", str(listed)) for key in which.keys),
        states=which.states,
        because=which.because,
        where=which.where,
    )
    with dairy.tools() as tools:
        assert [package.key for package in selected(dairy.prepared(tools), tools, which)] == keys


@pytest.mark.parametrize(
    ("which", "says"),
    [
        (Selection(where="litres > 1000000"), "no package of run 1 is so: where litres > 1000000"),
        (Selection(where="nonsense > 1"), "nonsense"),
        (Selection(where="recipient.nonsense > 1"), "nonsense"),
        (Selection(where="exists (select * from read_csv('members.csv'))"), "disabled|read_csv"),
        (Selection(keys=("2*",)), "no key is like '2\\*'"),
    ],
)
def test_what_is_meant_by_nobody_is_told(dairy: Dairy, which: Selection, says: str) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with pytest.raises(GonnetError, match=says):
            selected(run, tools, which)


def test_what_cannot_be_is_left_out_and_told_unless_it_was_named(dairy: Dairy) -> None:
    seen: list[Intention] = []

    def ask(intention: Intention) -> bool:
        seen.append(intention)
        return len(seen) > 1

    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        before = tools.ledger.packages(run.id)
        every = Selection(where="true")
        assert move(run, tools, every, State.HELD, *WHY, ask) == ()
        assert tools.ledger.packages(run.id) == before
        found = move(run, tools, every, State.HELD, *WHY, ask)
        with pytest.raises(RunError, match="none of these 4 packages can be changed so: package 00042 is held"):
            move(run, tools, every, State.HELD, *WHY, ask)
    assert [(package.key, str(package.state)) for package in found] == [("00042", "held"), ("117", "held")]
    assert [(package.key, error.what) for package, error in seen[0].left_out] == [
        ("118", "package 118 is held, so it cannot be held"),
        ("119", "package 119 is skipped, so it cannot be held"),
    ]


def test_what_somebody_else_changed_meanwhile_is_not_done_and_nothing_else_either(dairy: Dairy) -> None:
    with dairy.tools() as tools, dairy.tools() as others:
        run = dairy.prepared(tools)

        def ask(_intention: Intention) -> bool:
            move(run, others, of("117"), State.SKIPPED, "left", "elin")
            return True

        with pytest.raises(RunError, match="package 117 was changed meanwhile"):
            move(run, tools, Selection(states=("ready",)), State.HELD, *WHY, ask)
        states = {package.key: str(package.state) for package in tools.ledger.packages(run.id)}
    assert states == {"00042": "ready", "117": "skipped", "118": "held", "119": "skipped"}


def test_by_the_commands_it_is_shown_and_asked(dairy: Dairy) -> None:
    dairy.job()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    assert "say which" in dairy.gonnet("hold", "last", "--why", "x", code=2).stderr
    asked = dairy.gonnet("hold", "last", "--where", "litres > 0", "--why", "a look", code=2)
    assert "Zoë's Dairy → zoe@members.tarnvale.example" in asked.stdout
    assert "118  left out: package 118 is held" in asked.stdout
    assert "say --yes" in asked.stderr
    assert "2 ready" in dairy.gonnet("review", code=3).stdout
    dairy.gonnet("hold", "last", "--where", "litres > 0", "--why", "a look", "--yes")
    told = dairy.gonnet("release", "last", "--because", "A LOOK", "--why", "seen", code=2)
    assert "→ laka@members.tarnvale.example" in told.stdout
    assert "say --yes" in told.stderr
    dairy.gonnet("release", "last", "--because", "A LOOK", "--why", "seen", "--yes")
    dairy.gonnet("amend", "last", "1*", "--subject", "Corrected, {{ recipient.farm_name }}", "--yes")
    found = {p["key"]: [m["subject"] for m in p["messages"]] for p in dairy.json("review", code=3)["packages"]}
    assert found == {
        "00042": ["Statement of Zoë's Dairy"],
        "117": ["Corrected, Łąka Górna"],
        "118": ["Corrected, Hallbank"],
        "119": [],
    }


def texts(tools: Tools, package: PackageRecord) -> list[tuple[str, str, str]]:
    found = []
    for message in package.messages:
        sealed = tools.store.get(message.sha256)
        page = delivery.html_page(sealed)
        title = page.partition("<title>")[2].partition("</title>")[0]
        found.append((message.subject, title, delivery.plain_text(sealed)))
    return found


@pytest.mark.parametrize(
    ("wanted", "subject", "text"),
    [
        (Amendment(message="owing"), "Łąka Górna owes €780.51", "Please call us, Łąka Górna."),
        (Amendment(subject="Über 5 & 6 < 7"), "Über 5 & 6 < 7", "Dear Łąka Górna,"),
        (Amendment(subject="For {{ key }} (1/2)"), "For 117 (1/2)", "Dear Łąka Górna,"),
        (Amendment(text="Pay {{ figures.litres }} to **{{ key }}**"), "Statement of Łąka Górna", "Pay 1590 to 117"),
        (Amendment(message="owing", text="{{ key }}!"), "Łąka Górna owes €780.51", "117!"),
    ],
)
def test_words_are_changed_and_what_is_merged_into_them_is_filled(
    dairy: Dairy, wanted: Amendment, subject: str, text: str
) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, TWO)
        before = tools.ledger.packages(run.id)[1]
        move(run, tools, of("117"), State.HELD, *WHY)
        amend(run, tools, of("117"), Amendment(to="new@x.example"), *WHY)
        (package,) = amend(run, tools, of("117"), wanted, *WHY)
        assert tools.seals.trouble(package, run.id, leaves=False) is None
        assert [
            (found, title.replace("&lt;", "<").replace("&amp;", "&")) for found, title, _ in texts(tools, package)
        ] == [(subject, subject)]
        assert texts(tools, package)[0][2].startswith(text)
        sealed = tools.store.get(package.messages[0].sha256).decode()
    assert (package.state, package.to, package.documents) == (State.HELD, ("new@x.example",), before.documents)
    assert "new@x.example" in sealed.partition("\r\n\r\n")[0]
    assert "laka@" not in sealed


@pytest.mark.parametrize(
    ("wanted", "changes", "says"),
    [
        (Amendment(message="owed"), {}, "no message 'owed'.*'owing'"),
        (Amendment(text="{{ recipient.nonsense }}"), {}, "nonsense"),
        (Amendment(text="{{ key"), {}, "the new text"),
        (
            Amendment(message="owing"),
            {"milk.csv": MILK + "117,2026-10-03,1,1.00,\n"},
            "no longer those that package 117",
        ),
        (Amendment(text="{{ key }} and 00042 Zoë's Dairy"), {}, "names somebody else: 'Zoë's Dairy'"),
        (Amendment(subject="Like Zoë's Dairy"), {}, "names somebody else: 'Zoë's Dairy'"),
    ],
)
def test_words_that_cannot_be_filled_or_are_of_others_change_nothing(
    dairy: Dairy, wanted: Amendment, changes: dict[str, Any], says: str
) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, TWO)
        before = tools.ledger.packages(run.id)
        for name, text in changes.items():
            dairy.write(name, text)
        with pytest.raises(GonnetError, match=says) as told:
            amend(run, tools, of("117"), wanted, *WHY)
        assert tools.ledger.packages(run.id) == before, told
