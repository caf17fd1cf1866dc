"""What follows from the arrivals of a job by itself."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping

from gonnet.jobs.arrivals.common import KEY, Coming
from gonnet.jobs.arrivals.folder import Folder
from gonnet.jobs.arrivals.pdf_run import PdfRun
from gonnet.jobs.arrivals.text_run import TextRun
from gonnet.jobs.arrivals.workbook_run import WorkbookRun

KINDS: Mapping[str, type[Coming]] = {"pdf": PdfRun, "files": Folder, "text": TextRun, "workbook": WorkbookRun}
"""The key by which a kind of arrival is known → its model."""


def with_arrivals(tree: Mapping[str, object]) -> Mapping[str, object]:
    """A job with what follows from its arrivals: how they are cut, what they say as figures, what their parts are.

    Args:
        tree: The job in plain values, which may be wrong.
    """
    arrivals = tree["arrivals"]
    if not isinstance(arrivals, Mapping):
        return tree
    names, split = [str(name) for name in arrivals], tree.get("split")
    if split is None:
        split = {"rows": names[0], "by": KEY}
    if isinstance(split, Mapping):
        by: object = KEY if split.get("by") else []
        more = {name: by for name in names if name != split.get("rows")}
        given = split.get("also", {})
        split = {**split, "also": {**more, **given}} if isinstance(given, Mapping) else split
    figures, package = tree.get("figures", {}), tree.get("package")
    found = {**tree, "split": split}
    if isinstance(figures, Mapping):
        found["figures"] = {**_figures(arrivals), **figures}
    if isinstance(package, Mapping) and isinstance(documents := package.get("documents"), list):
        found["package"] = {**package, "documents": [_with_format(part, arrivals) for part in documents]}
    return found


def kind_of(spec: object) -> type[Coming]:
    """The kind of an arrival in plain values, which may be wrong."""
    found = (kind for key, kind in KINDS.items() if isinstance(spec, Mapping) and key in spec)
    return next(found, PdfRun)


def _figures(arrivals: Mapping[object, object]) -> dict[str, object]:
    """The values that arrivals say, and how many pages, sheets, rows or files there are."""
    found: dict[str, object] = {}
    units = Counter(map(_unit, arrivals.values()))
    for name, spec in arrivals.items():
        unit = _unit(spec)
        is_plain = units[unit] == 1 and unit != "row"  # `rows` are those of the data set that is split
        found[f"{unit}s" if is_plain else f"{name}_{unit}s"] = {"rows": name, "value": "count(*)"}
        values = spec.get("read") if isinstance(spec, Mapping) else None
        for value, said in values.items() if isinstance(values, Mapping) else ():
            is_number = isinstance(said, Mapping) and said.get("as") == "number"
            found[str(value)] = {"rows": name, "value": f"{'sum' if is_number else 'max'}({quoted_name(str(value))})"}
    return found


def _unit(spec: object) -> str:
    """What there is a row for in the data set of an arrival in plain values."""
    if kind_of(spec) is WorkbookRun and isinstance(spec, Mapping):
        key = spec.get("key")
        return "row" if isinstance(key, Mapping) and "column" in key else "sheet"
    return {PdfRun: "page", TextRun: "page"}.get(kind_of(spec), "file")


def _with_format(document: object, arrivals: Mapping[object, object]) -> object:
    """A document that is a part of an arrival, as what it is where the job does not say so."""
    if not isinstance(document, Mapping) or document.keys() & {"as", "format"} or "arrival" not in document:
        return document
    return {**document, "as": kind_of(arrivals.get(document["arrival"])).formats[0]}


def quoted_name(name: str) -> str:
    """A name as SQL has it."""
    return '"' + name.replace('"', '""') + '"'
