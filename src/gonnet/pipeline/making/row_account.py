"""The account of a run's rows while its packages are made: each row once, whatever the number of packages it is in.

A row is accounted for by the package of its key. Where keys have none, because every list bundles, it is delivered when
any bundle with its key leaves. That bundles show what their keys have is required of each.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from decimal import Decimal
from functools import cached_property
from itertools import islice

from gonnet.checks import Account
from gonnet.checks.accounting import Bookkeeper
from gonnet.errors import RunError
from gonnet.ledger import State
from gonnet.ledger.accounts import Share
from gonnet.packages import PackagePlan
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.survey import Survey
from gonnet.remembering import SeenTexts
from gonnet.rules.decisions import Cause
from gonnet.split import Slices

_OUR_FAULT = "This is a defect of Gonnet; nothing was sent, and nothing of this run can be. Please report it"

Sums = Mapping[str, Decimal]
_TOGETHER = 2_000  # keys
_ADDED_UP = 100_000  # keys: so many are added up at once, so that none of it needs much memory
_NOTHING: tuple[int, tuple[Decimal, ...]] = (0, ())


class RowBooks:
    """Where every row of a run went, of every data set that is split."""

    def __init__(self, found: Survey) -> None:
        self._books = {name: _Books(found, name, cut) for name, cut in found.cuts.items()}
        self._found = found
        self._bundles, self._rows_in_bundles = 0, 0

    def enter(self, plan: PackagePlan, made: Made | None, state: State) -> Share:
        """Enter a package: with what its documents show where it leaves, with what was read where not; its share.

        Raises:
            RunError: a bundle does not show what its keys have.
        """
        leaving = made if state is State.READY else None
        cause = made.held[0] if made is not None and made.held is not None else plan.decision.cause or Cause.RULE
        shares = {at: books.enter(plan, leaving, str(cause)) for at, books in enumerate(self._books.values())}
        if plan.is_bundle and leaving is not None:
            self._bundles += 1
            self._rows_in_bundles += sum(leaving.rows.values())
        names = ["", *list(self._books)[1:]]
        unseen = {at for at, books in enumerate(self._books.values()) if made is not None and not books.is_in(made)}
        return {names[at]: share for at, share in shares.items() if share is not None and at not in unseen}

    def account(self) -> dict[str, object]:
        """The account in plain values.

        Raises:
            RunError: the parts do not add up to the whole; nothing of this run can be sent.
        """
        measured = self._found.measured
        main, *others = ((name, books.account()) for name, books in self._books.items())
        kept = {"recipients": measured.recipients, "totals": dict(measured.totals), "rows": dict(measured.rows)}
        found = {"measured": kept} | main[1]
        if others:
            found["others"] = dict(others)
        if self._bundles:
            found["bundles"] = {"packages": self._bundles, "rows": self._rows_in_bundles}
        return found


class _Books:
    """Where every row of one data set went."""

    def __init__(self, found: Survey, name: str, cut: Slices) -> None:
        self._found, self._name, self._cut = found, name, cut
        self._controls = _controls(found, cut.view)
        self._sums = _SumsByKey(found, cut, self._controls)
        self._books = Bookkeeper()
        self._entered = SeenTexts()
        self._in_bundles: dict[str, str | None] = {}  # key → why no bundle with it leaves; None where one does

    def enter(self, plan: PackagePlan, leaving: Made | None, cause: str) -> dict[str, object] | None:
        """Enter a package; `cause` says why it does not leave. Its share; None for a bundle, whose keys have theirs.

        Raises:
            RunError: a bundle does not show what its keys have.
        """
        view = self._cut.view
        rows = leaving.rows.get(view) if leaving is not None else None
        if leaving is not None and rows is None:
            cause = str(Cause.NOT_SHOWN)
        sums = {column: total for (of, column), total in leaving.sums.items() if of == view} if leaving else {}
        if plan.is_bundle:
            if rows is not None:
                self._require_all(plan, rows, sums)
            for key in plan.addressed.keys:
                if rows is not None or key not in self._in_bundles:
                    self._in_bundles[key] = None if rows is not None else cause
            return None
        self._entered.add(plan.key)
        own = self._own(plan.key)
        mine = {**own, **sums} if rows is not None else own
        count = rows if rows is not None else self._sums.of(plan.key)[0]
        if rows is not None:
            self._books.deliver(count, mine)
        else:
            self._books.withhold(cause, count, own)
        named = {self._controls[column]: _plain(total) for column, total in mine.items() if column in self._controls}
        return {"rows": count, "cause": "" if rows is not None else cause, "sums": named}

    def _own(self, key: str | None) -> dict[str, Decimal]:
        """SQL of a column → its exact sum over the rows of a key; of those without one where it is None."""
        _, totals = self._sums.of(key)
        return dict(zip(self._controls, totals, strict=True)) if totals else {}

    def is_in(self, made: Made) -> bool:
        """Whether some document of a package shows its rows of this data set."""
        return self._cut.view in made.rows

    def _require_all(self, plan: PackagePlan, shown: int, sums: Sums) -> None:
        rows = sum(self._sums.of(key)[0] for key in plan.addressed.keys)
        wrong = [] if shown == rows else [f"{shown} rows of {rows}"]
        for column, total in sums.items():
            whole = sum((self._own(key).get(column, Decimal()) for key in plan.addressed.keys), Decimal())
            if total != whole:
                wrong.append(f"{self._controls[column]}: {total} is not {whole}")
        if wrong:
            raise RunError(f"the bundle for {plan.key} does not add up: {'; '.join(wrong)}", fix=_OUR_FAULT)

    def account(self) -> dict[str, object]:
        """The account in plain values.

        Raises:
            RunError: the parts do not add up to the whole.
        """
        cut, books = self._cut, self._books
        books.withhold(str(Cause.NO_KEY), cut.without_key, self._own(None))
        for key, rows in self._sums.counts():
            if key not in self._entered:
                own = self._own(key)
                cause = self._in_bundles.get(key, str(Cause.NOT_CHOSEN))
                if cause is None:
                    books.deliver(rows, own)
                else:
                    books.withhold(cause, rows, own)
        account = books.close(cut.read, _whole(self._found, cut.view, self._controls))
        if not account.agrees:
            what = f"the parts of {self._name} do not add up to the whole: {_disagreement(account)}"
            raise RunError(what, fix=_OUR_FAULT)
        return {
            "read": account.read,
            "delivered": account.delivered,
            "withheld": dict(account.withheld),
            "controls": [
                {"column": self._controls[c.column]}
                | {part: _plain(getattr(c, part)) for part in ("whole", "delivered", "withheld")}
                for c in account.controls
            ],
        }


class _SumsByKey:
    """How many rows each key has, and the exact sums of some columns over them: kept in the engine's tables.

    Packages are entered in key order, so that those of the next ones are fetched together. They are added up when the
    first is asked for: by then the rows are in key order, where there are many.

    Args:
        found: The run.
        cut: The rows.
        columns: The columns, as SQL.
    """

    def __init__(self, found: Survey, cut: Slices, columns: Collection[str]) -> None:
        self._engine, self._cut, self._columns = found.engine, cut, columns
        self._bound = found.values.bound()
        self._most = None if found.plans.bundles else _TOGETHER  # bundles ask for keys in any order
        self._block: dict[str | None, tuple[int, tuple[Decimal, ...]]] = {}
        self._first = self._last = ""

    @cached_property
    def _table(self) -> str:
        table, view = f"{self._cut.view}_sums", self._cut.view
        more = f", {_summed(self._columns)}" if self._columns else ""
        query = f"select gonnet_key, count(*) as gonnet_many{more} from {view}"
        starts = list(islice(self._cut.counts, _ADDED_UP, None, _ADDED_UP))
        into = f"create or replace table {table} as"
        for first, end in zip([None, *starts], [*starts, None], strict=True):
            # What has no key belongs to the first part.
            least = "gonnet_key >= $gonnet_first" if first is not None else "true"
            most = "gonnet_key < $gonnet_end" if end is not None else "true"
            within = f"{least} and {most}" if first is not None else f"gonnet_key is null or {most}"
            bound = {**self._bound, "gonnet_first": first, "gonnet_end": end}
            self._engine.query(f"{into} {query} where {within} group by 1 order by 1", bound)
            into = f"insert into {table}"
        return table

    @cached_property
    def _without(self) -> dict[str | None, tuple[int, tuple[Decimal, ...]]]:
        return self._fetched("gonnet_key is null", {})

    def of(self, key: str | None) -> tuple[int, tuple[Decimal, ...]]:
        """The rows and the sums of a key, or of what has none; no sums where it has no rows."""
        if key is None:
            return self._without.get(None, _NOTHING)
        if not self._block or not self._first <= key <= self._last:
            self._turn_to(key)
        return self._block.get(key, _NOTHING)

    def counts(self) -> Iterator[tuple[str, int]]:
        """Every key with its rows, in key order."""
        at: str | None = ""
        while at is not None:
            sql = (
                f"select gonnet_key, gonnet_many from {self._table} where gonnet_key > $at order by 1 limit {_TOGETHER}"
            )
            found = self._engine.query(sql, {"at": at})
            yield from ((str(key), int(str(many))) for key, many in found)
            at = str(found[-1][0]) if found else None

    def _turn_to(self, key: str) -> None:
        """Fetch a key and those after it; or all of them."""
        if self._most is None:
            self._block, self._first, self._last = self._fetched("gonnet_key is not null", {}), "", "\U0010ffff"
            return
        self._block = self._fetched(f"gonnet_key >= $key order by gonnet_key limit {self._most}", {"key": key})
        self._first, self._last = key, str(max(filter(None, self._block), default=""))
        if len(self._block) < self._most:
            self._last = "\U0010ffff"

    def _fetched(self, wanted: str, values: Mapping[str, object]) -> dict[str | None, tuple[int, tuple[Decimal, ...]]]:
        rows = self._engine.query(f"select * from {self._table} where {wanted}", values)
        return {
            None if key is None else str(key): (int(str(many)), tuple(Decimal(str(total)) for total in totals))
            for key, many, *totals in rows
        }


def _controls(found: Survey, view: str) -> dict[str, str]:
    """SQL → name of every column that a report over a view totals by sum in each package."""
    return {
        column.sql: column.field
        for report in found.house.reports
        if report.view == view
        for table in report.tables()
        for column in table.columns
        if column.total == "sum" and table.control
    }


def _summed(columns: Iterable[str]) -> str:
    return ", ".join(f"cast(coalesce(sum({column}), 0) as varchar)" for column in columns)


def _plain(total: Decimal) -> str:
    """An exact total without the zeros that only its type has; the first two decimals stay."""
    text = f"{total:f}"
    whole, point, decimals = text.partition(".")
    return f"{whole}.{decimals.rstrip('0').ljust(min(2, len(decimals)), '0')}" if point else text


def _whole(found: Survey, view: str, columns: Collection[str]) -> dict[str, Decimal]:
    """SQL of a column → its sum over every row read, in one pass that knows no keys."""
    if not columns:
        return {}
    totals = found.engine.query(f"select {_summed(columns)} from {view}", found.values.bound())[0]
    return {column: Decimal(str(total)) for column, total in zip(columns, totals, strict=True)}


def _disagreement(account: Account) -> str:
    parts = [
        f"{control.column}: {control.delivered} + {control.withheld} is not {control.whole}"
        for control in account.controls
        if not control.agrees
    ]
    rows = account.delivered + sum(account.withheld.values())
    return "; ".join(parts) or f"{rows} rows of {account.read}"
