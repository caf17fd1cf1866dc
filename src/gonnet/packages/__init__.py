"""All that one recipient is to get: which documents, what they are called, and the seal upon them."""

from gonnet.packages.assembly import DocumentPlan, PackagePlan, Reading, assemble
from gonnet.packages.names import Names, safe_name
from gonnet.packages.seal import seal_of

__all__ = [
    "DocumentPlan",
    "Names",
    "PackagePlan",
    "Reading",
    "assemble",
    "safe_name",
    "seal_of",
]
