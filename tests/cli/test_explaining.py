"""`keys` and `explain`: who gets what, and why, in words that a person can check."""

from __future__ import annotations

import pytest

from support import Dairy

RULES = """\
beyond: few farms know each other
rules:
  - {name: big, when: litres > 2 * recipient.least and $as_of > date '2026-01-01', important: true, message: other}
  - {name: bigger, when: litres > 0.2 * whole.litres, message: standard}
  - {name: tail, when: recipient.adviser = 'it''s recipient.nobody', hold: x}
  - {name: a lot, when: litres > 5000, hold: more than the tank holds}
"""
OTHER = ("deliver:\n", "  other: {subject: Other, body: Other}\ndeliver:\n")


@pytest.fixture
def shop(dairy: Dairy) -> Dairy:
    lines = (dairy.folder / "members.csv").read_text("utf-8").splitlines()
    dairy.write("members.csv", "\n".join([lines[0] + ",least", *(line + ",500" for line in lines[1:])]) + "\n")
    text = (dairy.folder / "jobs/statements.yaml").read_text("utf-8")
    head, _, tail = text.partition("rules:\n")
    dairy.write("jobs/statements.yaml", (head + RULES + tail[tail.index("reports:") :]).replace(*OTHER))
    return dairy


def test_keys_shows_everybody_with_figures_contacts_and_outcome(shop: Dairy) -> None:
    shop.write("milk.csv", (shop.folder / "milk.csv").read_text("utf-8") + "0117,2026-10-03,10,5.00,\n")
    said = shop.gonnet("keys", "statements", code=3).stdout
    assert "nobody on the list has key '0117' (1 row); the list has '117': is that meant?" in said
    assert "5 keys, 6 rows: 2 held, 2 ready, 1 skipped" in said
    line = next(line for line in said.splitlines() if line.strip().startswith("00042"))
    assert line.split() == [
        "00042",
        "Zoë's",
        "Dairy",
        "2",
        "2,380",
        "1,165.95",
        "zoe@members.tarnvale.example",
        "ready",
    ]
    found = shop.json("keys", "statements", "--state", "held", code=3)
    assert [(part["key"], part["reason"]) for part in found] == [
        ("0117", "nobody on the list has this key"),
        ("118", "more than the tank holds"),
    ]
    pages = [shop.gonnet("keys", "statements", "--lines", "3", "--page", str(page), code=3).stdout for page in (1, 2)]
    assert "Page 1 of 2; on the others: 1 ready, 1 skipped." in pages[0]
    assert all("5 keys, 6 rows" in page for page in pages)
    assert ["Hallbank" in page for page in pages] == [True, False]
    assert "1 key, 1 row: 1 held" in shop.gonnet("keys", "statements", "--find", "HALLBANK@", code=3).stdout
    assert "the list has 2 pages" in shop.gonnet("keys", "statements", "--lines", "3", "--page", "3", code=2).stderr


def test_explain_shows_each_rule_with_the_values_that_went_in(shop: Dairy) -> None:
    shop.write(
        "members.csv", (shop.folder / "members.csv").read_text("utf-8").replace("ines@tarnvale.example,500", ",500", 1)
    )
    found = shop.json("explain", "statements", "00042", "--as-of", "2026-11-05")
    big, bigger, tail, lot = found["rules"]
    assert big["values"] == {"$as_of": "2026-11-05", "recipient.least": 500, "litres": 2380}
    assert (big["held"], big["overridden"]) == (True, ["message, by 'bigger'"])
    assert bigger["values"] == {"whole.litres": 10370, "litres": 2380}
    assert (tail["values"], tail["held"], lot["held"]) == ({"recipient.adviser": None}, None, False)
    assert (found["message"], found["documents"]) == ("standard", ["00042 statement.pdf", "00042 statement.xlsx"])
    said = shop.gonnet("explain", "statements", "--only", "00042").stdout
    assert "? tail is unknown" in said
    assert "with recipient.adviser = empty" in said
    assert "Zoë's Dairy (line 1 of members, in en_IE): to zoe@members.tarnvale.example" in said


def test_a_package_of_a_run_is_explained_as_it_was_made(shop: Dairy) -> None:
    shop.gonnet("prepare", "statements", code=3)
    shop.write(
        "jobs/statements.yaml", (shop.folder / "jobs/statements.yaml").read_text("utf-8").replace("big,", "large,")
    )
    found = shop.json("explain", "last", "117")
    assert found["rules"][0] == {
        "rule": "big", "held": True, "changes": ["message: other", "important"], "overridden": []
    }  # fmt: skip
    said = shop.gonnet("explain", "1", "117").stdout
    assert "✓ big holds: message: other; important" in said
    assert "other: to laka@members.tarnvale.example, cc ines@tarnvale.example" in said


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("explain", "statements"), "name one key"),
        (("explain", "statements", "1170"), "there is no key '1170' in this run"),
        (("explain", "7", "117"), "there is no run 7"),
    ],
)
def test_asking_for_what_is_not_there_is_told(shop: Dairy, words: tuple[str, ...], says: str) -> None:
    assert says in shop.gonnet(*words, code=2).stderr


def test_a_quotient_is_shown_with_a_few_decimals_and_an_exact_amount_with_all_of_its_own(dairy: Dairy) -> None:
    dairy.job(("payable: sum(amount)}", "payable: sum(amount), third: sum(litres) / 3.0, price: max(0.21505)}"))
    assert "793.3333 " in dairy.gonnet("keys", "statements", code=3).stdout
    said = dairy.gonnet("explain", "statements", "117").stdout
    assert "third 530.0," in said
    assert "price 0.21505" in said
