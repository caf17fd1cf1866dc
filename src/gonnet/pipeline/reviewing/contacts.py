"""Another contact of the key of a package, in the place of the one that the list chose."""

from __future__ import annotations

from dataclasses import replace

from gonnet.errors import RunError
from gonnet.ledger import ContactRecord, PackageRecord
from gonnet.pipeline.reviewing.amendment import Amendment


def contact_of(package: PackageRecord, wanted: str) -> ContactRecord:
    """The contact of a package's key that is meant, by name, role or address.

    Raises:
        RunError: there is none, there are several, or it has no address.
    """
    name = wanted.strip().casefold()
    found = [contact for contact in package.contacts if name in _called(contact)]
    known = "; ".join(f"{contact.name} ({contact.role or 'no role'})" for contact in package.contacts)
    if len(found) != 1:
        what = f"package {package.key} has {'several contacts' if found else 'no contact'} called '{wanted}'"
        raise RunError(what, fix=f"Name one by name or address: {known}" if known else "Give an address: --to ADDRESS")
    if not found[0].to:
        fix = "Choose another one, or give an address: --to ADDRESS"
        raise RunError(f"{found[0].name}, a contact of package {package.key}, has no usable address", fix=fix)
    return found[0]


def _called(contact: ContactRecord) -> set[str]:
    roles = (role.strip() for role in contact.role.split(";"))
    return {name.casefold() for name in (contact.name, *roles, *contact.to) if name}


def to_contact(package: PackageRecord, wanted: Amendment, contact: ContactRecord) -> Amendment:
    """What is wanted, with the addresses of a contact: it is not in copy of what is written to it."""
    mine = {address.casefold() for address in contact.to}
    cc, bcc = (
        tuple(dict.fromkeys(one for message in package.messages for one in getattr(message, part)))
        for part in ("cc", "bcc")
    )
    others = [[one for one in part if one.casefold() not in mine] for part in (cc, bcc)]
    return replace(
        wanted,
        to="; ".join(contact.to),
        cc=wanted.cc if wanted.cc is not None or len(others[0]) == len(cc) else "; ".join(others[0]),
        bcc=wanted.bcc if wanted.bcc is not None or len(others[1]) == len(bcc) else "; ".join(others[1]),
    )
