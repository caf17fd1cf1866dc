"""Fixtures: a dairy, and its mail server in a process of its own."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from loaded_program import Begun, begin_loaded
from servers import Place, schema_on
from support import MEMBERS, MILK, SETTINGS, Dairy, free_port, listening, wait_for

# As the program does: what lives to the end is not looked through again and again.
gc.freeze()
gc.set_threshold(100_000, 20, 100)

# How long an example takes says nothing on a busy machine.
settings.register_profile("gonnet", deadline=None, max_examples=50)
settings.load_profile("gonnet")


@pytest.fixture(autouse=True)
def _own_notes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is kept outside a workspace is kept aside, for the programs that a test starts too."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def pytest_addoption(parser: pytest.Parser) -> None:
    """Offer to try more than each change needs."""
    parser.addoption(
        "--both-records", action="store_true", help="all that sends and decides, with both kinds of record"
    )


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    """What sends and decides is tried with both kinds of record; what takes long, when that is asked for."""
    said = getattr(metafunc.module, "BOTH_RECORDS", "")
    asks = said == "always" or (said and metafunc.config.getoption("--both-records"))
    if (
        asks
        and "dairy" in metafunc.fixturenames
        and not any(mark.name == "of_a_file" for mark in metafunc.definition.iter_markers())
    ):
        metafunc.parametrize("record", ["file", "server"], indirect=True)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first, so that no process is left alone with it at the end."""
    items.sort(key=lambda item: item.get_closest_marker("takes_long") is None)


@pytest.fixture
def record(request: pytest.FixtureRequest) -> str:
    """The database in which the record of a dairy is; empty for a file."""
    if getattr(request, "param", "file") == "file":
        return ""
    place: Place = request.getfixturevalue("postgresql")
    return place.url


@pytest.fixture
def dairy(tmp_path: Path, record: str) -> Dairy:
    """The usual dairy, with nothing listening at its port."""
    port = free_port()
    found = Dairy(folder=tmp_path / "tarnvale", port=port, record=record)
    found.write("gonnet.yaml", SETTINGS.replace("PORT", str(port)))
    found.write("milk.csv", MILK)
    found.write("members.csv", MEMBERS)
    found.job()
    return found


@pytest.fixture
def serve() -> Iterator[Callable[..., Begun]]:
    """Starts the stand-in mail server of a dairy in a process of its own."""
    started: list[Begun] = []

    def start(dairy: Dairy, *options: str) -> Begun:
        server = begin_loaded(("mailbox", "serve", "--port", str(dairy.port), *options), dairy.folder)
        started.append(server)
        wait_for(lambda: listening(dairy.port))
        return server

    yield start
    for server in started:
        server.terminate()
        server.wait(timeout=10)


@pytest.fixture(params=["postgresql", "mariadb", "sqlite"])
def place(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Place]:
    """A database of its own, on each kind of server in turn."""
    yield from schema_on(request.param, tmp_path)


@pytest.fixture
def postgresql(tmp_path: Path) -> Iterator[Place]:
    """A schema of its own."""
    yield from schema_on("postgresql", tmp_path)


@pytest.fixture
def mariadb(tmp_path: Path) -> Iterator[Place]:
    """A database of its own."""
    yield from schema_on("mariadb", tmp_path)
