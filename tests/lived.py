"""Two runs with everything in them that a record may speak of."""

from __future__ import annotations

from dataclasses import replace

from gonnet.ledger import State
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import Verdict, move, settle
from gonnet.pipeline.reviewing.looking import note_review
from gonnet.pipeline.reviewing.sending_again import again
from gonnet.pipeline.send import send
from gonnet.pipeline.sending.approving import approve
from scripted_smtp import Script, serving
from support import Dairy, begun, of


def lived_through(dairy: Dairy) -> None:
    """Two runs with everything in them that a record may speak of: sent, refused, changed by hand, approved, cut off."""
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["550 no such person"]})
    with dairy.tools() as plain, serving(script, dairy.port):
        tools = replace(plain, who="maren")
        run = dairy.prepared(tools, ("litres > 5000", "litres > 9000"))
        note_review(run, tools, is_whole=True)
        amend(run, tools, of("118"), Amendment(subject="Corrected"), "asked for", "maren")
        move(run, tools, of("118"), State.HELD, "wait", "maren")
        approve(tools.ledger.run("1"), replace(tools, who="ann"), "totals agree", lambda _offered: True)
        move(run, tools, of("118"), State.READY, "go", "maren")
        approve(tools.ledger.run("1"), replace(tools, who="ann"), "again", lambda _offered: True)
        send(tools.ledger.run("1"), tools)
        again(run, tools, of("00042"), "lost it", "maren")
        settle(run, tools, of("117"), Verdict.CLOSED, "moved away", "maren")
        other = dairy.prepared(tools)
        package = dairy.by_key(tools, other)["117"]
        begun(tools, other, package, package.hand_overs[0])
