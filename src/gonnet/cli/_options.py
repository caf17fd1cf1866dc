"""Options that mean the same in every command."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

from gonnet.cli import _completing
from gonnet.given import Repeated

F = TypeVar("F", bound=Callable[..., Any])


def as_date(_context: click.Context, _parameter: click.Parameter, value: str | None) -> dt.date | None:
    """A date."""
    if value is None:
        return None
    try:
        return dt.date.fromisoformat(value)
    except ValueError as error:
        raise click.BadParameter(f"'{value}' is not a date; write one such as 2026-10-31") from error


def as_moment(_context: click.Context, _parameter: click.Parameter, value: str | None) -> dt.datetime | None:
    """A date, or a date with a time, without a zone."""
    if value is None:
        return None
    try:
        return dt.datetime.fromisoformat(value).replace(tzinfo=None)
    except ValueError as error:
        raise click.BadParameter(f"'{value}' is no time; write one such as 2026-12-01 or '2026-12-01 08:00'") from error


def _pairs(_context: click.Context, _parameter: click.Parameter, values: tuple[str, ...]) -> dict[str, str]:
    found: dict[str, str] = {}
    for value in values:
        name, sign, text = value.partition("=")
        if not sign or not name:
            raise click.BadParameter(f"'{value}' is not NAME=VALUE")
        before = found.get(name)
        parts = before.parts if isinstance(before, Repeated) else (before,) if before is not None else ()
        found[name] = Repeated(*parts, text) if parts else text
    return found


def _together(*options: Callable[[F], F]) -> Callable[[F], F]:
    def decorate(function: F) -> F:
        for option in reversed(options):
            function = option(function)
        return function

    return decorate


STATES = ("unsure", "failed", "held", "ready", "sent", "skipped")
"""States of packages, what needs a decision first."""
OPEN = frozenset(STATES[:3])
"""Those in which a package wants a decision, as words."""

workspace_option = click.option(
    "--workspace",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    metavar="DIR",
    help="The workspace; by default this folder, or the nearest one above it with gonnet.yaml.",
)
only_option = click.option(
    "--only",
    multiple=True,
    metavar="KEY",
    shell_complete=_completing.keys,
    help="Only this key; or 'P-01*', P-0101..P-0103, @keys.txt; of a job 'where payable > 100'. You can repeat it.",
)
once_options = _together(
    click.option(
        "--as",
        "form",
        type=click.Choice(["pdf", "xlsx", "csv", "html", "txt", "docx", "ods"]),
        help="Every document as this.",
    ),
    click.option("--language", metavar="TAG", help="Every text in this language."),
    click.option("--paper", type=click.Choice(["A3", "A4", "A5", "Letter", "Legal"]), help="Every page on it."),
    click.option("--landscape", is_flag=True, help="Every page on its side."),
)
extra_option = click.option(
    "--extra",
    is_flag=True,
    help="Made because somebody asked: nobody is left out of the regular run for it, and nothing is compared with it.",
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print one JSON object and nothing else.")
yes_option = click.option("--yes", is_flag=True, help="Do not ask before sending.")
again_option = click.option("--again", is_flag=True, help="Also send what another run sent for the same period.")
copy_option = click.option(
    "--from-copy", is_flag=True, help="Send from a copy of a workspace, or from one restored from a backup."
)
list_options = _together(
    click.option("--page", "number", type=click.IntRange(min=1), default=1, help="Which page of the list."),
    click.option(
        "--lines", type=click.IntRange(min=0), default=50, show_default=True, help="Packages on a page; 0 for all."
    ),
)
quiet_option = click.option("--quiet", is_flag=True, help="Print only what needs attention.")
set_option = click.option(
    "--set",
    "asked",
    multiple=True,
    metavar="NAME=VALUE",
    callback=_pairs,
    shell_complete=_completing.parameters,
    help="Give a parameter its value.",
)
asked_options = _together(
    set_option,
    click.option("--as-of", metavar="DATE", callback=as_date, help="The date of the run; by default today."),
)
run_argument = click.argument("run_id", metavar="[RUN]", default="last", shell_complete=_completing.runs)
