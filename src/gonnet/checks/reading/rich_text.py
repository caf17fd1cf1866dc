"""The texts of RTF (Rich Text Format 1.9): its characters without its control words."""

from __future__ import annotations

import re

from gonnet.checks.spelling import BARRIER

_TOKEN = re.compile(
    r"\\([a-zA-Z]+)(-?\d+)? ?|\\'([0-9a-fA-F]{2})|\\([^a-zA-Z])|([{}])|([^\\{}\r\n]+)|[\r\n]+", re.DOTALL
)
_ENDS = {"par", "sect", "page", "row", "line"}
_SILENT = {
    "fonttbl",
    "colortbl",
    "stylesheet",
    "listtable",
    "rsidtbl",
    "themedata",
    "colorschememapping",
    "latentstyles",
}
_PICTURE = {"pict", "objdata"}


def rich_texts(data: bytes, unsearched: list[str]) -> tuple[str, ...]:
    """Its paragraphs and cells, its properties and what it hides; pictures in it are added to `unsearched`."""
    source = data.decode("latin-1")
    coding = _coding(source)
    texts: list[str] = []
    silent: list[bool] = [False]
    skips, after_unicode = 0, 1
    for word, number, code, symbol, bracket, plain in _TOKEN.findall(source):
        if bracket == "{":
            silent.append(silent[-1])
        elif bracket == "}":
            silent[-1:] = [] if len(silent) > 1 else [False]
            if not silent[-1]:
                texts.append("")
        elif word in _SILENT or word in _PICTURE:
            silent[-1] = True
            if word in _PICTURE:
                unsearched.append("a picture" if word == "pict" else "an object")
        elif silent[-1]:
            continue
        elif word == "u" and number:
            texts.append(chr(int(number) % 65_536))
            skips = after_unicode
        elif word == "uc" and number:
            after_unicode = int(number)
        elif word in _ENDS:
            texts.append("\n\n" if word == "par" else "\n")
        elif word in ("cell", "tab"):
            texts.append(BARRIER)
        elif code:
            if skips:
                skips -= 1
            else:
                texts.append(bytes([int(code, 16)]).decode(coding, errors="replace"))
        elif symbol:
            texts.append({"~": " ", "_": "-", "-": ""}.get(symbol, symbol if symbol in "\\{}" else ""))
        elif plain:
            texts.append(plain[skips:])
            skips = 0
    whole = "".join(texts)
    return tuple(part for paragraph in re.split(r"\n\n", whole) for part in paragraph.split(BARRIER) if part.strip())


def _coding(source: str) -> str:
    found = re.search(r"\\ansicpg(\d+)", source[:2000])
    name = f"cp{found[1]}" if found else "cp1252"
    try:
        b"".decode(name)
    except LookupError:
        return "cp1252"
    return name
