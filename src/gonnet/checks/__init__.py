"""What is looked at before anything may leave: other people's values in a file, and the account of every row."""

from gonnet.checks.accounting import Account, Control
from gonnet.checks.drawn_pdf import DrawnReader
from gonnet.checks.leaks import Hit, Identity, Watch, described
from gonnet.checks.reading_back import ReadBack, read_back

__all__ = [
    "Account",
    "Control",
    "DrawnReader",
    "Hit",
    "Identity",
    "ReadBack",
    "Watch",
    "described",
    "read_back",
]
