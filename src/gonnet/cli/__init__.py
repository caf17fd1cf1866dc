"""The commands: parse, call, print. Nothing else prints, prompts or exits.

Importing this package imports click and nothing heavy; a command's module is imported when it is called.
"""

from __future__ import annotations

import gc
import importlib

import click

from gonnet import __version__
from gonnet.cli import _exit
from gonnet.errors import nearest

_OBJECTS = 50_000  # made between two searches for those that nothing refers to any more

COMMANDS = {
    "demo": "Make a made-up cooperative and walk one run through it.",
    "new": "Write a job for a table of your own.",
    "check": "Look at a job and its data before anything is made.",
    "rows": "Look at the data: columns, gaps, ranges, totals, first rows.",
    "pages": "Try out whose the pages of an arrival are.",
    "keys": "See every key: rows, figures, who gets it, what would become of it.",
    "explain": "Ask why one recipient gets what they get.",
    "preview": "Make a few packages to look at, without a run.",
    "prepare": "Make every recipient's package. Contacts nobody.",
    "review": "See every package of a run before anything leaves.",
    "amend": "Change packages before they leave: addresses, words, one more file.",
    "hold": "Hold packages of a run: they do not leave.",
    "release": "Release packages that are held.",
    "skip": "Leave packages out of a run.",
    "approve": "Say yes to a run that others prepared.",
    "send": "Hand over what is ready, and only that.",
    "run": "Prepare and send in one go.",
    "runs": "List the runs there were.",
    "show": "See one run, or one recipient's package, in full.",
    "settle": "Say what became of a doubt, a refusal or a draft.",
    "resend": "Send packages again.",
    "save": "Save the documents of packages, as they were made.",
    "verify": "Check that the record is whole and true.",
    "tidy": "Remove the documents of old runs.",
    "jobs": "List the jobs: when each runs next, and how it went.",
    "due": "See and run what is due by the calendar.",
    "pause": "Let the calendar leave a job alone.",
    "resume": "Let the calendar run a paused job again.",
    "schema": "Print what editors need to know of job files.",
    "mailbox": "A stand-in mail server that keeps what it gets.",
}


class LazyGroup(click.Group):
    """A group whose commands are imported when they are called; the help needs only their names."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The commands in the order of the work."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command `cmd_name`, or None."""
        if cmd_name not in COMMANDS:
            return None
        command = getattr(importlib.import_module(f"gonnet.cli.{cmd_name}"), cmd_name)
        assert isinstance(command, click.Command)
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that was typed; a misspelt one is told with the one that was probably meant."""
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            close = nearest(args[0], COMMANDS)
            hint = f"Did you mean 'gonnet {close}'?" if close else "`gonnet --help` lists the commands."
            raise click.UsageError(f"there is no command '{args[0]}'. {hint}", ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The list of commands, from the table above."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=LazyGroup, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="gonnet")
def gonnet() -> None:
    """Split one report run by recipient, look at every part, and mail each person only their own.

    \b
    Begin with:   gonnet demo
    Then yours:   gonnet new NAME --rows FILE --by COLUMN
                  gonnet prepare NAME
                  gonnet review
    """


def main() -> None:
    """The entry point of the `gonnet` command."""
    gc.set_threshold(_OBJECTS, 20, 100)  # a run has hundreds of thousands that live to its end, and no circles
    _exit.run(gonnet)
