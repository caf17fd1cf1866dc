"""The ledger's tables. A change of them needs a revision in `migrations/`, and a new `VERSION`."""

from __future__ import annotations

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    UniqueConstraint,
)

VERSION = 12

metadata = MetaData()

about = Table(
    "about",
    metadata,
    Column("version", Integer, nullable=False),
    Column("written_by", String, nullable=False),
    Column("identity", String(32), nullable=False),
    Column("home", Text, nullable=False),
    Column("sends", Integer, nullable=False, default=0),
    Column("events", Integer, nullable=False, default=0),
    Column("head", String(64), nullable=False, default=""),
)

runs = Table(
    "runs",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("job", String, nullable=False),
    Column("title", Text, nullable=False),
    Column("job_sha256", String(64), nullable=False),
    Column("state", String, nullable=False),
    Column("as_of", String(10), nullable=False),
    Column("prepared", String, nullable=False),
    Column("seconds", Integer, nullable=False, default=0),
    Column("parameters", JSON, nullable=False),
    Column("period", String, nullable=False),
    Column("cycle", Text, nullable=False),
    Column("purpose", String, nullable=False, default="regular"),
    Column("only", Text, nullable=False, default="[]"),
    Column("account", JSON, nullable=False),
    Column("findings", JSON, nullable=False),
    Column("unsearched", JSON, nullable=False, default=list),
    Column("sealed", String, nullable=False, default="open"),
    Column("reviewed", String),
    Column("reason", Text, nullable=False, default=""),
    Column("occurrence_id", Integer, index=True),
    Column("prepared_by", String, nullable=False, default=""),
    Column("approval", JSON, nullable=False, default=list),
    Index("runs_by_job", "job", "cycle"),
)

approvals = Table(
    "approvals",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("run_id", ForeignKey("runs.id"), nullable=False, index=True),
    Column("who", String, nullable=False),
    Column("at", String, nullable=False),
    Column("why", Text, nullable=False),
    Column("digest", String(64), nullable=False),
    Column("voided", String),
    Column("signature", String(88), nullable=False, default=""),
)

packages = Table(
    "packages",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("run_id", ForeignKey("runs.id"), nullable=False),
    Column("key", Text, nullable=False),
    Column("same_key", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("state", String, nullable=False),
    Column("prepared_as", String, nullable=False),
    Column("reason", Text, nullable=False),
    Column("rows", Integer, nullable=False),
    Column("share", JSON, nullable=False),
    Column("figures", JSON, nullable=False),
    Column("odd", JSON, nullable=False),
    Column("seal", String(64), nullable=False),
    Column("steps", JSON, nullable=False),
    Column("keys", JSON, nullable=False),
    Column("hits", JSON, nullable=False, default=list),
    Column("once", Text, nullable=False, default=""),
    Column("contacts", JSON, nullable=False, default=list),
    Column("kept", JSON, nullable=False, default=dict),
    Index("packages_by_run", "run_id", "key", unique=True),
)

documents = Table(
    "documents",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("package_id", ForeignKey("packages.id"), nullable=False, index=True),
    Column("name", Text, nullable=False),
    Column("report", String, nullable=False),
    Column("format", String, nullable=False),
    Column("sha256", String(64), nullable=False),
    Column("bytes", Integer, nullable=False),
    Column("pages", Integer),
    Column("rows", Integer, nullable=False),
    Column("content", String(64), nullable=False),
)

messages = Table(
    "messages",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("package_id", ForeignKey("packages.id"), nullable=False, index=True),
    Column("message_id", String, nullable=False, unique=True),
    Column("called", String, nullable=False),
    Column("subject", Text, nullable=False),
    Column("sender", Text, nullable=False),
    Column("server", String, nullable=False),
    Column("to", JSON, nullable=False),
    Column("cc", JSON, nullable=False),
    Column("bcc", JSON, nullable=False),
    Column("files", JSON, nullable=False),
    Column("sha256", String(64), nullable=False),
)

hand_overs = Table(
    "hand_overs",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("run_id", ForeignKey("runs.id")),
    Column("package_id", ForeignKey("packages.id"), index=True),
    Column("message_id", ForeignKey("messages.id"), index=True),
    Column("purpose", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("way", String, nullable=False, default=""),
    Column("target_kind", String, nullable=False),
    Column("target", Text, nullable=False),
    Column("place", Text, nullable=False, default=""),
    Column("existing", String, nullable=False, default=""),
    Column("sha256", String(64), nullable=False, default=""),
    Column("state", String, nullable=False),
    Column("refused", String, nullable=False, default=""),
    Column("code", Integer),
    Column("reply", Text, nullable=False, default=""),
    Column("put_at", Text, nullable=False, default=""),
    Column("at", String),
    Column("day", String(10)),
    Column("attempts", Integer, nullable=False, default=0),
    Index("hand_overs_by_run", "run_id"),
    Index("hand_overs_by_day", "day"),
    Index("hand_overs_by_target", "target"),
)

write_backs = Table(
    "write_backs",
    metadata,
    Column("package_id", ForeignKey("packages.id"), primary_key=True),
    Column("state", String, nullable=False),
    Column("at", String, nullable=False),
)

events = Table(
    "events",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("run_id", ForeignKey("runs.id"), nullable=False, index=True),
    Column("package_id", ForeignKey("packages.id"), index=True),
    Column("at", String, nullable=False),
    Column("what", Text, nullable=False),
    Column("part_id", Integer),
    Column("content", String(64)),
    Column("standing", String(64)),
    Column("salt", String(16), nullable=False),
    Column("said", String(64)),
    Column("digest", String(64), nullable=False),
)

paces = Table("paces", metadata, Column("name", String, primary_key=True), Column("free_at", Float, nullable=False))

entries = Table(
    "entries",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("job", String, nullable=False),
    Column("name", String, nullable=False),
    Column("says", JSON, nullable=False),
    Column("since", String, nullable=False),
    Column("seen", String, nullable=False),
    Column("mark", Text, nullable=False, default=""),
    Column("unasked", Integer, nullable=False, default=0),
    UniqueConstraint("job", "name"),
)

occurrences = Table(
    "occurrences",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("job", String, nullable=False),
    Column("entry", String, nullable=False),
    Column("named", String, nullable=False),
    Column("due", String, nullable=False),
    Column("says", JSON, nullable=False),
    Column("state", String, nullable=False),
    Column("reason", Text, nullable=False, default=""),
    Column("entered", String, nullable=False),
    Column("begun", String),
    Column("ended", String),
    Column("tries", Integer, nullable=False, default=0),
    Column("next_try", String),
    Column("mark", Text, nullable=False, default=""),
    UniqueConstraint("job", "entry", "named"),
    Index("occurrences_by_state", "state"),
)

pauses = Table(
    "pauses",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("job", String, nullable=False, index=True),
    Column("at", String, nullable=False),
    Column("until", String(10)),
    Column("who", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("resumed", String),
    Column("resumed_by", Text, nullable=False, default=""),
)

notices = Table(
    "notices",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("occurrence_id", Integer, index=True),
    Column("run_id", Integer),
    Column("tell", Text, nullable=False, default=""),
    Column("subject", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("told", String),
    Column("trouble", Text, nullable=False, default=""),
    Column("alarmed", String),
    Column("is_digest", Boolean, nullable=False, default=False),
)
