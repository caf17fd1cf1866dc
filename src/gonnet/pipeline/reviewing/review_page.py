"""The review as one page that needs no server: everything that is about to leave, to look at before it does.

The page holds everybody's figures, so it is for the eyes of those who may see them all; nobody else may read the file.
"""

from __future__ import annotations

import base64
import copy
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from decimal import Decimal
from importlib import resources
from typing import Any

import pypdfium2
from jinja2 import Environment, StrictUndefined

from gonnet import delivery
from gonnet.errors import typed
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.reviewing.by_hand import ways_on
from gonnet.pipeline.reviewing.comparison import Comparison, against_last, labels, spread, values_of
from gonnet.pipeline.reviewing.listing import changes, in_order
from gonnet.pipeline.reviewing.sampling import sample
from gonnet.pipeline.sending.choosing import sent_already
from gonnet.pipeline.sending.gate import earlier_in_words
from gonnet.pipeline.tools import Tools

_WIDTH = 620  # pixels of a picture
_MOST = 40  # lines of what moved


def review_page(
    run: RunRecord,
    packages: Sequence[PackageRecord],
    against: Comparison | None,
    tools: Tools,
    pictures: int,
    figure: str = "",
) -> str:
    """The page.

    Args:
        run: The run.
        packages: Its packages, in the order of their keys.
        against: What is otherwise than in the run before, or None.
        tools: The tools.
        pictures: How many packages are shown with picture and message, those that need a decision first.
        figure: The figure whose distribution is drawn; the first one when empty.
    """
    changed = changes(against)
    part = sample(in_order(packages, against), changed)
    names = [name for name in (packages[0].figures if packages else {}) if name != "rows"]
    chosen = figure if figure in names else next((n for n in names if values_of(packages, n)), "")
    data = [
        _package(run, package, changed.get(package.key, ()), tools, at < pictures)
        for at, package in enumerate(part.shown)
    ]
    source = (resources.files("gonnet.pipeline.reviewing") / "review_page.html").read_text("utf-8")
    environment = Environment(autoescape=True, undefined=StrictUndefined)
    environment.filters["grouped"] = lambda value: f"{Decimal(str(value)):,f}"
    page = environment.from_string(source)
    account: Any = _with_what_is_left(run.account)
    others = [(f" of {name}", part) for name, part in account.get("others", {}).items()] if account else []
    findings = sorted((*_earlier(run, tools), *run.findings), key=lambda finding: finding[0] != "attention")
    return page.render(
        run=run,
        counts=list(run.came.items()),
        accounts=[("", {"bundles": None} | account), *others] if account else [],
        has_left=bool(account) and any(part["sent"] for part in (account, *account.get("others", {}).values())),
        findings=findings,
        wanting=sum(weight == "attention" for weight, _ in findings),
        unsearched=run.unsearched,
        figures=names,
        against=against,
        moved=against.moved[:_MOST] if against is not None else (),
        chart=list(_bars(packages, against, chosen)),
        chosen=chosen,
        pictures=min(pictures, len(packages)),
        part=part,
        total=len(packages),
        data=_embedded(data),
    )


def whole_review(run: RunRecord, tools: Tools, pictures: int, largest: int) -> bytes | None:
    """The page of all packages of a run, of at most so many bytes; None where it is larger, even without pictures."""
    packages = tools.ledger.packages(run.id)
    against = against_last(run, packages, tools.ledger)
    pages = (review_page(run, packages, against, tools, some).encode("utf-8") for some in (pictures, 0))
    return next((page for page in pages if len(page) <= largest), None)


def _with_what_is_left(account: Mapping[str, Any]) -> dict[str, Any]:
    """The account, with what each control total has still to deliver."""
    found = copy.deepcopy(dict(account))
    for part in (found, *found.get("others", {}).values()) if found else ():
        for control in part["controls"]:
            control["left"] = f"{Decimal(control['delivered']) - Decimal(control['sent']):f}"
    return found


def _embedded(data: object) -> str:
    """JSON that cannot end the script element in which it stands."""
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":"))
    return text.replace("&", "\\u0026").replace("<", "\\u003c").replace(">", "\\u003e")


