"""A job that is like another: what it does not say itself is as there, so a change of wording is made once."""

from __future__ import annotations

from collections.abc import Mapping

from gonnet.errors import JobError, meant
from gonnet.jobs.positions import Place, Positions

KEYS = ("like", "set", "where")
_OWN = ("calendar", "about", "tags")  # of each job alone
_LEFT_OUT = "not of this job, by its `where`"
Part = tuple[Mapping[str, object], Positions]


def joined(own: Part, base: Part, shown: str, base_shown: str) -> tuple[dict[str, object], Positions]:
    """A job's own part over that of the job which it is like.

    `set` gives parameters of that job another default; `where` is SQL as in the conditions of rules, and leaves out
    everybody for whom it does not hold.

    Args:
        own: What the job says itself, and where.
        base: What the other says, and where.
        shown: The file of the job.
        base_shown: The file of the other.

    Raises:
        JobError: `set` names no parameter, or `where` is no text.
    """
    tree, positions = own
    found: dict[str, object] = {name: part for name, part in base[0].items() if name not in _OWN}
    files = {name: base_shown for name in found} | dict(base[1].files)
    mine = {name: part for name, part in tree.items() if name not in KEYS}
    found |= mine
    files = {name: file for name, file in files.items() if name not in mine}
    values = {place: at for place, at in base[1].values.items() if place[:1] and place[0] in files}
    keys = {place: at for place, at in base[1].keys.items() if place[:1] and place[0] in files}
    joint = Positions(values=values | positions.values, keys=keys | positions.keys, files=files)
    if "set" in tree:
        found["parameters"] = _fixed(found.get("parameters"), tree["set"], positions, shown)
    if "where" in tree:
        found["rules"] = [_rule(tree["where"], positions, shown), *_listed(found.get("rules"))]
        joint = _moved(joint, positions, shown)
    return found, joint


def _fixed(parameters: object, given: object, positions: Positions, shown: str) -> dict[str, object]:
    known = dict(parameters) if isinstance(parameters, Mapping) else {}
    for name, value in given.items() if isinstance(given, Mapping) else ():
        if not isinstance(known.get(name), Mapping):
            where = _at(positions, shown, "set", str(name))
            fix = meant(str(name), [str(one) for one in known], noun="parameter")
            raise JobError(f"this job has no parameter '{name}'", where=where, fix=fix)
        known[name] = {**known[name], "default": value}
    return known


def _rule(condition: object, positions: Positions, shown: str) -> dict[str, object]:
    if not isinstance(condition, str) or not condition.strip():
        where = _at(positions, shown, "where")
        raise JobError("`where` is SQL, such as recipient.region = 'north'", where=where, fix="Write it as a text")
    return {"name": "where", "for": "all", "when": f"({condition}\n) is not true", "skip": _LEFT_OUT}


def _listed(rules: object) -> list[object]:
    return list(rules) if isinstance(rules, list) else []


def _moved(found: Positions, positions: Positions, shown: str) -> Positions:
    """The positions with that of `where` as the first rule, and the other rules one place further."""

    def moved(places: Mapping[Place, tuple[int, int]]) -> dict[Place, tuple[int, int]]:
        return {_further(place): at for place, at in places.items()}

    at = positions.of(("where",))
    values = moved(found.values) | {("rules", 0): at, ("rules", 0, "when"): at}
    keys = moved(found.keys) | {("rules", 0, "when"): at}
    return Positions(values=values, keys=keys, files=found.files, alone={("rules", 0): shown})


def _further(place: Place) -> Place:
    if len(place) > 1 and place[0] == "rules" and isinstance(place[1], int):
        return ("rules", place[1] + 1, *place[2:])
    return place


def _at(positions: Positions, shown: str, *place: str) -> str:
    line, column = positions.of(place)
    return f"{shown}:{line}:{column}"
