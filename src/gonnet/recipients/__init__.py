"""The recipient list: who they are, whether their addresses are addresses, and whose rows they get."""

from gonnet.recipients.addresses import Address
from gonnet.recipients.bundles import Sight, bundles, sight, without_rows
from gonnet.recipients.contacts import Contact, arranged, contacts_of, roles_in, with_values
from gonnet.recipients.corrections import Corrections
from gonnet.recipients.matching import Addressed, match
from gonnet.recipients.roll import Recipient, left_out, read
from gonnet.recipients.ways import Ways, filled

__all__ = [
    "Address",
    "Addressed",
    "Contact",
    "Corrections",
    "Recipient",
    "Sight",
    "Ways",
    "arranged",
    "bundles",
    "contacts_of",
    "filled",
    "left_out",
    "match",
    "read",
    "roles_in",
    "sight",
    "with_values",
    "without_rows",
]
