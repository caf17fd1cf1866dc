"""What the system's own scheduler is given: a line for cron, and units for systemd. Full paths, ready to paste."""

from __future__ import annotations

import shlex
import sys
from dataclasses import dataclass
from pathlib import Path

_MINUTES = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Unit:
    """A file for systemd.

    Attributes:
        name: How it is to be called.
        text: What is in it.
    """

    name: str
    text: str


def program() -> Path:
    """Where the program is, as the scheduler must call it."""
    beside = Path(sys.executable).with_name("gonnet")
    return beside if beside.exists() else Path(sys.argv[0]).resolve()


def crontab_line(workspace: Path) -> str:
    """A line for `crontab -e`: what is due is run every few minutes."""
    words = [str(program()), "due", "--run", "--quiet", "--workspace", str(workspace)]
    # cron takes a percent sign for the end of the command (crontab(5)).
    return f"*/{_MINUTES} * * * * {shlex.join(words)}".replace("%", "\\%")


def units(workspace: Path) -> tuple[Unit, ...]:
    """A service and the timer that starts it, and a service that stays; one of the two ways is enough."""
    name = "gonnet-" + "".join(sign if sign.isalnum() else "-" for sign in workspace.name.lower()).strip("-")
    once, stays = (
        " ".join(_quoted(word) for word in [str(program()), "due", how, "--quiet", "--workspace", str(workspace)])
        for how in ("--run", "--stay")
    )
    about = f"Gonnet: what is due in {workspace}".replace("%", "%%")
    return (
        Unit(
            name=f"{name}.service",
            text=f"[Unit]\nDescription={about}\n\n[Service]\nType=oneshot\nExecStart={once}\n"
            "# done, but something wants attention: the administrator is told by mail\nSuccessExitStatus=3 4\n",
        ),
        Unit(
            name=f"{name}.timer",
            text=f"[Unit]\nDescription={about}\n\n[Timer]\nOnCalendar=*:0/{_MINUTES}\nPersistent=true\n"
            "\n[Install]\nWantedBy=timers.target\n",
        ),
        Unit(
            name=f"{name}-stay.service",
            text=f"[Unit]\nDescription={about}\n\n[Service]\nType=notify\nNotifyAccess=main\nWatchdogSec=120\n"
            f"ExecStart={stays}\nRestart=on-failure\nTimeoutStopSec=300\n"
            "\n[Install]\nWantedBy=default.target\n",
        ),
    )


def _quoted(word: str) -> str:
    """A word of a command in a unit (systemd.service(5), systemd.unit(5))."""
    word = word.replace("%", "%%").replace("$", "$$")
    if not any(sign in word for sign in " \t\"'\\;"):
        return word
    return '"' + word.replace("\\", "\\\\").replace('"', '\\"') + '"'
