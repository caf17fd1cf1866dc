"""What the leak check finds of an attack: `python tools/leaks.py`, with each miss; needs the tests beside it.

A victim's values are written in every spelling of `tests/attacks.py`, at every place, in every format; files of other
programs come from `tests/enclosed.py`; lists of real words from `tests/everyday.py`.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterable, Mapping
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import attacks
import enclosed
import everyday
from gonnet.checks import Identity, Watch, read_any


def main() -> None:
    """Print how many combinations are found, missed and cannot be searched."""
    _attacks("values of a victim", attacks.SPELLINGS)
    _attacks("texts that only look like them", attacks.INNOCENT)
    _enclosures()
    for called, words in everyday.LISTS.items():
        _words(called, words)


def _reviewed(files: Iterable[tuple[str, str]], job: str) -> str:
    with tempfile.TemporaryDirectory() as folder:
        for name, text in files:
            place = Path(folder) / name
            place.parent.mkdir(exist_ok=True)
            place.write_text(text, "utf-8")
        program = [sys.executable, "-c", "from gonnet.cli import main; main()"]
        subprocess.run([*program, "prepare", job, "--as-of", "2026-11-05", "--quiet"], cwd=folder, capture_output=True)
        return subprocess.run([*program, "review", "--json"], cwd=folder, capture_output=True, text=True).stdout


def _attacks(called: str, spellings: Mapping[str, str]) -> None:
    tried = attacks.attacks(spellings)
    verdicts = attacks.verdicts(tried, _reviewed(attacks.files(tried), "attack"))
    _print(f"{called}: {len(spellings)} spellings, {len(attacks.PLACES)} places", Counter(verdicts.values()))
    for attack, verdict in verdicts.items():
        if verdict == "missed" and spellings is attacks.SPELLINGS:
            print("   missed:", *attack, sep="  ")


def _enclosures() -> None:
    key = attacks.VICTIM["farm_no"]
    watch = Watch([Identity(key=key, values=(("key", key),))])
    found: Counter[str] = Counter()
    for name, make in {**enclosed.FOUND, **enclosed.UNSEARCHED}.items():
        read = read_any(make(key), name)
        hits = watch.search(("other",), name, read, is_fixed=True)
        verdict = "found" if hits else "not searched, and told" if read.unsearched else "missed"
        found[verdict] += 1
        if verdict == "missed":
            print("   missed:", name)
    _print("enclosures", found)


def _words(called: str, words: Iterable[str]) -> None:
    listed = list(words)
    for are_names in (False, True):
        files = [("gonnet.yaml", attacks.SETTINGS), *everyday.files(listed, listed[3], are_names=are_names)]
        packages = json.loads(_reviewed(files, "lively"))["packages"]
        first = "K00000" if are_names else listed[0]
        held = [package["key"] for package in packages if package["state"] == "held"]
        counted = Counter(
            {"of one planted found": held.count(first), "held without a reason": len(held) - held.count(first)}
        )
        _print(f"{called} as {'names' if are_names else 'keys'}: {len(packages)} packages", counted)


def _print(what: str, found: Counter[str]) -> None:
    print(f"{what}: " + ", ".join(f"{count:,} {verdict}" for verdict, count in found.items()), flush=True)


if __name__ == "__main__":
    main()
