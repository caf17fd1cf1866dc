"""Take the pictures in docs/screenshots from the demo's data: `python tools/screenshots.py [NAME …]`.

Needs Debian's xvfb, xterm, imagemagick, poppler-utils, libreoffice-calc and chromium.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import pty
import select
import shlex
import shutil
import struct
import subprocess
import sys
import tempfile
import termios
import time
from collections.abc import Callable
from email import message_from_bytes
from email.policy import default
from pathlib import Path

import openpyxl

_TARGET = Path(__file__).parent.parent / "docs" / "screenshots"
_GONNET = [sys.executable, "-m", "gonnet"]
_DISPLAY = ":77"

_TERMINALS = {
    "new": "gonnet new",
    "check": "gonnet check statements",
    "rows": "gonnet rows statements",
    "explain": "gonnet explain reminders B113 --as-of 2026-11-30",
    "preview": "gonnet preview statements --as png --message | head -40",
    "prepare": "gonnet prepare statements",
    "review": "gonnet review 2 --lines 17",
    "send": "gonnet send 2 --yes --again",
    "show": "gonnet show 1 B121",
    "due": "gonnet due",
}


_ANSWERS = ["", "", "", "", "milk"]
"""What a person types to `gonnet new` in a folder with the demo's two files."""


def main() -> None:
    """Take all pictures, or those that are named."""
    if sys.argv[1:2] == ["--typed"]:
        _typed(sys.argv[2:])
        return
    wanted = set(sys.argv[1:])
    _TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        workspace = Path(folder) / "tarnvale"
        subprocess.run([*_GONNET, "demo", str(workspace)], check=True, stdout=subprocess.DEVNULL)
        pictures: dict[str, Callable[[], None]] = {
            "statement-pdf": lambda: _pdf(workspace),
            "statement-xlsx": lambda: _workbook(workspace),
            "message": lambda: _message(workspace),
            "gallery": lambda: _gallery(workspace),
            "languages": lambda: _languages(workspace),
            "bundles": lambda: _bundles(workspace),
            "arrivals": lambda: _arrivals(workspace),
            "review-page": lambda: _review_page(workspace),
            "review-sheet": lambda: _review_sheet(workspace),
        }
        for name, take in pictures.items():
            if not wanted or name in wanted:
                take()
        server = subprocess.Popen([*_GONNET, "mailbox", "serve"], cwd=workspace, stdout=subprocess.DEVNULL)
        screen = subprocess.Popen(["Xvfb", _DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
        subprocess.run([*_GONNET, "prepare", "statements"], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
        if not wanted or "explain" in wanted:
            _remind(workspace)
        for words in (("due", "--run"), ("pause", "notice", "--why", "the new price is not decided yet")):
            subprocess.run([*_GONNET, *words], cwd=workspace, check=True, stdout=subprocess.DEVNULL)
        try:
            for name, command in _TERMINALS.items():
                if not wanted or name in wanted:
                    _terminal(workspace, name, command)
        finally:
            screen.terminate()
            server.terminate()


def _remind(workspace: Path) -> None:
    """Send the first letters, so that the second has a past; in a ledger of its own."""
    for words in (("prepare", "reminders", "--as-of", "2026-11-02"), ("send", "last", "--yes")):
        subprocess.run([*_GONNET, *words], cwd=workspace, check=False, stdout=subprocess.DEVNULL)


def _typed(words: list[str]) -> None:
    """Run a program that asks, and answer each question when it has been asked."""
    child, line = pty.fork()
    if not child:
        os.execvp(words[0], words)
    fcntl.ioctl(line, termios.TIOCSWINSZ, struct.pack("HHHH", 51, 156, 0, 0))
    left, shown = list(_ANSWERS), b""
    with contextlib.suppress(OSError):
        while True:
            if select.select([line], [], [], 0.4)[0]:
                shown = os.read(line, 65_536)
                os.write(1, shown)
            elif left and shown.rstrip().endswith(b":"):
                os.write(line, left.pop(0).encode() + b"\n")


def _first_job(workspace: Path) -> Path:
    """A folder with nothing but two files of the demo."""
    folder = workspace.parent / "first"
    folder.mkdir(exist_ok=True)
    for name in ("members.xlsx", "collections.csv"):
        shutil.copy(workspace / "data" / name, folder)
    return folder


def _terminal(workspace: Path, name: str, command: str) -> None:
    """Type a command in a terminal window and take its picture once it is done."""
    workspace = _first_job(workspace) if name == "new" else workspace
    done = workspace / "done"
    done.unlink(missing_ok=True)
    words = command.replace("gonnet ", f"{shlex.join(_GONNET)} ")
    if name == "new":
        words = f"{shlex.join([sys.executable, str(Path(__file__).absolute()), '--typed'])} {words}"
    script = f"clear; echo {shlex.quote('$ ' + command)}; {words}; touch done; printf '\\033[?25l'; sleep 60"
    font = ["-fa", "DejaVu Sans Mono", "-fs", "9", "-bg", "#ffffff", "-fg", "#1d2321", "-b", "10"]
    terminal = subprocess.Popen(
        ["xterm", "-tn", "xterm-256color", *font, "-geometry", "156x51+0+0", "-e", "sh", "-c", script],
        cwd=workspace,
        env={**os.environ, "DISPLAY": _DISPLAY, "LANG": "C.UTF-8"},
    )
    for _ in range(300):
        if done.exists():
            break
        time.sleep(0.1)
    time.sleep(0.7)
    whole = workspace / "screen.png"
    subprocess.run(["import", "-display", _DISPLAY, "-window", "root", str(whole)], check=True)
    inside = ["-crop", "1262x780+4+4", "+repage", "-trim", "+repage", "-bordercolor", "white", "-border", "12"]
    subprocess.run(["convert", f"{whole}[0]", *inside, str(_TARGET / f"{name}.png")], check=True)
    terminal.terminate()
    terminal.wait()


def _look(workspace: Path) -> Path:
    folder = workspace / "look"
    subprocess.run(
        [*_GONNET, "review", "1", "--only", "00079", "--into", "look"],
        cwd=workspace,
        check=False,
        stdout=subprocess.DEVNULL,
    )
    return folder


def _pdf(workspace: Path) -> None:
    _page(next(_look(workspace).glob("*.pdf")), 1, _TARGET / "statement-pdf")


def _workbook(workspace: Path) -> None:
    file = next(_look(workspace).glob("*.xlsx"))
    office = ["soffice", "--headless", "--convert-to", "pdf", "--outdir", str(workspace), str(file)]
    subprocess.run(office, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _page(workspace / f"{file.stem}.pdf", 1, _TARGET / "statement-xlsx")


def _gallery(workspace: Path) -> None:
    """The pages of the job that has every block once."""
    for words in (("prepare", "gallery", "--only", "00116"), ("review", "last", "--into", "gallery")):
        subprocess.run([*_GONNET, *words], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
    file = next((workspace / "gallery").glob("*.pdf"))
    _side_by_side("gallery", [_page(file, number, workspace / f"gallery-{number}") for number in (1, 2, 3)])


def _bundles(workspace: Path) -> None:
    """An adviser's farms in one file, and the board's report."""
    for job, address in (("advisers", "ines.calloway@tarnvale.example"), ("board", "maren.holt@tarnvale.example")):
        words = ("preview", job, "--only", address, "--as", "pdf", "--into", "bundles")
        subprocess.run([*_GONNET, *words], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
    farms, board = sorted((workspace / "bundles").glob("*/*.pdf"))
    pages = [(farms, 1), (farms, 2), (board, 1)]
    _side_by_side("bundles", [_page(file, at, workspace / f"bundle-{file.stem}-{at}") for file, at in pages])


def _side_by_side(name: str, pictures: list[Path]) -> None:
    form = ["-tile", f"{len(pictures)}x1", "-geometry", f"{1280 // len(pictures)}x+6+6", "-background", "#8a8f8d"]
    subprocess.run(["montage", *map(str, pictures), *form, str(_TARGET / f"{name}.png")], check=True)


def _languages(workspace: Path) -> None:
    """The heads of one notice in each language, side by side."""
    words = ("preview", "notice", "--as", "png", "--into", "notice")
    keys = [word for key in ("00079", "00153", "00227", "00708") for word in ("--only", key)]
    subprocess.run([*_GONNET, *words, *keys], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
    files = [str(file) for file in sorted((workspace / "notice").glob("*.png"))]
    form = ["-crop", "794x400+0+0", "+repage", "-tile", "2x2", "-geometry", "640x+6+6", "-background", "#8a8f8d"]
    subprocess.run(["montage", *files, *form, str(_TARGET / "languages.png")], check=True)


def _arrivals(workspace: Path) -> None:
    """A page of the laboratory's run with what says whose it is; and the pack that one farm gets."""
    for words in (
        ("pages", "certificates", "--page", "1", "--picture", "found"),
        ("preview", "certificates", "--as", "png", "--into", "pack", "--only", "B101"),
    ):
        subprocess.run([*_GONNET, *words], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
    pages = sorted((workspace / "pack").glob("*.png"))
    files = [str(file) for file in (*sorted((workspace / "found").glob("*.png")), *pages[1:])]
    form = ["-tile", "4x1", "-geometry", "312x441+4+4", "-background", "#8a8f8d"]
    subprocess.run(["montage", *files, *form, str(_TARGET / "arrivals.png")], check=True)


def _review_page(workspace: Path) -> None:
    """The review as a page, with one package open, of a second run in which a few things are otherwise."""
    table = workspace / "data" / "collections.csv"
    whole = table.read_text("utf-8")
    head, *lines = whole.splitlines(keepends=True)
    kept = [line for line in lines if not line.startswith("00153,")]
    table.write_text(head + "".join(kept[:900] + [line for line in kept[900:] if "00227" not in line]), "utf-8")
    for words in (("prepare", "statements"), ("review", "last", "--html", "review.html")):
        subprocess.run([*_GONNET, *words], cwd=workspace, check=False, stdout=subprocess.DEVNULL)
    table.write_text(whole, "utf-8")
    _browser(workspace, f"{(workspace / 'review.html').as_uri()}#00375", "review-page", "1280,800")


def _review_sheet(workspace: Path) -> None:
    """The review as a workbook, with a few decisions in it: as much of it as a window shows."""
    own = workspace.parent / "reviewed"
    shutil.copytree(workspace, own, ignore=shutil.ignore_patterns(".gonnet"))
    file = own / "review.xlsx"
    for words in (("prepare", "statements"), ("review", "statements", "--sheet", file.name)):
        subprocess.run([*_GONNET, *words], cwd=own, check=False, stdout=subprocess.DEVNULL)
    book = openpyxl.load_workbook(file)
    sheet = book["Packages"]
    columns = {str(cell.value): at for at, cell in enumerate(sheet[1], 1)}
    decided = {
        2: {"Decision": "send", "Reason": "called, the cell count is known"},
        3: {"Decision": "send", "Reason": "has an address now", "Other To": "iris@keld.example"},
        5: {"Decision": "skip", "Reason": "looked at by two"},
        8: {"Decision": "hold", "Reason": "price is being looked at"},
    }
    for row, cells in decided.items():
        for heading, text in cells.items():
            sheet.cell(row, columns[heading]).value = text
    sheet.print_area = "A1:H24"
    sheet.print_title_rows = None
    sheet.page_setup.fitToHeight = 1
    del book["Run"]
    book.save(file)
    office = ["soffice", "--headless", "--convert-to", "pdf", "--outdir", str(own), str(file)]
    subprocess.run(office, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    picture = _page(own / "review.pdf", 1, own / "review-sheet", 135)
    subprocess.run(
        [
            "convert",
            str(picture),
            "-trim",
            "+repage",
            "-bordercolor",
            "white",
            "-border",
            "12",
            str(_TARGET / "review-sheet.png"),
        ],
        check=True,
    )


def _page(file: Path, number: int, target: Path, dots: int = 92) -> Path:
    """The picture of a page, at `target` with `.png` behind it."""
    options = ["-png", "-r", str(dots), "-f", str(number), "-l", str(number), "-singlefile"]
    subprocess.run(["pdftoppm", *options, str(file), str(target)], check=True)
    return target.with_name(f"{target.name}.png")


def _message(workspace: Path) -> None:
    file = next(iter(sorted((workspace / "mailbox" / "new").iterdir())))
    part = message_from_bytes(file.read_bytes(), policy=default).get_body(("html",))
    assert part is not None
    page = workspace / "message.html"
    page.write_text(part.get_content(), "utf-8")
    _browser(workspace, page.as_uri(), "message", "900,520")


def _browser(workspace: Path, page: str, name: str, size: str) -> None:
    flags = ["--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars"]
    flags += ["--disable-background-networking", "--disable-component-update", "--disable-sync"]
    flags += [f"--user-data-dir={workspace / 'browser'}", f"--window-size={size}"]
    command = ["chromium", *flags, f"--screenshot={_TARGET / name}.png", "--virtual-time-budget=3000", page]
    subprocess.run(command, check=True, stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    main()
