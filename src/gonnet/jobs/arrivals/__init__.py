"""What a job says of documents that other systems made: where they are, and whose each part of them is."""

from gonnet.jobs.arrivals.common import FILE, KEY, PAGE, Coming, Value
from gonnet.jobs.arrivals.defaults import KINDS, quoted_name, with_arrivals
from gonnet.jobs.arrivals.folder import Folder, InPath, KeyInPath
from gonnet.jobs.arrivals.pdf_run import KeyFrom, Named, PdfRun, Within

Arrival = PdfRun | Folder

__all__ = [
    "FILE",
    "KEY",
    "KINDS",
    "PAGE",
    "Arrival",
    "Coming",
    "Folder",
    "InPath",
    "KeyFrom",
    "KeyInPath",
    "Named",
    "PdfRun",
    "Value",
    "Within",
    "quoted_name",
    "with_arrivals",
]
