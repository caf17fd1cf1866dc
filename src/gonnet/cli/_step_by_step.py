"""Asking for a first job at a terminal."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _show
from gonnet.errors import meant

if TYPE_CHECKING:
    from gonnet.pipeline.starting.table import Asked

_OFFERED = 6


def ask(folder: Path, name: str | None) -> Asked:
    """Everything that a person says of a first job."""
    from gonnet.pipeline.starting.interview import interview

    _show.line("Enter takes the answer in brackets.", "bright_black")
    return interview(folder, name, _Terminal())


class _Terminal:
    """A person at a terminal."""

    def ask(self, question: str, choices: Sequence[str], default: str) -> str:
        """One of the choices, asked for until it is one."""
        if choices and len(choices) <= _OFFERED:
            question = f"{question} ({', '.join(choices)})"
        while True:
            answer = str(click.prompt(question, default=default or None, prompt_suffix=": ")).strip()
            if not choices or answer in choices:
                return answer
            _show.line(f"! '{answer}' is none of them. {meant(answer, list(choices), noun='choice')}")

    def show(self, title: str, names: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
        """The first rows of a table."""
        _show.line()
        _show.line(title, "bold")
        _show.sample([(name, 24) for name in names], rows)

    def say(self, text: str) -> None:
        """Something to know."""
        _show.line(text, "bright_black")
