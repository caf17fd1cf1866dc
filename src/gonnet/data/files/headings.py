"""Names of columns: from one row or two of a file, and as the job wants them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gonnet.data.engine import Engine, quoted
from gonnet.data.types.target import Target
from gonnet.errors import DataError, meant

_UNNAMED = "\ue001"
"""How the name of a column begins that has none: a character that no script uses."""


def header_rows(header: int | tuple[int, int]) -> tuple[int, int]:
    """The first and the last row with names, from 1; (1, 0) where there is none."""
    first, last = header if isinstance(header, tuple) else (header, header)
    return (first, last) if first else (1, 0)


def joined(rows: Sequence[Sequence[object]], width: int) -> list[str]:
    """The names that one row has, or two above one another; what stands once above several columns belongs to all."""
    cells = [[str(cell if cell is not None else "").strip() for cell in row] for row in rows]
    cells = [[*row, *[""] * (width - len(row))] for row in cells]
    if len(cells) < 2:
        return cells[0] if cells else [""] * width
    above, below = cells[0], cells[-1]
    names, spread = [], ""
    for upper, lower in zip(above, below, strict=True):
        spread = (upper or spread) if lower else ""
        names.append(" ".join(filter(None, dict.fromkeys((upper or spread, lower)))))
    return names


def named(found: Sequence[str], wanted: Mapping[str | int, str | None], file: str, target: Target) -> list[str | None]:
    """What each column is called; None for those that are left out.

    Args:
        found: The names in the file.
        wanted: Name in the file, or number from 1 → the name it gets; nothing leaves it out.
        file: The file.
        target: The data set.

    Raises:
        DataError: two columns have the same name, or the job names one that is not there.
    """
    names: list[str | None] = [name or f"{_UNNAMED}{at}" for at, name in enumerate(found, 1)]
    for key, name in wanted.items():
        names[_place(key, found, file, target)] = name
    seen: dict[str, int] = {}
    for at, name in enumerate(names, 1):
        if name is None:
            continue
        if name.casefold() in seen:
            first = seen[name.casefold()]
            what = f"two columns of {file} are called '{name}': column {first} and column {at}"
            fix = f"Give one of them a name of its own: `columns: {{{at}: …}}`"
            raise DataError(what, where=target.where, fix=fix)
        seen[name.casefold()] = at
    return names


def _place(key: str | int, found: Sequence[str], file: str, target: Target) -> int:
    if isinstance(key, int):
        if not 1 <= key <= len(found):
            what = f"{file} has no column {key}"
            raise DataError(what, where=target.where, fix=f"It has {len(found)} columns")
        return key - 1
    places = [at for at, name in enumerate(found) if name == key]
    if not places:
        fix = meant(key, [name for name in found if name], noun="column")
        raise DataError(f"{file} has no column '{key}'", where=target.where, fix=fix)
    if len(places) > 1:
        numbers = " and ".join(str(at + 1) for at in places)
        fix = f"Name each by its number: `columns: {{{places[0] + 1}: …}}`"
        raise DataError(f"'{key}' stands above several columns of {file}: {numbers}", where=target.where, fix=fix)
    return places[0]


def drop_unnamed(engine: Engine, target: Target, file: str) -> None:
    """Leave out the columns of the table of text that have neither a name nor a value.

    Raises:
        DataError: one has values and no name.
    """
    for column in engine.columns(target.raw):
        if not column.name.startswith(_UNNAMED):
            continue
        name, number = quoted(column.name), column.name.removeprefix(_UNNAMED)
        values = engine.query(f"select {name} from {quoted(target.raw)} where {name} is not null limit 1")
        require_empty(number, [value for (value,) in values], file, target)
        engine.query(f"alter table {quoted(target.raw)} drop column {name}")


def unnamed(name: str | None) -> str | None:
    """The number of a column that has no name; None for one that has."""
    return name.removeprefix(_UNNAMED) if name is not None and name.startswith(_UNNAMED) else None


def require_empty(number: str, values: Sequence[object], file: str, target: Target) -> None:
    """Refuse a column without a name that has values.

    Raises:
        DataError: it has; shows one.
    """
    if values:
        what = f"column {number} of {file} has no name (a value in it: '{values[0]}')"
        fix = f"Name it in the file, or here: `columns: {{{number}: …}}`; `columns: {{{number}: null}}` leaves it out"
        raise DataError(what, where=target.where, fix=fix)
    target.notes.append(f"{file}: column {number} has no name and no value, and is left out")


def require_names(header: Sequence[str], file: str, target: Target) -> None:
    """Refuse names of a source that has them for all columns, where two are alike.

    Raises:
        DataError: two are.
    """
    named(header, {}, file, target)
