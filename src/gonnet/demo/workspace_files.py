"""Writing the demo's workspace into a folder."""

from __future__ import annotations

import socket
from importlib import resources
from pathlib import Path

from gonnet import schemas
from gonnet.demo import circles, cooperative, laboratory, logo, vet
from gonnet.errors import StorageError

USUAL_PORT = 2525
_JOBS = (
    "statements",
    "notice",
    "reminders",
    "gallery",
    "advisers",
    "board",
    "pack",
    "certificates",
    "tank_checks",
    "regions",
)


def write_workspace(folder: Path) -> int:
    """Write the cooperative's workspace into `folder`; returns the port of its stand-in server.

    Raises:
        StorageError: the folder is not empty, or cannot be written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise StorageError("this folder is not empty", where=str(folder), fix="Name another one")
    port = free_port()
    source = resources.files("gonnet.demo") / "workspace"
    for name in ("gonnet.yaml", *(f"jobs/{job}.yaml" for job in _JOBS)):
        place = folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        kind: schemas.Kind = "workspace" if name == "gonnet.yaml" else "job"
        text = schemas.marked(kind, (source / name).read_text("utf-8"))
        place.write_text(text.replace(f"port: {USUAL_PORT} ", f"port: {port} "), "utf-8")
    schemas.write(folder)
    (folder / "data").mkdir()
    cooperative.write_collections(folder / "data" / "collections.csv")
    cooperative.write_dues(folder / "data" / "dues.csv")
    cooperative.write_members(folder / "data" / "members.xlsx")
    cooperative.write_readers(folder / "data" / "readers.csv")
    (folder / "tray").mkdir()
    circles.write(folder / "data" / "circles.xlsx")
    logo.write(folder / "data" / "logo.png")
    laboratory.write(folder / "data" / "certificates.pdf")
    vet.write(folder / "data" / "visits.xlsx")
    return port


def free_port() -> int:
    """The usual port where it is free, else one that is."""
    for wanted in (USUAL_PORT, 0):
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", wanted))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    return USUAL_PORT
