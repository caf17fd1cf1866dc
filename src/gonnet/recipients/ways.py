"""The ways of a job as its lists name them: which there are, and which of them need an address."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from gonnet.jobs.ways import Way


@dataclass(frozen=True, slots=True, kw_only=True)
class Ways:
    """The ways of a job.

    Attributes:
        names: What they are called, in the order of the job.
        usual: Those that are taken where nobody says one.
        mailing: Those that need an address.
    """

    names: tuple[str, ...] = ()
    usual: tuple[str, ...] = ()
    mailing: frozenset[str] = frozenset()

    @classmethod
    def of(cls, ways: Sequence[Way]) -> Ways:
        """Those that a job lists."""
        return cls(
            names=tuple(way.called for way in ways),
            usual=tuple(way.called for way in ways if not way.optional),
            mailing=frozenset(way.called for way in ways if way.email is not None),
        )

    def named(self, said: Iterable[str], problems: list[str]) -> tuple[str, ...]:
        """Those that are meant, in the order of the job; what is none of them is a problem."""
        by_form = {name.casefold(): name for name in self.names}
        found = set()
        for name in said:
            if name.casefold() in by_form:
                found.add(by_form[name.casefold()])
            else:
                there = f"the job has {', '.join(self.names)}" if self.names else "the job delivers nothing"
                problems.append(f"'{name}' is no way to deliver: {there}")
        return tuple(name for name in self.names if name in found)

    def needs_address(self, taken: Sequence[str]) -> bool:
        """Whether who gets something by these ways, or by the usual ones, must have an address."""
        ways = taken or self.usual
        return not ways or not self.mailing.isdisjoint(ways)


def listed(cell: object) -> list[str]:
    """The parts of a cell or a value that names several, separated by `;`."""
    parts = cell if isinstance(cell, list | tuple) else (cell,)
    return [name.strip() for part in parts if part is not None for name in str(part).split(";") if name.strip()]


def filled(names: Sequence[str], values: Mapping[str, object]) -> tuple[str, ...]:
    """The names, those that parameters say (`$name`) in their place."""
    found = (listed(values[name.removeprefix("$")]) if name.startswith("$") else (name,) for name in names)
    return tuple(name for part in found for name in part)
