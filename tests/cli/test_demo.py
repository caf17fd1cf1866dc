"""The demo, run as a new user runs it, and every message that came of it opened."""

from __future__ import annotations

import csv
import io
import re
from collections import defaultdict
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pypdfium2
import pytest

from gonnet.demo import cooperative
from gonnet.demo.mailserver import Kept, kept
from support import Dairy, run_gonnet

HELD = {"00375", "00523", "07777", "B121", "b105"}


@pytest.fixture(scope="module")
def ran(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str]:
    folder = tmp_path_factory.mktemp("demo")
    found = run_gonnet(["demo"], folder)
    assert found.returncode == 0, found.stdout + found.stderr
    return folder / "tarnvale", found.stdout


def source(workspace: Path) -> dict[str, list[dict[str, str]]]:
    rows = defaultdict(list)
    with (workspace / "data" / "collections.csv").open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            rows[row["farm_no"].strip()].append(row)
    return rows


def to_farms(workspace: Path) -> dict[str, Kept]:
    """Farm number → the message to its own address."""
    members = {farm.email: farm.number for farm in cooperative.farms()}
    return {members[m.delivered_to]: m for m in kept(workspace / "mailbox") if m.delivered_to in members}


def test_the_demo_shows_each_command_and_what_to_look_at_next(ran: tuple[Path, str]) -> None:
    _, out = ran
    for words in ("check statements", "prepare statements", "review last", "send last", "mailbox list"):
        assert f"$ gonnet {words}" in out
    assert "44 ready, 5 held, 1 skipped" in out
    assert "Done: 44 sent" in out
    assert "Next: cd tarnvale" in out.replace(str(ran[0].parent) + "/", "")


def test_every_farm_that_is_ready_got_its_rows_and_nobody_elses(ran: tuple[Path, str]) -> None:
    workspace, _ = ran
    rows, messages = source(workspace), to_farms(workspace)
    idle = cooperative.idle(cooperative.farms()).number
    assert set(messages) == {key for key in rows if key} - HELD
    assert idle not in messages
    keys = set(rows) - {""}
    for number, message in messages.items():
        files = dict(message.attachments())
        sheet = openpyxl.load_workbook(io.BytesIO(files[f"{number} milk statement 2026-10.xlsx"])).active
        assert sheet is not None
        _same_rows([[c.value for c in row] for row in sheet.iter_rows()], rows[number])
        text = "".join(
            page.get_textpage().get_text_bounded()
            for page in pypdfium2.PdfDocument(files[f"{number} milk statement 2026-10.pdf"])
        )
        assert f"{sum(Decimal(row['amount']) for row in rows[number]):,}" in text
        others = {word for word in re.findall(r"\w+", text + message.text()) if word in keys and len(word) > 3} - {
            number
        }
        assert not others


def _same_rows(sheet: list[list[Any]], rows: list[dict[str, str]]) -> None:
    found = [row for row in sheet if hasattr(row[0], "date")]
    shown = sorted((str(r[0].date()), int(r[2]), str(Decimal(str(r[7])).quantize(Decimal("0.01")))) for r in found)
    assert shown == sorted((row["collected_on"], int(row["litres"]), row["amount"]) for row in rows)


def test_names_in_every_script_arrive(ran: tuple[Path, str]) -> None:
    greetings = {number: " ".join(message.text().split()) for number, message in to_farms(ran[0]).items()}
    names = {farm.number: farm.name for farm in cooperative.farms()}
    assert any("Молочный Двор" in text for text in greetings.values())
    assert all(" ".join(names[number].split()) in text for number, text in greetings.items())


def test_the_farm_with_two_contacts_got_two_messages_and_advisers_a_copy_of_each(ran: tuple[Path, str]) -> None:
    addresses = [message.delivered_to for message in kept(ran[0] / "mailbox")]
    assert addresses.count("books@members.tarnvale.example") == 1
    assert len(addresses) == 90
    assert sum(address.startswith(("ines", "tobias", "oona")) for address in addresses) == 45


def test_the_demo_is_the_same_on_every_machine(ran: tuple[Path, str], tmp_path: Path) -> None:
    cooperative.write_collections(tmp_path / "collections.csv")
    cooperative.write_members(tmp_path / "members.xlsx")
    for name in ("collections.csv", "members.xlsx"):
        assert (tmp_path / name).read_bytes() == (ran[0] / "data" / name).read_bytes()
    assert 1_400 < len((tmp_path / "collections.csv").read_text("utf-8").splitlines()) < 1_600


def test_run_twice_in_one_folder_it_says_so_and_offers_a_way_on(ran: tuple[Path, str]) -> None:
    folder = ran[0].parent
    before = (ran[0] / "gonnet.yaml").stat().st_mtime_ns
    found = run_gonnet(["demo"], folder)
    assert found.returncode == 2
    assert "There is a workspace in tarnvale already; nothing was changed." in found.stdout
    assert "gonnet demo tarnvale-2" in found.stdout
    assert (ran[0] / "gonnet.yaml").stat().st_mtime_ns == before


def test_a_trial_of_the_demo_reaches_only_me(ran: tuple[Path, str], serve: Any) -> None:  # noqa: ANN401
    workspace, _ = ran
    port = int(re.findall(r"port: (\d+)", (workspace / "gonnet.yaml").read_text())[0])
    dairy = Dairy(folder=workspace, port=port)
    serve(dairy)
    before = len(dairy.mail())
    dairy.gonnet("prepare", "statements", code=3)
    found = dairy.gonnet("send", "last", "--trial", "me@tarnvale.example", "--first", "2", "--yes")
    assert "2 messages to me@tarnvale.example, nobody else" in found.stdout
    assert dairy.mail()[before:] == ["me@tarnvale.example"] * 2
    assert dairy.json("show", "last", code=3)["states"] == {"ready": 44, "held": 5, "skipped": 1}


def test_every_job_of_the_demo_is_found_good(ran: tuple[Path, str]) -> None:
    for job in ("statements", "gallery", "notice", "reminders"):
        found = run_gonnet(["check", job], ran[0]).stdout
        assert "cannot be printed" not in found
        assert "Every name in the job is known." in found
    found = run_gonnet(["preview", "gallery", "--only", "00116", "--as", "html"], ran[0]).stdout
    assert "1 file in preview; no run was recorded." in found
