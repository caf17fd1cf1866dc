"""What is an address, and what is told of a cell that holds none."""

from __future__ import annotations

import pytest

from gonnet.recipients.addresses import NotAnAddressError, parse


@pytest.mark.parametrize(
    ("cell", "found"),
    [
        ("ann@farm.example", [("ann@farm.example", "")]),
        (" Ann Bell <ann@farm.example> ", [("ann@farm.example", "Ann Bell")]),
        ('"Müller, Jörg" <j@farm.example>', [("j@farm.example", "Müller, Jörg")]),
        ("Müller, Jörg <j@farm.example>", [("j@farm.example", "Müller, Jörg")]),
        ("a@x.example; b@y.example;", [("a@x.example", ""), ("b@y.example", "")]),
        ("a@x.example;A@X.example", [("a@x.example", "")]),
        ("ann@größlhof.example", [("ann@xn--grlhof-cta7p.example", "")]),
        ("zoë@farm.example", [("zoë@farm.example", "")]),
        ("zoe\u0308@farm.example; ZOË@farm.example", [("zoë@farm.example", "")]),
        ("Зоя <зоя.лунд@farm.example>", [("зоя.лунд@farm.example", "Зоя")]),
        ("x@straße.example", [("x@xn--strae-oqa.example", "")]),
    ],
)
def test_addresses_of_a_cell(cell: str, found: list[tuple[str, str]]) -> None:
    assert [(address.mailbox, address.display) for address in parse(cell)] == found


@pytest.mark.parametrize(
    ("cell", "says"),
    [
        ("ann", "no @"),
        ("", "no address"),
        ("ann@farm", "not a domain"),
        ("ann@-farm.example", "not a domain"),
        ("ann@farm..example", "not a domain"),
        ("a@x.example, b@y.example", "several addresses"),
        ("a@x.example b@y.example", "several"),
        ("ann bell@farm.example", "blank"),
        (".ann@farm.example", "before the @"),
        ("ann%bank.example@farm.example", "a route to another address"),
        ("bank.example!ann@farm.example", "a route to another address"),
        ("ann@fa\u2024rm", "not a domain"),
        ("zo\u200be@farm.example", "cannot be seen"),
        ("zo\u202ee@farm.example", "cannot be seen"),
        ("zoë\u00a0b@farm.example", "blank"),
        (33 * "ë" + "@farm.example", "before the @"),
        ("ann@farm.example\rBcc: x", "control character"),
        ("Ann\x00 <ann@farm.example>", "control character"),
    ],
)
def test_a_cell_that_holds_no_address_says_why(cell: str, says: str) -> None:
    with pytest.raises(NotAnAddressError, match=says):
        parse(cell)
