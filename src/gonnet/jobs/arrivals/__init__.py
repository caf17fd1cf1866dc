"""What a job says of documents that other systems made: where they are, and whose each part of them is."""

from gonnet.jobs.arrivals.common import FILE, KEY, PAGE, ROW, SHEET, Coming, Value
from gonnet.jobs.arrivals.defaults import KINDS, quoted_name, with_arrivals
from gonnet.jobs.arrivals.folder import Folder, InPath, KeyInPath
from gonnet.jobs.arrivals.pdf_run import KeyFrom, Named, PdfRun, Within
from gonnet.jobs.arrivals.text_run import InText, KeyInText, Lines, TextRun
from gonnet.jobs.arrivals.workbook_run import InWorkbook, KeyInWorkbook, WorkbookRun

Arrival = PdfRun | Folder | TextRun | WorkbookRun

__all__ = [
    "FILE",
    "KEY",
    "KINDS",
    "PAGE",
    "ROW",
    "SHEET",
    "Arrival",
    "Coming",
    "Folder",
    "InPath",
    "InText",
    "InWorkbook",
    "KeyFrom",
    "KeyInPath",
    "KeyInText",
    "KeyInWorkbook",
    "Lines",
    "Named",
    "PdfRun",
    "TextRun",
    "Value",
    "Within",
    "WorkbookRun",
    "quoted_name",
    "with_arrivals",
]
