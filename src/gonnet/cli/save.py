"""`gonnet save`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _decide, _exit, _options


@click.command(short_help="Save the documents of packages, as they were made.")
@_decide.run_argument
@_decide.keys_argument
@click.option(
    "--into",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(),
    metavar="FOLDER",
    help="Where; this folder when left out.",
)
@_options.workspace_option
def save(run_id: str, keys: tuple[str, ...], into: Path, workspace: Path | None) -> int:
    """Save the documents of packages, byte for byte as they were made; each is checked against its digest.

    \b
    Example:  gonnet save 3 00042 --into desk
    """
    from gonnet.cli import _open, _show
    from gonnet.pipeline.decide import chosen

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        into.mkdir(parents=True, exist_ok=True)
        for package in chosen(run, tools, keys):
            for document in package.documents:
                target = into / document.name
                data = tools.store.get(document.sha256)
                if target.exists() and target.read_bytes() != data:
                    raise click.UsageError(f"{target} is there already, and is another file")
                target.write_bytes(data)
                _show.line(f"{target}")
    return _exit.DONE
