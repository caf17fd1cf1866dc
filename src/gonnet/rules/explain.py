"""Why a package is what it is: each rule with its condition and the values that went in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from gonnet.data import Engine, names_in, quoted
from gonnet.errors import DataError
from gonnet.jobs.models import Job
from gonnet.rules.context import NAMES, SEEN
from gonnet.rules.decisions import Decision


@dataclass(frozen=True, slots=True, kw_only=True)
class Reason:
    """What one rule had to say of one package.

    Attributes:
        rule: Its name.
        condition: Its SQL; empty for one that is for all the others.
        values: Name and value of everything in the condition.
        held: Whether it held; None where that is unknown.
        changes: What it changed, in words.
        overridden: What of it a later rule changed again, in words.
        applies: Whether it is for packages of this kind at all.
    """

    rule: str
    condition: str
    values: tuple[tuple[str, object], ...]
    held: bool | None
    changes: tuple[str, ...]
    overridden: tuple[str, ...]
    applies: bool = True


def reasons(
    engine: Engine, job: Job, key: str, decision: Decision, bound: Mapping[str, object], *, is_bundle: bool = False
) -> tuple[Reason, ...]:
    """A reason for each rule, in order.

    Args:
        engine: The engine, after the conditions were evaluated.
        job: The job.
        key: Whose package it is.
        decision: What happens to it.
        bound: Parameters by name.
        is_bundle: Whether it is a bundle.
    """
    figures = ["rows", *job.file.figures]
    return tuple(
        Reason(
            rule=rule.name,
            condition=(rule.when or "").strip(),
            values=tuple(_values(engine, rule.when or "", key, figures, bound)),
            held=step.held,
            changes=step.changes,
            overridden=step.overridden,
            applies=rule.applies in ("all", "bundles" if is_bundle else "keys"),
        )
        for rule, step in zip(job.file.rules, decision.steps, strict=True)
    )


def _values(
    engine: Engine, condition: str, key: str, figures: list[str], bound: Mapping[str, object]
) -> Iterator[tuple[str, object]]:
    """Everything that a condition names, with the value that it has for a key."""
    named = names_in(condition)
    for parameter in named.parameters:
        if parameter in bound:
            yield f"${parameter}", bound[parameter]
    known = {*NAMES, *(figure.casefold() for figure in figures)}
    for path in named.columns:
        if path[0].casefold() not in known or (len(path) == 1 and path[0].casefold() in NAMES):
            continue  # a column of a table that it asks, or a value with all of its fields
        sql = ".".join(map(quoted, path))
        try:
            rows = engine.query(f"select {sql} from {SEEN} where gonnet_key = $gonnet_key", {"gonnet_key": key})
        except DataError:  # it has another meaning there
            continue
        yield ".".join(path), rows[0][0] if rows else None
