"""Texts that are filled for each row of a table: where a value leads, and in which currency it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gonnet.reports.plans.models import RowText
from gonnet.wording.filling import Wording
from gonnet.wording.links import Link


class RowTexts:
    """Fills them for the rows of one slice.

    Args:
        wording: Fills texts.
        names: What they may merge besides the row.
        key: The slice's key, for messages.
    """

    def __init__(self, wording: Wording, names: Mapping[str, object], key: str) -> None:
        self._wording, self._names, self.key = wording, names, key
        self._codes: dict[tuple[object, ...], str] = {}

    def link(self, text: RowText, row: Sequence[object]) -> Link:
        """Where a value of a row leads.

        Raises:
            DataError: a merge field has no value.
        """
        return self._wording.fill_link(text.text, self._with(text, row), key=self.key)

    def currency(self, text: RowText, row: Sequence[object]) -> str:
        """The code of a row's currency; empty where it has none.

        Raises:
            DataError: a merge field has no value.
        """
        known = (text.text, *(row[at] for _, at in text.fields))
        if known not in self._codes:
            self._codes[known] = self._wording.fill(text.text, self._with(text, row), key=self.key).text.strip()
        return self._codes[known]

    def _with(self, text: RowText, row: Sequence[object]) -> Mapping[str, object]:
        return {**self._names, "row": {name: row[at] for name, at in text.fields}}
