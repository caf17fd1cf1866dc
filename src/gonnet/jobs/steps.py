"""Programs that a job runs at the moments of a run."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator

from gonnet.jobs.sections import Name, Section

Moment = Literal["start", "prepared", "package", "sent"]


def _as_program(value: object) -> object:
    if isinstance(value, (dict, list)):
        what = "programs are named in gonnet.yaml: write `programs: {NAME: {run: [PROGRAM, WORD …]}}` there"
        raise ValueError(f"{what}, and NAME here")
    return value


class Step(Section):
    """A program that runs at one moment of every run.

    Attributes:
        program: A program of the workspace, by its name.
        at: When: before the data are read, when everything is made, after each package that was sent, or at the end of
            a send.
        when: SQL over what happened: counts of states, `rows`, and of a package its `state` and `key`; always when
            left out.
        stops: Whether what comes after it is not done where it fails.
    """

    program: Annotated[Name, BeforeValidator(_as_program)]
    at: Moment
    when: str | None = None
    stops: bool = False