def _package(
    run: RunRecord, package: PackageRecord, changed: Sequence[str], tools: Tools, full: bool
) -> dict[str, Any]:
    messages = [
        {
            "subject": message.subject,
            "to": list(message.to),
            "cc": list(message.cc),
            "bcc": list(message.bcc),
            "files": list(message.files),
            "page": page,
            "remote": delivery.remote_targets(page),
        }
        for message in package.messages
        for page in [delivery.html_page(tools.store.get(message.sha256)) if full else ""]
    ]
    pictured, picture = _picture(package, tools) if full else ("", "")
    return {
        "key": package.key,
        "name": package.name,
        "state": package.came_to,
        "reason": package.reason,
        "to": list(package.to) or [str(part) for part in package.placed[:1]],
        "rows": package.rows,
        "keys": list(package.keys),
        "figures": dict(package.figures),
        "odd": [*package.odd, *changed],
        "hits": [f"'{hit.value}' of {hit.owner} in {hit.place}: {hit.context}" for hit in package.hits],
        "contacts": [[str(contact), bool(contact.use)] for contact in package.contacts],
        "rules": [[rule, list(changes), list(gone)] for rule, held, changes, gone in package.steps if held],
        "documents": [[part.name, part.pages, part.bytes] for part in package.documents],
        "places": [str(part) for part in package.placed],
        "messages": messages,
        "full": full,
        "picture": picture,
        "pictured": pictured,
        "kinds": ", ".join(part.format for part in package.documents),
        "ways": ", ".join(package.ways),
        "commands": list(_commands(run, package)),
    }


def _commands(run: RunRecord, package: PackageRecord) -> Iterator[tuple[str, str]]:
    """What a person may decide about a package, each with its command."""
    key, why = package.key, ("--why", "REASON")
    if package.state in (State.HELD, State.SKIPPED):
        yield "release it", typed("release", run.id, key, *why)
    if package.state is State.READY:
        yield "hold it", typed("hold", run.id, key, *why)
    if package.state in (State.READY, State.HELD):
        yield "skip it", typed("skip", run.id, key, *why)
    if package.state in (State.READY, State.HELD) and any(message.server for message in package.messages):
        yield "change its address", typed("amend", run.id, key, "--to", "ADDRESS", *why)
    if package.state is State.SENT:
        yield "send it again", typed("resend", run.id, key, *why)
    if package.state in (State.FAILED, State.UNSURE):
        yield from ((what, command) for command, what in ways_on(str(run.id), package))


def _picture(package: PackageRecord, tools: Tools) -> tuple[str, str]:
    """Name and first page, as a data address, of its first PDF that opens without a password; empty without one."""
    for document in package.documents:
        if document.format == "pdf":
            try:
                opened = pypdfium2.PdfDocument(tools.store.get(document.sha256))
            except pypdfium2.PdfiumError:
                continue
            with closing(opened):
                page = opened[0]
                target = io.BytesIO()
                image = page.render(scale=_WIDTH / page.get_width()).to_pil().convert("P", colors=32)
                image.save(target, "PNG", optimize=True)
                data = base64.b64encode(target.getvalue()).decode("ascii")
                return document.name, f"data:image/png;base64,{data}"
    return "", ""


def _bars(
    packages: Sequence[PackageRecord], against: Comparison | None, figure: str
) -> Iterator[tuple[str, int, int, float, float]]:
    """Where each interval begins, how many packages lie in it now and before, and both as a share of the largest."""
    before = against.before.get(figure, ()) if against is not None else ()
    found = spread(values_of(packages, figure), before)
    most = max((max(now, then) for _, now, then in found), default=0) or 1
    for label, (_, now, then) in zip(labels([begin for begin, _, _ in found]), found, strict=True):
        yield label, now, then, 100 * now / most, 100 * then / most


def _earlier(run: RunRecord, tools: Tools) -> Iterator[tuple[str, str]]:
    """What was sent already in other runs of the cycle, as findings."""
    for text in earlier_in_words(sent_already(run, tools)):
        yield "note", f"{text}: they are left out"
