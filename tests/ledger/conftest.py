"""A ledger, in a file and on a server."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from gonnet.ledger import Ledger
from recorded import NOON


@pytest.fixture(params=["file", "server"])
def ledger(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Ledger]:
    engine = None
    if request.param == "server":
        engine = request.getfixturevalue("postgresql").engine()
    found = Ledger(tmp_path / "kept", lambda: NOON, engine)
    yield found
    found.close()
