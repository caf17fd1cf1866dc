"""Schema 5: one table of hand-overs in place of deliveries, filings and trials; runs with their cycle and purpose.

Revision ID: 5
"""

from __future__ import annotations

import json
import uuid
from collections.abc import Iterator

import sqlalchemy as sa
from alembic import op

from gonnet.ledger.same import same

revision = "5"
down_revision = "4"

_STATES = {"handing": "begun", "later": "deferred"}  # the others keep their names
_TEXT = sa.Text()


def upgrade() -> None:
    """Bring everything over; numbers of runs, packages and messages stay."""
    _make_hand_overs()
    _bring_deliveries()
    _bring_filings()
    _bring_trials()
    for table in ("deliveries", "filings", "trials"):
        op.drop_table(table)
    _runs()
    _packages()
    _about()


def _make_hand_overs() -> None:
    def text(name: str) -> sa.Column[str]:
        return sa.Column(name, _TEXT, nullable=False, server_default="")

    def of(table: str, *, required: bool = False) -> sa.Column[int]:
        name = f"{table.removesuffix('s')}_id"
        return sa.Column(name, sa.Integer, sa.ForeignKey(f"{table}.id"), nullable=not required)

    op.create_table(
        "hand_overs",
        sa.Column("id", sa.Integer, primary_key=True),
        of("runs", required=True),
        of("packages"),
        of("messages"),
        *(sa.Column(name, sa.String, nullable=False) for name in ("purpose", "kind")),
        text("way"),
        sa.Column("target_kind", sa.String, nullable=False),
        sa.Column("target", _TEXT, nullable=False),
        *(text(name) for name in ("place", "existing", "sha256")),
        sa.Column("state", sa.String, nullable=False),
        text("refused"),
        sa.Column("code", sa.Integer),
        *(text(name) for name in ("reply", "put_at")),
        sa.Column("at", sa.String),
        sa.Column("day", sa.String(10)),
        sa.Column("attempts", sa.Integer, nullable=False, server_default="0"),
    )
    for name in ("package_id", "message_id"):
        op.create_index(f"ix_hand_overs_{name}", "hand_overs", [name])
    op.create_index("hand_overs_by_run", "hand_overs", ["run_id", "target_kind", "state"])
    op.create_index("hand_overs_by_day", "hand_overs", ["day", "target_kind", "state"])
    op.create_index("hand_overs_by_place", "hand_overs", ["target", "put_at"])


def _rows(query: str) -> list[dict[str, object]]:
    return [dict(row) for row in op.get_bind().execute(sa.text(query)).mappings()]


def _insert(lines: list[dict[str, object]]) -> None:
    work = op.get_bind()
    for line in lines:
        names = ", ".join(line)
        values = ", ".join(f":{name}" for name in line)
        work.execute(sa.text(f"insert into hand_overs ({names}) values ({values})"), line)


def _bring_deliveries() -> None:
    query = (
        "select p.run_id, m.package_id, d.message_id, d.address, d.state, d.code, d.reply, d.at, d.attempts"
        " from deliveries d join messages m on m.id = d.message_id join packages p on p.id = m.package_id order by d.id"
    )
    sends: dict[tuple[object, object], int] = {}

    def brought() -> Iterator[dict[str, object]]:
        for row in _rows(query):
            place = (row["package_id"], row["address"])
            sends[place] = sends.get(place, 0) + 1
            state = _STATES.get(str(row["state"]), row["state"])
            row |= {"state": state, "target": row.pop("address"), "target_kind": "address", "kind": "message"}
            row |= {"purpose": "regular" if sends[place] == 1 else "extra", "day": str(row["at"] or "")[:10] or None}
            yield row | {"reply": row["reply"] or ""}

    _insert(list(brought()))


