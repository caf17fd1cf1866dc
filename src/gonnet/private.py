"""Files and folders that hold people's data: only their owner may read them, wherever they are.

Gonnet makes all of them here. A folder that is there already stays as it is: its owner decided who may look into it.
"""

from __future__ import annotations

import os
from pathlib import Path


def folder(path: Path) -> Path:
    """The folder, made with those above it if it is not there.

    Raises:
        OSError: it cannot be made.
    """
    for place in (*reversed(path.parents), path):
        if not place.exists():
            place.mkdir(mode=0o700, exist_ok=True)
    return path


def file(path: Path) -> Path:
    """The file, there to be written: made, or taken from whoever else could read it.

    Raises:
        OSError: it cannot be made.
    """
    os.close(os.open(path, os.O_WRONLY | os.O_CREAT, 0o600))
    if path.stat().st_mode & 0o077:
        path.chmod(0o600)
    return path


def write(path: Path, data: bytes) -> Path:
    """The file with these bytes.

    Raises:
        OSError: it cannot be written.
    """
    file(path).write_bytes(data)
    return path
