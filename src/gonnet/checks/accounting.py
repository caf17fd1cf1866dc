"""Every row is accounted for: read = delivered + withheld, and the parts add up to the whole."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Control:
    """A control total: one column summed over the whole and over the parts.

    Attributes:
        column: The column.
        whole: Its sum over every row read, straight from the data set.
        delivered: Its sum over the rows as they were laid out in the documents that leave.
        withheld: Its sum over the rows that do not leave.
    """

    column: str
    whole: Decimal
    delivered: Decimal
    withheld: Decimal

    @property
    def agrees(self) -> bool:
        """Whether the parts add up to the whole, exactly."""
        return self.delivered + self.withheld == self.whole


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """The account of a run's rows.

    Attributes:
        read: Rows of the data set that was split.
        delivered: Rows in packages that are ready to leave.
        withheld: Why → rows that do not leave for this reason.
        controls: The control totals.
    """

    read: int
    delivered: int
    withheld: Mapping[str, int]
    controls: tuple[Control, ...]

    @property
    def agrees(self) -> bool:
        """Whether every row is accounted for and every control total agrees."""
        return self.read == self.delivered + sum(self.withheld.values()) and all(part.agrees for part in self.controls)


class Bookkeeper:
    """Collects the account of a run while its packages are made."""

    def __init__(self) -> None:
        self._delivered = 0
        self._withheld: Counter[str] = Counter()
        self._sums: Counter[str] = Counter()
        self._kept: Counter[str] = Counter()

    def deliver(self, rows: int, sums: Mapping[str, Decimal]) -> None:
        """A package leaves: its rows and the sums of its columns, as laid out."""
        self._delivered += rows
        for column, total in sums.items():
            self._sums[column] += total  # type: ignore[assignment]  # counters add any number

    def withhold(self, cause: str, rows: int, sums: Mapping[str, Decimal]) -> None:
        """Rows do not leave."""
        if rows:
            self._withheld[cause] += rows
        for column, total in sums.items():
            self._kept[column] += total  # type: ignore[assignment]

    def close(self, read: int, whole: Mapping[str, Decimal]) -> Account:
        """The account, against what was read."""
        controls = tuple(
            Control(
                column=column,
                whole=total,
                delivered=Decimal(self._sums[column]),
                withheld=Decimal(self._kept[column]),
            )
            for column, total in whole.items()
        )
        return Account(read=read, delivered=self._delivered, withheld=dict(self._withheld), controls=controls)
