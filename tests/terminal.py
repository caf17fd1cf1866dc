"""The installed program at a terminal, with a person who answers."""

from __future__ import annotations

import os
import pty
import re
import select
import sys
import time
from collections.abc import Sequence
from pathlib import Path


def typed_at(words: Sequence[str], folder: Path, answers: Sequence[str]) -> str:
    """What a terminal shows when a person answers each question in turn."""
    child, line = pty.fork()
    if not child:
        os.chdir(folder)
        os.environ.update(TERM="xterm", COLUMNS="100", LINES="50", NO_COLOR="1")
        program = str(Path(sys.executable).with_name("gonnet"))
        os.execv(program, [program, *words])
    shown, left, end = b"", list(answers), time.monotonic() + 240
    while time.monotonic() < end:
        if not select.select([line], [], [], 0.3)[0]:
            if left and re.search(rb"[\])]: ?$", shown):
                os.write(line, left.pop(0).encode() + b"\n")
            continue
        try:
            block = os.read(line, 65_536)
        except OSError:
            break
        if not block:
            break
        shown += block
    os.close(line)
    code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    assert code in (0, 3), shown.decode()
    assert not left, shown.decode()
    return shown.decode().replace("\r", "")
