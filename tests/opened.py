"""Documents of the test dairy, laid out and opened by another reader than the one that wrote them."""

from __future__ import annotations

import io
import subprocess
from contextlib import closing
from pathlib import Path
from typing import Any

import openpyxl
import pikepdf
import pypdfium2

from gonnet import reports
from gonnet.pipeline.survey import Request, survey
from gonnet.reports.layout.making import LayoutMaker
from gonnet.reports.layout.models import Layout
from gonnet.split.slices import rows_of
from gonnet.wording.filling import Wording
from support import AS_OF, Dairy

HEAD = "farm_no,day,litres,amount,remark\n"


def laid(dairy: Dairy, key: str = "117", *changes: tuple[str, str]) -> tuple[Layout, reports.Look]:
    """The layout of one farm's statement."""
    job = dairy.job(*changes)
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
        look = found.house.look
    with closing(found.engine):
        plan = next(plan for plan in found.plans if plan.key == key)
        rows = dict(rows_of(found.engine, found.fields["gonnet_rows"], [key], found.values.bound()))[key]
        return LayoutMaker(found.house.reports, Wording(look.house), look).lay(
            "statement", key, {"gonnet_rows": rows}, plan.names, plan.evaluated.hidden("statement")
        ), look


def unpacked(data: bytes) -> bytes:
    """A PDF with its objects and streams as they are before anything is deflated, as qpdf writes them."""
    target = io.BytesIO()
    with pikepdf.open(io.BytesIO(data)) as file:
        modes = pikepdf.ObjectStreamMode.disable, pikepdf.StreamDecodeLevel.generalized
        file.save(target, object_stream_mode=modes[0], stream_decode_level=modes[1], compress_streams=False)
    return target.getvalue()


def pdf_pages(data: bytes) -> list[str]:
    document = pypdfium2.PdfDocument(data)
    return [page.get_textpage().get_text_bounded() for page in document]


def sheet(data: bytes) -> list[list[Any]]:
    rows = openpyxl.load_workbook(io.BytesIO(data)).active
    assert rows is not None
    return [[cell.value for cell in row] for row in rows.iter_rows()]


def many_rows(dairy: Dairy, count: int, remark: str = "") -> None:
    lines = [f"117,2026-10-{n % 31 + 1:02d},{n},{n}.25,{remark}\n" for n in range(1, count + 1)]
    dairy.write("milk.csv", HEAD + "".join(lines))


def saved_again(path: Path, kind: str) -> Path:
    """The same file as LibreOffice saves it."""
    target = path.parent / "saved"
    subprocess.run(
        ["soffice", "--headless", "--convert-to", kind, "--outdir", str(target), str(path)],
        check=True,
        capture_output=True,
    )
    return target / f"{path.stem}.{kind.partition(':')[0]}"
