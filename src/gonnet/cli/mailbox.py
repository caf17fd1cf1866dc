"""`gonnet mailbox`."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet import private
from gonnet.cli import _options

if TYPE_CHECKING:
    from gonnet.demo.mailserver import Kept

_folder_option = click.option(
    "--folder",
    type=click.Path(file_okay=False, path_type=Path),
    metavar="FOLDER",
    help="The Maildir; by default `mailbox` in the workspace.",
)


@click.group(short_help="A stand-in mail server that keeps what it gets.")
def mailbox() -> None:
    """A stand-in mail server for trying things out: it keeps every message and reaches nobody.

    \b
    Example:  gonnet mailbox serve      (in a second window)
              gonnet mailbox list
              gonnet mailbox show 1
    """


@mailbox.command()
@_folder_option
@click.option("--host", default="127.0.0.1", show_default=True, help="Where to listen.")
@click.option("--port", type=click.IntRange(1, 65535), help="Where to listen; by default as gonnet.yaml says.")
@click.option("--pause", type=click.FloatRange(0, 60), default=0.0, help="Seconds before each answer, to rehearse.")
@_options.workspace_option
def serve(folder: Path | None, host: str, port: int | None, pause: float, workspace: Path | None) -> int:
    """Take messages until stopped with Ctrl-C."""
    from gonnet.cli import _show
    from gonnet.demo.mailserver import serve_forever

    place = _place(folder, workspace)
    number = port or _port(workspace)
    _show.line(f"Listening at {host}:{number}; messages are kept in {place}. Stop with Ctrl-C.")
    try:
        serve_forever(place, host, number, pause)
    except KeyboardInterrupt:
        _show.line("Stopped.")
    return 0


@mailbox.command(name="list")
@_folder_option
@click.option("--to", metavar="ADDRESS", help="Only messages to this address.")
@_options.workspace_option
@_options.json_option
def list_(folder: Path | None, to: str | None, workspace: Path | None, as_json: bool) -> int:
    """List the messages that came, in order of arrival."""
    from gonnet.cli import _show
    from gonnet.demo.mailserver import kept

    found = [message for message in kept(_place(folder, workspace)) if to in (None, message.delivered_to)]
    if as_json:
        click.echo(json.dumps({"messages": [_object(message) for message in found]}, ensure_ascii=False, indent=2))
        return 0
    table = _show.table(("No", "right"), ("For", 44), ("Subject", 50), ("Attachments", "wrap"))
    for message in found:
        files = ", ".join(f"{name} ({_show.size(len(data))})" for name, data in message.attachments())
        subject = str(message.message.get("Subject", ""))
        _show.rows(table, [(str(message.number), message.delivered_to, subject, files)])
    _show.show(table)
    _show.line(f"{_show.many(len(found), 'message')} kept; none went any further.")
    return 0


@mailbox.command()
@click.argument("number", type=int)
@click.option("--save", type=click.Path(file_okay=False, path_type=Path), metavar="FOLDER", help="Save attachments.")
@_folder_option
@_options.workspace_option
def show(number: int, save: Path | None, folder: Path | None, workspace: Path | None) -> int:
    """Show one message, by its number in the list."""
    from gonnet.cli import _show
    from gonnet.demo.mailserver import kept

    found = kept(_place(folder, workspace))
    if not 1 <= number <= len(found):
        raise click.BadParameter(f"there is no message {number}; there are {len(found)}", param_hint="NUMBER")
    message = found[number - 1]
    _show.line(f"For      {message.delivered_to}")
    for name in ("From", "To", "Cc", "Subject", "Date", "Message-ID", "X-Gonnet-Trial"):
        if name in message.message:
            _show.line(f"{name + ' ':<8} {message.message[name]}")
    _show.line()
    for text in message.text().splitlines():
        _show.line(text)
    for name, data in message.attachments():
        _show.line(f"[{name}, {_show.size(len(data))}]", "bold")
        if save is not None:
            private.write(private.folder(save) / Path(name).name, data)
    if save is not None:
        _show.line(f"Attachments saved in {save}")
    return 0


def _object(message: Kept) -> dict[str, object]:
    head = message.message
    return {
        "number": message.number,
        "for": message.delivered_to,
        "to": str(head.get("To", "")),
        "cc": str(head.get("Cc", "")),
        "subject": str(head.get("Subject", "")),
        "message_id": str(head.get("Message-ID", "")),
        "attachments": [{"name": name, "bytes": len(data)} for name, data in message.attachments()],
    }


def _place(folder: Path | None, workspace: Path | None) -> Path:
    if folder is not None:
        return folder
    from gonnet.cli import _open

    return _open.workspace_at(workspace).folder / "mailbox"


def _port(workspace: Path | None) -> int:
    """The port of the workspace's server on this machine, if it names one."""
    from gonnet.cli import _open
    from gonnet.errors import JobError

    try:
        servers = _open.workspace_at(workspace).file.mail_servers.values()
    except JobError:
        return 2525
    return next((server.port for server in servers if server.host in ("127.0.0.1", "localhost", "::1")), 2525)
