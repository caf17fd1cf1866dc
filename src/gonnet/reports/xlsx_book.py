"""A workbook whose looks are written once for all workbooks that have the same.

XlsxWriter makes an object of every look, and its style sheet anew, for every workbook; for one of forty rows that is a
third of the work. Here looks are numbered as they are asked for, in the way XlsxWriter does, and the style sheet
(ECMA-376, part 1, 18.8) that it makes for them is kept.
"""

from __future__ import annotations

from collections.abc import Mapping
from io import StringIO
from typing import Any

from xlsxwriter.packager import Packager
from xlsxwriter.workbook import Workbook

Look = frozenset[tuple[str, object]]
Sheets = dict[tuple[Look, ...], str]
"""Looks in the order of their numbers → the style sheet."""

_MANY = 200


class Book(Workbook):
    """A workbook with numbered looks.

    Args:
        target: Where it goes.
        kept: Style sheets of earlier workbooks; this one's is added.
    """

    def __init__(self, target: Any, options: dict[str, Any], kept: Sheets) -> None:  # noqa: ANN401
        super().__init__(target, options)
        self._looks: dict[Look, int] = {}
        self._sheets = kept

    def number_of(self, look: Mapping[str, object]) -> int:
        """The number of a look; the same looks, asked for in the same order, have the same numbers."""
        found = frozenset(look.items())
        number = self._looks.get(found)
        if number is None:
            number = self._looks[found] = len(self._looks) + 1  # 0 is the look of a cell that has none
        return number

    def close(self) -> None:
        """Write the file."""
        if tuple(self._looks) not in self._sheets:
            for look, number in self._looks.items():
                form: Any = self.add_format(dict(look))
                if form._get_xf_index() != number:
                    raise AssertionError("XlsxWriter numbers looks in another way")
        super().close()

    def _get_packager(self) -> Packager:
        return _Packager(self._sheets, tuple(self._looks))


class _Packager(Packager):
    """Takes the style sheet from an earlier workbook where there is one for the same looks."""

    def __init__(self, sheets: Sheets, looks: tuple[Look, ...]) -> None:
        super().__init__()
        self._sheets, self._looks = sheets, looks
        self.filenames: list[tuple[StringIO, str, bool]]

    def _write_styles_file(self) -> None:
        known = self._sheets.get(self._looks)
        if known is not None:
            target: StringIO = self._filename("xl/styles.xml")  # type: ignore[no-untyped-call]
            target.write(known)
            return
        super()._write_styles_file()
        if len(self._sheets) > _MANY:
            self._sheets.clear()
        self._sheets[self._looks] = self.filenames[-1][0].getvalue()
