"""The packages of a run as a table in the terminal."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from gonnet.cli import _show

if TYPE_CHECKING:
    from rich.text import Text

    from gonnet.ledger import PackageRecord
    from gonnet.pipeline.reviewing.comparison import Comparison
    from gonnet.pipeline.reviewing.listing import Page

_ODD = 60  # characters; what is held stands in full above the table
_GONE = 5  # names of those who are gone


def show(packages: Sequence[PackageRecord], changes: Mapping[str, Sequence[str]], *, several: bool) -> None:
    """Print a line for each package.

    Args:
        packages: The packages.
        changes: Key → what is otherwise than in the run before.
        several: Whether the messages of the run have different subjects.
    """
    width = _show.console().width - (27 if several else 0)
    room = 3 if width >= 185 else 2 if width >= 168 else 1 if width >= 125 else 0
    figures = [name for name in (packages[0].figures if packages else {}) if name != "rows"][:room]
    headings: list[str | tuple[str, str | int]] = [
        "State",
        ("Key", "key"),
        ("Name", 20),
        ("To", 36),
        ("+", "right"),
        ("Rows", "right"),
    ]
    headings += ["Documents", *((name, "right") for name in figures)]
    by_ways = len({package.ways for package in packages if package.hand_overs}) > 1
    headings += [("Way", 16)] if by_ways else []
    headings += [("Message", 24)] if several else []
    table = _show.table(*headings, ("Odd or changed", "wrap"))
    for package in packages:
        cells = _cells(package, figures, changes.get(package.key, ()), several=several, by_ways=by_ways)
        _show.rows(table, [cells])
    _show.show(table, least=("Message", *reversed(figures), "Way", "Documents", "+", "Rows", "To", "Name"))


def rest(page: Page[Any]) -> None:
    """Print what is on the other pages, counted, and how to see it."""
    if page.pages > 1:
        counted = ", ".join(f"{count:,} {state}" for state, count in page.rest.items())
        other = page.number + 1 if page.number < page.pages else 1
        _show.line(f"Page {page.number:,} of {page.pages:,}; on the others: {counted}. Add `--page {other}`.")


def against(found: Comparison) -> None:
    """Print what is otherwise than in the run before, counted; who is gone by name, since no line tells it."""
    gone = ", ".join(f"{package.key} {package.name}" for package in found.gone[:_GONE])
    more = f" and {len(found.gone) - _GONE:,} more" if len(found.gone) > _GONE else ""
    moved = len({part.key for part in found.moved})
    parts = [
        f"{len(found.new):,} new" if found.new else "",
        f"{len(found.gone):,} gone ({gone}{more})" if found.gone else "",
        f"{len(found.readdressed):,} with another address" if found.readdressed else "",
        f"{moved:,} with a figure that moved by {100 * found.least:.0f} % or more" if moved else "",
    ]
    said = "; ".join(part for part in parts if part)
    nothing = f"nobody is new, gone or has another address, and no figure moved by {100 * found.least:.0f} % or more"
    _show.line(f"Against  run {found.run}: {said or nothing}")


def _cells(
    package: PackageRecord, figures: Sequence[str], changes: Sequence[str], *, several: bool, by_ways: bool
) -> list[Text | str]:
    copies = sum(len(message.cc) + len(message.bcc) for message in package.messages)
    more = max(len(package.to) - 1, 0) + copies
    documents = ", ".join(
        f"{d.format} {f'{d.pages} p ' if d.pages else ''}{_show.size(d.bytes)}" for d in package.documents
    )
    reason = package.reason if str(package.state) == "skipped" else ""  # the others stand above the table
    odd = "; ".join(part for part in (reason, *package.odd, *changes) if part)
    cells: list[Text | str] = [
        _show.state(str(package.state), package.came_to),
        package.key,
        package.name,
        package.to[0] if package.to else _folder(package),
        f"+{more}" if more else "",
        f"{package.rows:,}",
        documents,
    ]
    cells += [_show.amount(package.figures.get(name, "")) for name in figures]
    if by_ways:
        cells.append(", ".join(package.ways))
    if several:
        cells.append("; ".join(dict.fromkeys(message.subject for message in package.messages)))
    return [*cells, odd if len(odd) <= _ODD else odd[: _ODD - 1] + "…"]


def _folder(package: PackageRecord) -> str:
    part = next(iter(package.placed), None)
    if part is None:
        return "nobody"
    return f"{part.target.kind} {part.target.name}: {part.target.place.rpartition('/')[0]}".rstrip(": ")
