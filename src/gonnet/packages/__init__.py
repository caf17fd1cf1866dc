"""All that one recipient is to get: which documents, what they are called."""

from gonnet.packages.assembly import assemble
from gonnet.packages.known import Known
from gonnet.packages.names import Names, safe_name
from gonnet.packages.plans import DocumentPlan, PackagePlan, PartPlan, Reading, SlicePlan

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
]
