"""What is looked at before anything may leave: other people's values in a file, and the account of every row."""

from gonnet.checks.accounting import Account, Control
from gonnet.checks.leaks import Hit, Manner, Watch, described, everyday
from gonnet.checks.reading import DrawnReader, ReadBack, read_any, read_back, read_columns
from gonnet.checks.values import Identity

__all__ = [
    "Account",
    "Control",
    "DrawnReader",
    "Hit",
    "Identity",
    "Manner",
    "ReadBack",
    "Watch",
    "described",
    "everyday",
    "read_any",
    "read_back",
    "read_columns",
]
