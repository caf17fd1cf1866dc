"""What each key was last sent by the same job: kept in the engine, so that it is in memory for some keys only."""

from __future__ import annotations

import datetime as dt
import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from itertools import islice
from zoneinfo import ZoneInfo

from gonnet import rules
from gonnet.data import Engine
from gonnet.jobs import Job
from gonnet.ledger.past import Sent
from gonnet.ledger.same import same
from gonnet.pipeline.surveying.portions import KEYS
from gonnet.pipeline.tools import Tools

_SENT = "gonnet_sent"
_AT_ONCE = 5_000  # keys


class Pasts:
    """What keys were last sent; nothing where nothing in the job asks for it. Gone through, it gives portions.

    Args:
        job: The job.
        tools: The tools.
        engine: The engine, with the keys of the run.
    """

    def __init__(self, job: Job, tools: Tools, engine: Engine) -> None:
        self._engine = engine
        # Texts merge it too, so any mention counts: it is read in vain at worst.
        self._is_asked = any(word in repr(job.file).casefold() for word in ("past", "earlier"))
        if self._is_asked:
            book = _Book(engine, tools.workspace.zone)
            tools.ledger.see_past(job.name, book.enter)
            self._is_asked = book.close()

    def __iter__(self) -> Iterator[dict[str, rules.Past]]:
        if self._is_asked:
            keys = (str(key) for (key,) in self._engine.stream(f"select gonnet_key from {KEYS}"))
            while portion := list(islice(keys, _AT_ONCE)):
                yield self.of(portion)

    def of(self, keys: Iterable[str]) -> dict[str, rules.Past]:
        """Those of some keys that were sent anything."""
        spelt: defaultdict[str, list[str]] = defaultdict(list)
        for key in keys if self._is_asked else ():
            spelt[same(key)].append(key)
        if not spelt:
            return {}
        # The range finds the place in what is sorted; the list leaves out whoever lies between.
        sql = f"""select * from {_SENT} where same_key between $first and $last
          and same_key in (select unnest(cast($wanted as varchar[])))"""
        bound = {"first": min(spelt), "last": max(spelt), "wanted": list(spelt)}
        found = {str(row[0]): _past(*row[1:]) for row in self._engine.query(sql, bound)}
        return {key: found[one] for one, mine in spelt.items() if one in found for key in mine}


class _Book:
    """Enters into the engine what was sent, some thousand lines at a time."""

    def __init__(self, engine: Engine, zone: ZoneInfo) -> None:
        self._engine, self._zone = engine, zone
        self._lines: list[tuple[str, int, dt.date, str, str, str]] = []
        named = "same_key varchar, times bigint, sent_on date, message varchar, figures varchar, contents varchar"
        engine.query(f"create or replace table {_SENT} ({named})")

    def enter(self, key: str, sent: Sent) -> None:
        """One key."""
        day = sent.at.astimezone(self._zone).date()
        told = json.dumps(dict(sent.figures)), json.dumps(sent.contents)
        self._lines.append((key, sent.times, day, sent.message, *told))
        if len(self._lines) == _AT_ONCE:
            self._flush()

    def close(self) -> bool:
        """Sort what was entered; whether it is anything."""
        self._flush()
        self._engine.query(f"create or replace table {_SENT} as select * from {_SENT} order by same_key")
        return self._engine.count(_SENT) > 0

    def _flush(self) -> None:
        kinds = ("varchar", "bigint", "date", "varchar", "varchar", "varchar")
        columns = zip(*self._lines, strict=True) if self._lines else ([] for _ in kinds)
        named = {f"c{at}": (kind, list(part)) for at, (kind, part) in enumerate(zip(kinds, columns, strict=True))}
        self._engine.put(f"{_SENT}_more", named)
        self._engine.query(f"insert into {_SENT} select * from {_SENT}_more")
        self._engine.query(f"drop table {_SENT}_more")
        self._lines = []


def _past(*row: object) -> rules.Past:
    times, sent_on, message, figures, contents = row
    assert isinstance(times, int)
    assert isinstance(sent_on, dt.date)
    return rules.Past(
        times=times,
        sent_on=sent_on,
        message=str(message),
        figures=json.loads(str(figures)),
        contents=tuple(json.loads(str(contents))),
    )
