"""What a shell offers while a command is typed: jobs, runs, keys with names, parameters, states."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import click
from click.shell_completion import CompletionItem

from gonnet.glimpse import Glimpse


def jobs(ctx: click.Context, _parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The jobs of the workspace."""
    seen = _seen(ctx)
    return _like(seen.jobs() if seen else [], incomplete)


def runs(ctx: click.Context, _parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The newest runs, and the jobs, whose newest run they mean."""
    seen = _seen(ctx)
    return _like([("last", "the newest run"), *seen.runs(), *seen.jobs()] if seen else [], incomplete)


def keys(ctx: click.Context, _parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The keys of the run that was typed, or of the newest one of the job."""
    seen = _seen(ctx)
    run = _said(ctx, "run_id", "subject", "job") or "last"
    return _like(seen.keys(run, incomplete) if seen else [], incomplete)


def datasets(ctx: click.Context, _parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The data sets of the job that was typed."""
    seen = _seen(ctx)
    return _like([(name, "") for name in seen.datasets(_said(ctx, "job"))] if seen else [], incomplete)


def parameters(ctx: click.Context, _parameter: click.Parameter, incomplete: str) -> list[CompletionItem]:
    """The parameters of the job that was typed, and their choices behind `=`."""
    seen = _seen(ctx)
    known = seen.parameters(_said(ctx, "like", "job")) if seen else {}
    name, sign, _ = incomplete.partition("=")
    if sign:
        return _like([(f"{name}={choice}", "") for choice in known.get(name, [])], incomplete)
    return _like([(f"{parameter}=", "") for parameter in known], incomplete)


def _said(ctx: click.Context, *names: str) -> str:
    """What was typed for one of these; while a value of an option is typed, click has not taken the words apart yet."""
    given = next((str(ctx.params[name]) for name in names if ctx.params.get(name)), "")
    return given or next((word for word in ctx.args if not word.startswith("-")), "")


def _seen(ctx: click.Context) -> Glimpse | None:
    named = ctx.params.get("workspace")
    return Glimpse.near(Path(named).absolute() if named else Path.cwd())


def _like(found: Iterable[tuple[str, str]], incomplete: str) -> list[CompletionItem]:
    return [CompletionItem(value, help=text or None) for value, text in found if value.startswith(incomplete)]
