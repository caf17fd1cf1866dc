"""Rules for many recipients against the bare GROUP BY of their figures: `python benchmarks/rules.py [KEYS [RULES]]`.

100,000 keys with ten rows each, six figures, twenty rules over figures, the list, the run, the whole and the past; the
bare query is the same figures in one GROUP BY, fetched. Each five times in turn, the best counts.
"""

from __future__ import annotations

import datetime as dt
import sys
import tempfile
import time
from pathlib import Path

from gonnet import rules
from gonnet.data import Engine
from gonnet.jobs import Job, load_job, load_workspace
from gonnet.split import by_key

_FIGURES = {
    "litres": "sum(litres)",
    "payable": "sum(amount)",
    "worst": "max(cells)",
    "mean": "avg(litres)",
    "first_on": "min(day)",
    "last_on": "max(day)",
}
_CONDITIONS = (
    "litres > {n} * 100",
    "payable < {n} * 50 and worst > 300",
    "worst > {n} + 200 and recipient.region = 'Westfell'",
    "litres > 0.0001 * whole.litres and run.weekday < 6",
    "past.times >= {n} or last_on - first_on > {n}",
)


def main() -> None:
    """Measure both ways in turn and print the ratio."""
    keys = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 20
    engine = Engine()
    engine.query(
        f"""create table milk as select lpad((g % {keys})::varchar, 6, '0') as farm_no,
        date '2026-10-01' + (g % 31)::integer as day, (100 + g % 1900)::integer as litres,
        (g % 99999 / 100)::decimal(12, 2) as amount, (g * 7 % 500)::integer as cells from range({keys} * 10) t(g)"""
    )
    slices = by_key(engine, "milk", ("farm_no",))
    with tempfile.TemporaryDirectory() as folder:
        job = _job(Path(folder), count)
        context = _context(list(slices.counts))
        engine.put("all_keys", {"gonnet_key": ("varchar", list(slices.counts))})
        bare, ours = [], []
        for _ in range(5):
            began = time.perf_counter()
            engine.query(
                "select gonnet_key, count(*), " + ", ".join(_FIGURES.values()) + " from gonnet_rows group by 1"
            )
            bare.append(time.perf_counter() - began)
            began = time.perf_counter()
            found = rules.evaluate(engine, job, "all_keys", context, {}).of()
            ours.append(time.perf_counter() - began)
    held = sum(sum(map(bool, one.conditions)) for one in found.values())
    print(f"{keys:,} keys, {keys * 10:,} rows, {len(_FIGURES)} figures, {count} rules; {held:,} times a rule holds")
    print(f"bare GROUP BY {min(bare):6.2f} s")
    print(f"rules         {min(ours):6.2f} s")
    print(f"ratio         {min(ours) / min(bare):6.2f}")


def _job(folder: Path, count: int) -> Job:
    conditions = (_CONDITIONS[n % len(_CONDITIONS)].format(n=n) for n in range(count))
    lines = "".join(f'  - {{name: r{n}, when: "{sql}", hold: x}}\n' for n, sql in enumerate(conditions))
    figures = "".join(f"  {name}: {sql}\n" for name, sql in _FIGURES.items())
    (folder / "jobs").mkdir()
    (folder / "gonnet.yaml").write_text("style: {organisation: x}\n", "utf-8")
    (folder / "jobs" / "rules.yaml").write_text(
        f"""title: Benchmark
data: {{milk: {{file: milk.csv}}}}
split: {{rows: milk, by: farm_no}}
figures:
{figures}rules:
{lines}reports: {{statement: {{title: x, blocks: [{{heading: x}}]}}}}
package: {{documents: [{{report: statement, as: pdf}}], name: x}}
""",
        "utf-8",
    )
    return load_job(load_workspace(folder), "rules")


def _context(keys: list[str]) -> rules.Context:
    regions = ("Westfell", "Eastmoor", "Lakeside")
    sent = rules.Past(
        times=2, sent_on=dt.date(2026, 10, 5), message="standard", figures={"litres": "900", "rows": "10"}, contents=()
    )
    return rules.Context(
        as_of=dt.date(2026, 11, 2),
        lines=[{key: {"region": regions[n % 3], "name": f"Farm {key}"} for n, key in enumerate(keys)}],
        columns=("region", "name"),
        past=[{key: sent for n, key in enumerate(keys) if n % 2}],
    )


if __name__ == "__main__":
    main()
