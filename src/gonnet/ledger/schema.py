"""The ledger's tables."""

from __future__ import annotations

from sqlalchemy import JSON, Column, ForeignKey, Index, Integer, MetaData, String, Table, Text

VERSION = 4

metadata = MetaData()

about = Table("about", metadata, Column("version", Integer, nullable=False))

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
    Column("account", JSON, nullable=False),
    Column("findings", JSON, nullable=False),
    Column("reviewed", String),
)

packages = Table(
    "packages",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("run_id", ForeignKey("runs.id"), nullable=False),
    Column("key", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("state", String, nullable=False),
    Column("prepared_as", String, nullable=False),
    Column("reason", Text, nullable=False),
    Column("rows", Integer, nullable=False),
    Column("figures", JSON, nullable=False),
    Column("odd", JSON, nullable=False),
    Column("seal", String(64), nullable=False),
    Column("steps", JSON, nullable=False),
    Column("keys", JSON, nullable=False),
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

deliveries = Table(
    "deliveries",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("message_id", ForeignKey("messages.id"), nullable=False, index=True),
    Column("address", Text, nullable=False),
    Column("state", String, nullable=False),
    Column("code", Integer),
    Column("reply", Text, nullable=False, default=""),
    Column("at", String),
    Column("attempts", Integer, nullable=False, default=0),
)

filings = Table(
    "filings",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("package_id", ForeignKey("packages.id"), nullable=False, index=True),
    Column("way", String, nullable=False),
    Column("root", String, nullable=False),
    Column("place", Text, nullable=False),
    Column("existing", String, nullable=False),
    Column("sha256", String(64), nullable=False),
    Column("state", String, nullable=False),
    Column("put_at", Text, nullable=False, default=""),
    Column("reply", Text, nullable=False, default=""),
    Column("at", String),
    Index("filings_by_place", "root", "put_at"),
)

write_backs = Table(
    "write_backs",
    metadata,
    Column("package_id", ForeignKey("packages.id"), primary_key=True),
    Column("state", String, nullable=False),
    Column("at", String, nullable=False),
)

trials = Table(
    "trials",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("message_id", ForeignKey("messages.id"), nullable=False, index=True),
    Column("address", Text, nullable=False),
    Column("state", String, nullable=False),
    Column("code", Integer),
    Column("reply", Text, nullable=False),
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
)
