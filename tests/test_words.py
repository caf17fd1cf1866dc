"""Plain English: phrases that a reader whose first language is another had to read twice must not come back."""

from __future__ import annotations

import re
from pathlib import Path

import gonnet

ROOT = Path(gonnet.__file__).parent
PROJECT = ROOT.parent.parent
GONE = (
    r"has one by now",
    r"stands? twice",
    r"stands? only once",
    r"is \w+ no more\b",
    r"keep \w+ \w+ no more",
    r"refused to the end stays",
    r"as long as (they|it) (are|is) to be kept",
    r"brok(e|en) off\b(?! \d)",
    r"made anew",
    r"in (another|a different) state by now",
)


def test_phrases_that_are_hard_to_read_do_not_come_back() -> None:
    found = []
    places = [*ROOT.rglob("*.py"), *ROOT.rglob("*.html"), *(PROJECT / "docs").glob("*.md"), PROJECT / "README.md"]
    for path in places:
        if "migrations" in path.parts:  # they name what old ledgers say
            continue
        text = " ".join(path.read_text("utf-8").split())
        found += [f"{path.name}: …{text[max(0, m.start() - 30) : m.end()]}" for p in GONE for m in re.finditer(p, text)]
    assert found == []


def test_every_picture_is_linked_from_the_readme() -> None:
    readme = (PROJECT / "README.md").read_text("utf-8")
    pictures = sorted((PROJECT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    assert [path.name for path in pictures if f"docs/screenshots/{path.name}" not in readme] == []
