"""Take the instructions for coarse screens out of TrueType faces: `python tools/unhinted_fonts.py FOLDER FILE …`.

The faces that are shipped were made by this from Noto Sans as it is published. Readers of PDFs draw outlines smoothly
and do not use the instructions, which are two fifths of a face; every PDF carries its faces with it. Needs fontTools.
"""

from __future__ import annotations

import sys
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.ttLib.tables.ttProgram import Program

_FOR_INSTRUCTIONS = ("fpgm", "prep", "cvt ", "hdmx", "VDMX", "LTSH", "gasp", "DSIG")  # OpenType 1.9, TrueType outlines
_COUNTS = ("TwilightPoints", "Storage", "FunctionDefs", "InstructionDefs", "StackElements", "SizeOfInstructions")


def unhinted(file: Path) -> TTFont:
    """The face without its instructions, everything else as it was."""
    font = TTFont(file, recalcTimestamp=False)
    for table in _FOR_INSTRUCTIONS:
        if table in font:
            del font[table]
    for glyph in font["glyf"].glyphs.values():
        glyph.expand(font["glyf"])
        if hasattr(glyph, "program"):
            glyph.program = Program()
            glyph.program.fromBytecode(b"")
    most = font["maxp"]
    most.maxZones = 1
    for count in _COUNTS:
        setattr(most, f"max{count}", 0)
    return font


def main() -> None:
    """Write each face into the folder."""
    folder = Path(sys.argv[1])
    for file in map(Path, sys.argv[2:]):
        unhinted(file).save(folder / file.name)


if __name__ == "__main__":
    main()
