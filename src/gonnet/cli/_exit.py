"""From errors to text and exit codes: the only place that knows them."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import NoReturn

import click

from gonnet.cli._signals import end_in_order
from gonnet.cli._streams import make_steady
from gonnet.errors import GonnetError, StorageError, UnreachableError

DONE = 0
DEFECT = 1
WRONG = 2
ATTENTION = 3
UNREACHABLE = 4
_SHOWN = 50


def run(command: click.Command, words: Sequence[str] | None = None) -> NoReturn:
    """Run the program, with `words` or what was typed; every failure becomes words and a code."""
    make_steady()
    end_in_order()
    try:
        code = command.main(words, prog_name="gonnet", standalone_mode=False)
        sys.exit(code if isinstance(code, int) else DONE)
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message())
        sys.exit(WRONG)
    except click.ClickException as error:
        error.show()
        sys.exit(WRONG)
    except click.Abort:
        click.echo("Stopped; nothing more was done.", err=True)
        sys.exit(WRONG)
    except GonnetError as error:
        tell(error)
        sys.exit(UNREACHABLE if isinstance(error, UnreachableError) else WRONG)
    except KeyboardInterrupt:
        click.echo("Stopped. What was done is recorded; the command can be run again.", err=True)
        sys.exit(WRONG)
    except OSError as error:
        tell(
            StorageError(
                f"{error.strerror or error}", where=str(error.filename or ""), fix="Check the disk and the permissions"
            )
        )
        sys.exit(WRONG)


def tell(error: GonnetError) -> None:
    """Print an error: what is wrong, where, how to put it right; all mistakes of a file, one below the other."""
    mistakes = error.mistakes
    for mistake in mistakes[:_SHOWN]:
        place = click.style(f"{mistake.where}: ", bold=True) if mistake.where else ""
        click.echo(f"{click.style('error:', fg='red', bold=True)} {place}{mistake.what}", err=True)
        if mistake.fix:
            click.echo(f"       {mistake.fix}", err=True)
    if len(mistakes) > 1:
        click.echo(f"{len(mistakes)} mistakes; nothing was done.", err=True)
