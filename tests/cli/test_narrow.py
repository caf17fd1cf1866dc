"""On a narrow terminal the columns that matter stay: number of the run, state, the whole key."""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import struct
import termios

import pytest

from loaded_program import Begun
from support import MEMBERS, MILK, Dairy

LONG = "Tarnvale-Upper-Fell-0000000042"


def on_a_terminal(dairy: Dairy, columns: int, *words: str) -> str:
    """What the program prints on a terminal so many characters wide."""
    near, far = os.openpty()
    fcntl.ioctl(far, termios.TIOCSWINSZ, struct.pack("HHHH", 50, columns, 0, 0))
    environment = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES")}
    environment["TERM"] = "xterm"
    process = Begun(words, dairy.folder, environment, [far, far, far])
    os.close(far)
    printed = b""
    with contextlib.suppress(OSError):
        while data := os.read(near, 65_536):
            printed += data
    os.close(near)
    process.wait(60)
    return re.sub(r"\x1b\[[0-9;]*m", "", printed.decode())


@pytest.mark.parametrize("columns", [60, 80, 100])
def test_number_state_and_key_stay(dairy: Dairy, columns: int) -> None:
    dairy.write("milk.csv", MILK.replace("117,", f"{LONG},"))
    dairy.write("members.csv", MEMBERS.replace("117,", f"{LONG},"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    runs = on_a_terminal(dairy, columns, "runs")
    assert re.search(r"^ *1 ", runs, re.MULTILINE)
    assert "2 ready" in runs
    for words in (["review"], ["show", "1"], ["keys", "statements"]):
        text = on_a_terminal(dairy, columns, *words)
        assert LONG in text, words
        assert re.search(r"^ ?(held|.* held) ", text, re.MULTILINE), words
        of_tables = [line for line in text.splitlines() if "─" in line or line.startswith(" held")]
        assert [line for line in of_tables if len(line) > columns + 1] == [], (words, text)
