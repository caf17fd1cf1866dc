"""Reading files back: those that Gonnet drew, fast, and any other one, whole."""

from gonnet.checks.reading.any_file import read_any
from gonnet.checks.reading.drawn_pdf import DrawnReader
from gonnet.checks.reading.models import ReadBack
from gonnet.checks.reading.own_files import cell_with, paragraphs, read_back, read_columns
from gonnet.checks.reading.pages import page_texts

__all__ = ["DrawnReader", "ReadBack", "cell_with", "page_texts", "paragraphs", "read_any", "read_back", "read_columns"]
