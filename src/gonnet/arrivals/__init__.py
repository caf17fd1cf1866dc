"""Documents that other systems made for many: whose each part of them is, and the parts."""

from gonnet.arrivals.runs import Arrived, Page, read_pdf_run

__all__ = ["Arrived", "Page", "read_pdf_run"]
