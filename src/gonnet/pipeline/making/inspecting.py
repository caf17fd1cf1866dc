"""What is found in a document that was just drawn: what in it names somebody else, and whether it has its rows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import NamedTuple

from gonnet import checks
from gonnet.checks import Hit, ReadBack, Watch
from gonnet.checks.reading import cell_with
from gonnet.checks.rows import lacking
from gonnet.packages import DocumentPlan
from gonnet.pipeline.making import places
from gonnet.remembering import Remembered
from gonnet.reports import Drawn
from gonnet.reports.layout.models import Layout

_FORMS = 64


class _FormTexts(NamedTuple):
    """A form as it is before anything is filled in: where it names somebody, and all of its texts."""

    telling: ReadBack
    texts: frozenset[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Inspected:
    """What was found in a document.

    Attributes:
        hits: What of it names somebody else.
        unsearched: What of it cannot be read, and why.
        lacking: A text of its rows that it does not have, or not as often as they do; empty where it has all.
    """

    hits: tuple[Hit, ...]
    unsearched: tuple[str, ...] = ()
    lacking: str = ""


class Inspector:
    """Reads documents back from their bytes, as a stranger would; keeps what forms say between them."""

    def __init__(self, watch: Watch) -> None:
        self._watch = watch
        self._reader = checks.DrawnReader()
        self._forms: Remembered[bytes, _FormTexts] = Remembered(self._form, _FORMS)

    @property
    def trusted(self) -> bool:
        """Whether two readers found the same characters in every PDF that both of them read."""
        return self._reader.trusted

    def inspect(self, owners: Sequence[str], plan: DocumentPlan, laid: Sequence[Layout], drawn: Drawn) -> Inspected:
        """What of a document names somebody else, place by place as laid out, and in the file; what it lacks."""
        watch, name = self._watch, f"the {plan.format}"
        hits = [hit for layout in laid for hit in places.searched(watch, owners, name, layout)]
        known = places.drawn(laid)
        form = laid[0].form if plan.format == "xlsx" else None
        found = self._read(plan, laid, drawn)
        if form is not None and not form.sheets:  # else it is not the form of all, and is searched like any other
            fixed = self._forms[form.plan.data]
            hits += watch.search(owners, "the form", fixed.telling, is_fixed=True)
            known = {*known, *fixed.texts}
        hits += watch.search(owners, name, found, known=known, own=partial(places.own, laid, plan, drawn.pages))
        placed = watch.places(owners, name, found, _once(hits))
        is_book = plan.format == "xlsx"
        return Inspected(
            hits=tuple(_with_cell(hit, drawn.data) if is_book else hit for hit in placed),
            unsearched=found.unsearched if any(layout.inserted for layout in laid) else (),
            lacking=lacking(places.cells(laid, plan), found if form is None else checks.read_back(drawn.data, "xlsx")),
        )

    def _read(self, plan: DocumentPlan, laid: Sequence[Layout], drawn: Drawn) -> ReadBack:
        if any(layout.inserted for layout in laid) or plan.format in ("docx", "ods"):
            return checks.read_any(drawn.data, plan.file_name)
        if plan.format == "pdf":
            return ReadBack(parts=tuple(self._reader.parts(drawn.data)))
        if plan.format == "xlsx" and laid[0].form is not None:
            return checks.read_any(drawn.data, "form.xlsx")
        if plan.csv is not None:
            return checks.read_back(drawn.data, plan.format, plan.csv.encoding, plan.csv.delimiter)
        if plan.format == "txt":
            return checks.read_columns(drawn.data)
        return checks.read_back(drawn.data, plan.format)

    def _form(self, data: bytes) -> _FormTexts:
        found = checks.read_any(data, "form.xlsx")
        return _FormTexts(self._watch.telling(found), frozenset(text for _, texts in found.parts for text in texts))


def _with_cell(hit: Hit, workbook: bytes) -> Hit:
    """The hit with the cell in which it stands before what stands around it."""
    cell = cell_with(workbook, hit.spelled)
    return replace(hit, context=f"cell {cell}: {hit.context}") if cell else hit


def _once(hits: Iterable[Hit]) -> list[Hit]:
    return list({(hit.kind, hit.value): hit for hit in hits}.values())
