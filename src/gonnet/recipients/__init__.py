"""The recipient list: who they are, whether their addresses are addresses, and whose rows they get."""

from gonnet.recipients.addresses import Address
from gonnet.recipients.bundles import Sight, bundles, sight, without_rows
from gonnet.recipients.contacts import arranged
from gonnet.recipients.corrections import Corrections
from gonnet.recipients.matching import Addressed, match
from gonnet.recipients.roll import Recipient, left_out, read

__all__ = [
    "Address",
    "Addressed",
    "Corrections",
    "Recipient",
    "Sight",
    "arranged",
    "bundles",
    "left_out",
    "match",
    "read",
    "sight",
    "without_rows",
]
