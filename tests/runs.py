"""Runs of pages as other programs make them: each page says whose it is, and something of its own."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import openpyxl
import pytest

Page = tuple[str, str]
"""The key of a page, and what else it says."""

PROGRAMS = ("cairo", "chromium", "ghostscript", "groff", "libreoffice")
_CALLED = {"cairo": "rsvg-convert", "libreoffice": "soffice", "ghostscript": "gs"}
_OPTIONAL = ("soffice",)  # too large to install for the tests of every change


def made_by(program: str, pages: Sequence[Page], path: Path) -> Path:
    """The pages as a PDF of a program, which must be installed where the tests of a change run."""
    require(_CALLED.get(program, program))
    path.parent.mkdir(parents=True, exist_ok=True)
    _MAKERS[program](pages, path)
    return path


def require(*programs: str) -> None:
    """Skip a test where a program is missing; where the tests of a change run, that is a mistake."""
    for program in programs:
        if shutil.which(program) is None:
            if os.environ.get("CI") and program not in _OPTIONAL:
                pytest.fail(f"{program} is not installed")
            pytest.skip(f"{program} is not installed")


def _run(*words: str, text: str | None = None) -> bytes:
    done = subprocess.run(
        words, input=text.encode() if text is not None else None, capture_output=True, check=True, timeout=120
    )
    return done.stdout


def _chromium(pages: Sequence[Page], path: Path) -> None:
    parts = (f"<h1>Laboratory</h1><p>Farm no. {key}</p><p>{said}</p>" for key, said in pages)
    divided = "".join(f'<div style="page-break-after:always">{part}</div>' for part in parts)
    source = path.with_suffix(".html")
    source.write_text(f"<html><head><title>Run of all farms</title></head><body>{divided}</body></html>", "utf-8")
    options = ("--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer", f"--print-to-pdf={path}")
    _run("chromium", *options, source.as_uri())


def _cairo(pages: Sequence[Page], path: Path) -> None:
    sources = []
    for number, (key, said) in enumerate(pages):
        lines = "".join(
            f'<text x="72" y="{y}">{text}</text>'
            for y, text in ((100, "Laboratory"), (120, f"Farm no. {key}"), (140, said))
        )
        source = path.with_name(f"{path.stem}-{number}.svg")
        source.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" width="595" height="842">{lines}</svg>', "utf-8")
        sources.append(str(source))
    _run("rsvg-convert", "-f", "pdf", "-o", str(path), *sources)


def _libreoffice(pages: Sequence[Page], path: Path) -> None:
    book = openpyxl.Workbook()
    for number, (key, said) in enumerate(pages):
        sheet: Any = book.create_sheet(f"p{number}")
        for row, text in enumerate(("Laboratory", f"Farm no. {key}", said), 1):
            sheet.cell(row, 1).value = text
    del book["Sheet"]
    source = path.with_suffix(".xlsx")
    book.save(source)
    _run("soffice", "--headless", "--convert-to", "pdf", "--outdir", str(path.parent), str(source))


def _groff(pages: Sequence[Page], path: Path) -> None:
    parts = (f".sp 2c\nLaboratory\n.br\nFarm no. {key}\n.br\n{said}\n" for key, said in pages)
    path.write_bytes(_run("groff", "-Tpdf", "-Kutf8", text=".nf\n" + ".bp\n".join(parts)))


def _ghostscript(pages: Sequence[Page], path: Path) -> None:
    lines = "\n".join(
        f"72 700 moveto (Laboratory) show 72 680 moveto (Farm no. {key}) show 72 660 moveto ({said}) show showpage"
        for key, said in pages
    )
    source = path.with_suffix(".ps")
    source.write_text(f"%!PS\n/Helvetica findfont 11 scalefont setfont\n{lines}\n")
    _run("gs", "-q", "-dBATCH", "-dNOPAUSE", "-sDEVICE=pdfwrite", f"-sOutputFile={path}", str(source))


_MAKERS = {
    "cairo": _cairo,
    "chromium": _chromium,
    "ghostscript": _ghostscript,
    "groff": _groff,
    "libreoffice": _libreoffice,
}
