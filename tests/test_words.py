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
    r"\bapart by\b",
    r"too large all the same",
    r"stands? behind",
    r"has the last word",
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


def test_every_page_is_in_the_index_begins_with_an_example_and_links_to_what_is_there() -> None:
    index = (PROJECT / "docs" / "README.md").read_text("utf-8")
    heads = {path.name: path.read_text("utf-8") for path in (PROJECT / "docs").glob("*.md")}
    anchors = {
        name: {re.sub(r"[^a-z0-9 -]", "", line.lstrip("# ").lower()).replace(" ", "-") for line in text.splitlines() if line.startswith("#")}
        for name, text in heads.items()
    }  # fmt: skip
    for name, text in heads.items():
        if name != "README.md":
            assert f"]({name})" in index, f"{name} is not in the index"
        if name not in (
            "README.md",
            "glossary.md",
            "job-reference.md",
            "performance.md",
            "architecture.md",
            "workspace.md",
        ):
            assert text.splitlines()[2].startswith("```"), f"{name} does not begin with an example"
        for target in re.findall(r"\]\(([^)\s]+)\)", re.sub(r"```.*?```", "", text, flags=re.DOTALL)):
            file, _, anchor = target.partition("#")
            if not target.startswith("http") and "{{" not in target:
                assert not file or (PROJECT / "docs" / file).exists(), f"{name} links to {target}"
                assert not anchor or anchor in anchors[file or name], f"{name} links to {target}"


def test_every_picture_is_linked_from_the_readme() -> None:
    readme = (PROJECT / "README.md").read_text("utf-8")
    pictures = sorted((PROJECT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    assert [path.name for path in pictures if f"docs/screenshots/{path.name}" not in readme] == []
