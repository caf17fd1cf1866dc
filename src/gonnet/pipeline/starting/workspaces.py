"""The workspace that a first job goes into: the one there is, or a new one."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from gonnet import schemas
from gonnet.errors import JobError, meant
from gonnet.jobs import load_workspace
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database
from gonnet.pipeline.starting.sources import Pool

_WORKSPACE = """\
# A workspace of Gonnet: jobs are in jobs/, one YAML file each.

style:
  organisation: ""            # shown at the head of every page
  locale: en                  # how numbers and dates are written: en_IE, de_AT …
  # currency: EUR

mail_servers:
  try_out:                    # the stand-in server, which reaches nobody: `gonnet mailbox serve`
    host: 127.0.0.1
    port: 2525
    security: none
  # Your own instead: STARTTLS with a checked certificate is the default.
  # office:
  #   host: mail.example.test
  #   user: reports
  #   password: ${MAIL_PASSWORD}
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where a first job goes.

    Attributes:
        folder: The workspace, or the folder that becomes one.
    """

    folder: Path

    @property
    def settings(self) -> Path:
        """Its `gonnet.yaml`."""
        return self.folder / "gonnet.yaml"

    @property
    def is_new(self) -> bool:
        """Whether it has none yet."""
        return not self.settings.exists()

    @property
    def language(self) -> str:
        """The language of the house."""
        return "en" if self.is_new else load_workspace(self.folder).file.style.locale

    def pool(self, name: str) -> Pool:
        """The database that a person names: one of the workspace, or its URL.

        Raises:
            JobError: there is no such one, or the URL cannot be used.
        """
        known = {} if self.is_new else load_workspace(self.folder).file.databases
        secrets = Secrets.of(self.folder)
        if "://" not in name:
            if name not in known:
                fix = (
                    meant(name, list(known), noun="database") if known else "Give its URL: postgresql://user@host/name"
                )
                raise JobError(f"gonnet.yaml has no database '{name}'", where="--database", fix=fix)
            return Pool(name=name, database=known[name], secrets=secrets, folder=self.folder)
        same = next((called for called, database in known.items() if database.url == name), None)
        try:
            database = Database(url=name)
        except ValidationError as error:
            said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
            raise JobError(said.partition(": ")[0], where="--database", fix=said.partition(": ")[2]) from error
        return Pool(name=same or _called(name, list(known)), database=database, secrets=secrets, folder=self.folder)

    def begin(self, outside: Sequence[str], pool: Pool | None) -> bool:
        """Write what the workspace lacks; returns whether it is new.

        Args:
            outside: Folders outside of it from which its jobs take files.
            pool: The database that its job reads.

        Raises:
            JobError: a database must be added to a file that has some.
        """
        is_new = self.is_new
        if is_new:
            reads = f"\nreads: {json.dumps(outside)}    # folders outside of this one from which jobs may take files\n"
            text = schemas.marked("workspace", _WORKSPACE) + (reads if outside else "")
        else:
            text = self.settings.read_text("utf-8")
        if pool is not None and (is_new or pool.name not in load_workspace(self.folder).file.databases):
            line = f"  {pool.name}: {{url: {json.dumps(pool.database.url)}}}"
            if re.search(r"^databases:", text, re.MULTILINE):
                what = f"gonnet.yaml does not have the database '{pool.name}' yet"
                raise JobError(what, where="--database", fix=f"Write below `databases:` there: {line.strip()}")
            text = f"{text.rstrip()}\n\ndatabases:\n{line}\n"
        if is_new or text != self.settings.read_text("utf-8"):
            self.settings.write_text(text, "utf-8")
        return is_new


def _called(url: str, known: Sequence[str]) -> str:
    """A name for a database of which only the URL is known."""
    last = re.sub(r"[?#].*", "", url).rstrip("/").rpartition("/")[2].partition(".")[0]
    name = re.sub(r"[^A-Za-z0-9_]", "_", last)
    name = name if re.match(r"[A-Za-z]", name) else "pool"
    return name if name not in known else f"{name}_2"
