"""All that one recipient is to get: which documents, what they are called, and the seal upon them."""

from gonnet.packages.assembly import Known, assemble
from gonnet.packages.names import Names, safe_name
from gonnet.packages.plans import DocumentPlan, PackagePlan, PartPlan, Reading, SlicePlan
from gonnet.packages.seal import seal_of

__all__ = [
    "DocumentPlan",
    "Known",
    "Names",
    "PackagePlan",
    "PartPlan",
    "Reading",
    "SlicePlan",
    "assemble",
    "safe_name",
    "seal_of",
]
