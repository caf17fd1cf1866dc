"""How things look in a terminal."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from decimal import Decimal, InvalidOperation

import click
from rich import box
from rich.cells import cell_len
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn
from rich.table import Table
from rich.text import Text

_WRAPPED = 20  # characters that a column which wraps has at least, where there is room
_EXACT = 10  # decimals that an exact figure may have; a quotient has more
_STYLES = {
    "ready": "green",
    "held": "bold dark_orange",
    "skipped": "bright_black",
    "sent": "green",
    "failed": "bold red",
    "unsure": "bold magenta",
    "attention": "bold dark_orange",
    "note": "bright_black",
}


def console() -> Console:
    """Where results go; wide enough to keep a line together when nobody looks at it directly."""
    return Console(highlight=False, markup=False, emoji=False, width=None if sys.stdout.isatty() else 150)


def safe(text: object) -> str:
    """Text that cannot steer the terminal, whatever a name or a server's answer contains."""
    # The blanks that stand between the digits of some languages are blanks, whatever their kind.
    return "".join(sign if sign.isprintable() else " " if sign.isspace() else "�" for sign in str(text))


def line(text: str = "", style: str = "") -> None:
    """Print one line of our own words, which may contain values."""
    console().print(Text(safe(text), style=style), soft_wrap=True)


def state(word: str, text: str | None = None) -> Text:
    """A state in its colour; the word is always there too."""
    return Text(safe(text if text is not None else word), style=_STYLES.get(word, ""))


def stated(word: str, text: str, *, indent: str = "  ") -> None:
    """Print a line that begins with a state."""
    head = (f"{indent}{word:<8}", _STYLES.get(word, ""))
    console().print(Text.assemble(head, safe(text)), soft_wrap=True)


def table(*columns: str | tuple[str, str | int]) -> Table:
    """A plain table whose cells stay on one line.

    A column given as (heading, "right") has its values on the right; one given as (heading, number) is at most so
    many characters wide; one given as (heading, "wrap") takes what room is left, and wraps.
    """
    found = Table(box=box.SIMPLE_HEAD, pad_edge=False, header_style="bold")
    for column in columns:
        heading, form = (column, "left") if isinstance(column, str) else column
        found.add_column(
            heading,
            justify="right" if form == "right" else "left",
            overflow="fold" if form in ("wrap", "key") else "ellipsis",
            no_wrap=form not in ("wrap", "key"),
            max_width=form if isinstance(form, int) else None,
            min_width=_WRAPPED if form == "wrap" else None,
            footer="key" if form == "key" else "",  # never shown: it marks the column
        )
    return found


def rows(target: Table, lines: Iterable[Sequence[Text | str]]) -> None:
    """Fill a table; texts are made safe."""
    for cells in lines:
        target.add_row(*(cell if isinstance(cell, Text) else Text(safe(cell)) for cell in cells))


def show(target: Table, least: Sequence[str] = ()) -> None:
    """Print a table; on a narrow terminal without the columns that matter least.

    Args:
        target: The table.
        least: Headings of columns that may be left out, what matters least first.
    """
    screen = console()
    for column in target.columns:
        if column.footer == "key":
            longest = max((cell_len(str(cell)) for cell in column.cells), default=0)
            column.min_width = min(longest, max(8, screen.width - 30))
            for other in target.columns:
                if other.min_width == _WRAPPED:
                    other.min_width = max(10, min(_WRAPPED, screen.width - column.min_width - 16))
    for heading in least:
        if _wanted(target, screen) <= screen.width:
            break
        target.columns[:] = [column for column in target.columns if column.header != heading]
        for at, column in enumerate(target.columns):
            column._index = at
    screen.print(target)


def _wanted(target: Table, screen: Console) -> int:
    """How wide a table wants to be, where columns that wrap have their least width."""
    whole = screen.measure(target, options=screen.options.update(width=10_000)).maximum
    for column in target.columns:
        if column.min_width is not None and column.footer != "key":
            widest = max((cell_len(str(cell)) for cell in column.cells), default=0)
            whole -= max(0, widest - column.min_width)
    return whole


def size(count: int) -> str:
    """A file size as people say it."""
    return f"{count / 1000:.0f} kB" if count < 1_000_000 else f"{count / 1_000_000:.1f} MB"


def amount(text: object) -> str:
    """A figure with its thousands apart, a quotient with four decimals; what is no number stays as it is."""
    try:
        value = Decimal(str(text))
    except InvalidOperation:
        return str(text)
    if not value.is_finite():
        return str(text)
    places = -int(value.as_tuple().exponent)
    return f"{round(value, 4) if places > _EXACT else value:,f}"


def many(count: int, noun: str) -> str:
    """`1 row`, `2 rows`."""
    if count == 1:
        return f"1 {noun}"
    plural = (
        f"{noun[:-1]}ies"
        if noun.endswith("y") and noun[-2] not in "aeiou"
        else f"{noun}{'es' if noun.endswith('s') else 's'}"
    )
    return f"{count:,} {plural}"


def sample(columns: Sequence[tuple[str, str | int]], lines: Sequence[Sequence[str]]) -> None:
    """Rows of a table with more columns than there is room for: those that fit, and the names of the others."""
    widths = [max(len(name), *(min(len(line[at]), 24) for line in lines)) for at, (name, _) in enumerate(columns)]
    room, fitting = console().width, 0
    while fitting < len(columns) and (room := room - widths[fitting] - 3) >= 0:
        fitting += 1
    fitting = max(fitting, min(3, len(columns)))
    target = table(*columns[:fitting])
    rows(target, (line_[:fitting] for line_ in lines))
    show(target)
    if others := [name for name, _ in columns[fitting:]]:
        line(f"… and {many(len(others), 'more column')}: {', '.join(others)}", "bright_black")


def names(title: str, found: Sequence[str]) -> None:
    """Names of one kind, a line each."""
    line(title, "bold")
    for name in found or ["(none)"]:
        line(f"  {name}")


def next_steps(*steps: tuple[str, str]) -> None:
    """What to type next, and what for."""
    if not steps:
        return
    width = max(len(command) for command, _ in steps)
    line()
    for number, (command, purpose) in enumerate(steps):
        line(f"{'Next:' if number == 0 else '     '} {command:<{width}}   {purpose}")


@contextmanager
def progress(label: str, *, quiet: bool) -> Iterator[Callable[[int, int], None]]:
    """A bar on standard error, which goes when the work is done; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield lambda _done, _total: None
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


def confirmed(question: str, *, yes: bool) -> bool:
    """Whether the operator agrees; without a terminal there is nobody to ask, and only --yes will do."""
    if yes:
        return True
    if not sys.stdin.isatty():
        raise click.UsageError("there is no terminal to ask at; say --yes to go on without a question")
    return click.confirm(question, default=False)


def counted(question: str, number: int, *, yes: bool) -> bool:
    """Whether the operator agrees to something large: they type how many, so that nobody agrees by habit."""
    if yes:
        return True
    if not sys.stdin.isatty():
        raise click.UsageError("there is no terminal to ask at; say --yes to go on without a question")
    said = click.prompt(f"{question} Type the number of messages", default="", show_default=False)
    return str(said).replace(",", "").strip() == str(number)
