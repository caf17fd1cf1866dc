"""To whom else a package goes: addresses that somebody types, or another contact of its key."""

from __future__ import annotations

from dataclasses import replace

from gonnet.errors import DataError, RunError
from gonnet.ledger import ContactRecord, PackageRecord
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse


def addresses_in(text: str, where: str) -> tuple[Address, ...]:
    """The addresses that somebody typed, separated by `;`.

    Raises:
        DataError: one is none.
    """
    try:
        return parse(text)
    except NotAnAddressError as error:
        raise DataError(f"'{text}' is not an address: {error}", where=where, fix="Write name@domain") from error


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
