"""Looking at a few packages before there is a run."""

from __future__ import annotations

from typing import Any

import pytest

from support import Dairy

LETTER = "Dear Zoë's Dairy,\n\npayable: €1,165.95"


def listed(dairy: Dairy, *words: str, code: int = 0) -> Any:  # noqa: ANN401
    return dairy.json("preview", "statements", "--as-of", "2026-11-05", *words, code=code)


def test_without_a_key_it_takes_telling_packages_and_records_nothing(dairy: Dairy) -> None:
    dairy.job()
    found = {sample["key"]: sample for sample in listed(dairy)}
    assert {key: (sample["state"], sample["why"]) for key, sample in found.items()} == {
        "00042": ("ready", "the most rows, the longest name, one that is ready"),
        "118": ("held", "the fewest rows, one that is held: rule"),
        "119": ("skipped", "one that is skipped: rule"),
    }
    assert found["118"]["reason"] == "more than the tank holds"
    assert found["00042"]["message"].startswith(LETTER)
    assert dairy.json("runs") == {"runs": [], "never_run": []}
    assert not (dairy.folder / ".gonnet" / "store").exists()


def test_it_makes_exactly_what_prepare_makes(dairy: Dairy) -> None:
    dairy.job()
    (sample,) = listed(dairy, "--only", "117", "--into", "look")
    with dairy.tools() as tools:
        package = dairy.by_key(tools, dairy.prepared(tools))["117"]
        kept = [(f"look/{document.name}", tools.store.get(document.sha256)) for document in package.documents]
    assert [(name, (dairy.folder / name).read_bytes()) for name in sample["files"]] == kept


@pytest.mark.parametrize(
    ("form", "endings"), [("pdf", [".pdf"] * 2), ("xlsx", [".xlsx"] * 2), ("png", [" page 1.png"] * 2)]
)
def test_one_format_or_pictures_of_the_pages(dairy: Dairy, form: str, endings: list[str]) -> None:
    dairy.job()
    files = [file for sample in listed(dairy, "--first", "2", "--as", form) for file in sample["files"]]
    assert [
        file[len("preview/") + len(f"{key} statement") :] for file, key in zip(files, ("00042", "117"), strict=True)
    ] == endings
    head = {"pdf": b"%PDF-", "xlsx": b"PK", "png": b"\x89PNG"}[form]
    assert all((dairy.folder / file).read_bytes().startswith(head) for file in files)


def test_a_folder_that_cannot_be_written_is_told(dairy: Dairy) -> None:
    dairy.job()
    dairy.write("preview", "a file stands in the way")
    found = dairy.gonnet("preview", "statements", code=None)
    assert found.returncode != 0
    assert "Traceback" not in found.stderr
    assert "preview" in found.stderr
