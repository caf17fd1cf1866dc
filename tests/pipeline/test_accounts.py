"""What an auditor takes away: the account of a run, signed, and a copy of the workspace that works where it is."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import threading
from pathlib import Path

import pytest

from gonnet.checks import read_back
from gonnet.errors import DataError, JobError, StorageError
from gonnet.jobs import load_job, load_workspace
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.record.copying import copy
from gonnet.pipeline.record.exporting import export
from gonnet.pipeline.record.verify import verify
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import open_tools
from scripted_smtp import Script, serving
from support import AS_OF, SETTINGS, Dairy

FOLDER = ("  - email:", "  - folder: {root: archive}\n  - email:")


@pytest.fixture
def sent(dairy: Dairy) -> Dairy:
    """A run that was sent and filed, and one that waits."""
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + "folders: {archive: {path: archive}}\n")
    dairy.job(FOLDER)
    with serving(Script(), dairy.port):
        dairy.gonnet("run", "statements", "--as-of", "2026-11-05", "--yes", code=3)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-12-05", code=None)
    return dairy


def test_an_account_has_everything_of_a_run_as_json_and_as_pages(sent: Dairy) -> None:
    sent.gonnet("verify", "--export", "1", "account.json")
    sent.gonnet("verify", "--export", "1", "account.pdf")
    found = json.loads((sent.folder / "account.json").read_text("utf-8"))
    read = read_back((sent.folder / "account.pdf").read_bytes(), "pdf")
    said = " ".join(" ".join(text.split()) for _, texts in read.parts for text in texts)
    with sent.tools() as tools:
        packages, events = tools.ledger.packages(1), tools.ledger.prover.events(1)
        digests = {part.sha256 for package in packages for part in (*package.documents, *package.messages)}
    assert len(digests) > 5
    assert {digest for digest in digests if digest not in json.dumps(found)} == set()
    assert [event["digest"] for event in found["events"]] == [digest for _, digest, _ in events]
    assert found["compared"]["faults"] == []
    for package in packages:
        assert package.key in said
        assert all(f"{part.target}: {part.state}" in said.replace(" ,", ",") for part in package.hand_overs)
    assert all(digest[:12] in said for _, digest, _ in events)
    with pytest.raises(DataError, match=r"not written as '\.txt'"), sent.tools() as tools:
        export(tools.ledger.run("1"), tools, verify(tools), Path("account.txt"))


@pytest.mark.skipif(shutil.which("openssl") is None and "CI" not in os.environ, reason="openssl is not installed")
def test_it_is_signed_with_a_key_that_openssl_checks_by(sent: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("RECORD_KEY", "milk")
    private, public = sent.folder / "record.pem", sent.folder / "record.pub"
    openssl = (
        "openssl",
        "genpkey",
        "-algorithm",
        "ed25519",
        "-aes256",
        "-pass",
        "env:RECORD_KEY",
        "-out",
        str(private),
    )
    subprocess.run(openssl, check=True, capture_output=True)
    wanted = ("openssl", "pkey", "-in", str(private), "-passin", "env:RECORD_KEY", "-pubout", "-out", str(public))
    subprocess.run(wanted, check=True, capture_output=True)
    settings = (sent.folder / "gonnet.yaml").read_text("utf-8")
    sent.write("gonnet.yaml", settings + "ledger: {sign: {key: record.pem, password: '${RECORD_KEY}'}}\n")
    sent.gonnet("verify", "--export", "last", "account.json")
    account = sent.folder / "account.json"
    by = ("-inkey", str(public), "-rawin", "-in", str(account), "-sigfile", f"{account}.sig")
    check = ("openssl", "pkeyutl", "-verify", "-pubin", *by)
    assert subprocess.run(check, capture_output=True, check=False).returncode == 0
    account.write_bytes(account.read_bytes().replace(b"Hallbank", b"Hallbanc"))
    assert subprocess.run(check, capture_output=True, check=False).returncode != 0
    for key, said in (("no.pem", "cannot be read"), ("milk.csv", "cannot be used")):
        sent.write("gonnet.yaml", settings + f"ledger: {{sign: {{key: {key}}}}}\n")
        with sent.tools() as tools, pytest.raises(JobError, match=said):
            export(tools.ledger.run("1"), tools, verify(tools), sent.folder / "other.json")
    assert not (sent.folder / "other.json").exists()


def test_a_copy_is_whole_while_others_write_and_works_where_it_is_put(sent: Dairy, tmp_path: Path) -> None:
    job = load_job(load_workspace(sent.folder), "statements")
    sent.write(".env", "RELAY=pass\n")
    (sent.folder / ".env").chmod(0o600)
    with sent.tools() as tools, sent.tools() as other:
        busy = threading.Thread(target=lambda: [prepare(job, other, Request(as_of=AS_OF, asked={})) for _ in range(3)])
        busy.start()
        made = copy(tools, tmp_path / "copy")
        busy.join()
        assert made.verdict.faults == ()
        assert verify(tools).faults == ()
        with pytest.raises(StorageError, match="there is something in the folder"):
            copy(tools, tmp_path / "copy")
        with pytest.raises(StorageError, match="inside of its workspace"):
            copy(tools, sent.folder / "copy")
    assert (tmp_path / "copy/archive").is_dir()
    assert made.without_passwords
    assert not (tmp_path / "copy/.env").exists()
    shutil.rmtree(sent.folder)
    with open_tools(load_workspace(tmp_path / "copy")) as tools:
        assert [fault for fault in verify(tools).faults if "outside of the ledger" not in fault.what] == []
    there = Dairy(folder=tmp_path / "copy", port=sent.port)
    script = Script()
    with serving(script, sent.port):
        assert "2 sent" in there.gonnet("send", "2", "--yes", code=3).stdout
    assert len(script.stored) == 4