def _bring_filings() -> None:
    query = (
        "select p.run_id, f.package_id, f.way, f.root, f.place, f.existing, f.sha256, f.state, f.put_at, f.reply, f.at"
        " from filings f join packages p on p.id = f.package_id order by f.id"
    )
    found, prints = [], set()
    for row in _rows(query):
        kind, target_kind, target = _typed(str(row.pop("root")), str(row["place"]))
        done = {"file": "filed", "draft": "drafted", "print": "printed"}[kind]
        state = done if row["state"] == "sent" else _STATES.get(str(row["state"]), row["state"])
        again = kind == "print" and (row["package_id"], target, row["place"]) in prints
        prints.add((row["package_id"], target, row["place"]))
        row |= {"kind": kind, "target_kind": target_kind, "target": target, "state": state, "day": None}
        found.append(row | {"purpose": "extra" if again else "regular"})
    _insert(found)


def _typed(root: str, place: str) -> tuple[str, str, str]:
    if root.startswith("imap:"):
        return "draft", "mailbox", root.removeprefix("imap:")
    if root.startswith("printer:"):
        return "print", "printer", root.removeprefix("printer:")
    return ("draft" if place.endswith(".eml") else "file"), "folder", root


def _bring_trials() -> None:
    query = (
        "select p.run_id, m.package_id, t.message_id, t.address as target, t.state, t.code, t.reply, t.at"
        " from trials t join messages m on m.id = t.message_id join packages p on p.id = m.package_id order by t.id"
    )
    same_for_all = {"purpose": "trial", "kind": "message", "target_kind": "address", "attempts": 1}
    _insert(
        [
            row
            | same_for_all
            | {"state": _STATES.get(str(row["state"]), row["state"]), "day": str(row["at"])[:10], "reply": row["reply"]}
            for row in _rows(query)
        ]
    )


def _runs() -> None:
    op.add_column("runs", sa.Column("cycle", _TEXT, nullable=False, server_default=""))
    op.add_column("runs", sa.Column("purpose", sa.String, nullable=False, server_default="regular"))
    op.add_column("runs", sa.Column("only", _TEXT, nullable=False, server_default="[]"))
    op.create_index("runs_by_job", "runs", ["job", "cycle"])
    work = op.get_bind()
    for row in _rows("select id, parameters, period, as_of, state from runs"):
        given = {str(name): str(value) for name, value in json.loads(str(row["parameters"])).items()}
        in_period = str(row["period"]).split(", ")
        spans = [value for name, value in given.items() if f"{name} {value}" in in_period]
        cycle = same(", ".join(sorted(spans or given.values())) or str(row["as_of"]))
        state = "aborted" if row["state"] == "broken off" else row["state"]
        values = {"cycle": cycle, "state": state, "id": row["id"]}
        work.execute(sa.text("update runs set cycle = :cycle, state = :state where id = :id"), values)
    anew = "select distinct run_id from events where what like 'made anew in place of run %'"
    op.execute(f"update runs set purpose = 'extra' where id in ({anew})")


def _packages() -> None:
    op.add_column("packages", sa.Column("same_key", _TEXT, nullable=False, server_default=""))
    op.add_column("packages", sa.Column("share", sa.JSON(), nullable=False, server_default="{}"))
    work = op.get_bind()
    for row in _rows("select id, key from packages"):
        values = {"same": same(str(row["key"])), "id": row["id"]}
        work.execute(sa.text("update packages set same_key = :same where id = :id"), values)
    doubt = "select package_id from hand_overs where state = 'begun' and target_kind in ('address', 'printer')"
    op.execute(f"update packages set state = 'unsure' where id in ({doubt})")


def _about() -> None:
    for name in ("written_by", "identity", "home"):
        op.add_column("about", sa.Column(name, _TEXT, nullable=False, server_default=""))
    op.add_column("about", sa.Column("sends", sa.Integer, nullable=False, server_default="0"))
    op.get_bind().execute(sa.text("update about set identity = :identity"), {"identity": uuid.uuid4().hex})
