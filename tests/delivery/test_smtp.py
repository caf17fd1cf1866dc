"""One SMTP conversation: what each way of going wrong means, and what the server really has."""

from __future__ import annotations

import smtplib

import pytest

from gonnet.delivery import Meaning, Reply, SmtpLink
from gonnet.delivery.replies import Phase, judged
from gonnet.errors import UnreachableError
from gonnet.jobs.services import MailServer
from scripted_smtp import HANG_UP, SILENT, Script, serving
from support import wait_for

BODY = b"Subject: x\r\n\r\n.a line that begins with a dot\r\nend\r\n"


def offered(script: Script, *addresses: str, seconds: int = 1) -> tuple[list[Reply], list[str]]:
    """Offer a message to each address on one connection; the replies, and the addresses whose intent was written."""
    intents: list[str] = []
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none", seconds=seconds), None)
        replies = []
        for address in addresses:

            def intent(name: str = address) -> bool:
                intents.append(name)
                return True

            reply = link.offer("from@x.example", address, BODY, intent)
            assert reply is not None
            replies.append(reply)
        link.close()
    return replies, intents


def test_many_messages_take_one_connection_and_arrive_as_they_are() -> None:
    script = Script()
    replies, intents = offered(script, "a@x.example", "b@x.example")
    assert [reply.meaning for reply in replies] == [Meaning.ACCEPTED] * 2
    assert script.stored == [("a@x.example", BODY), ("b@x.example", BODY)]
    assert intents == ["a@x.example", "b@x.example"]
    assert script.connections == 1


@pytest.mark.parametrize(
    ("answers", "meaning", "intended", "stored"),
    [
        ({"RCPT": ["550 no such box"]}, Meaning.REFUSED, False, 0),
        ({"RCPT": ["450 busy"]}, Meaning.LATER, False, 0),
        ({"RCPT": ["552 too many"]}, Meaning.LATER, False, 0),
        ({"MAIL": ["552 too big"]}, Meaning.REFUSED, False, 0),
        ({"MAIL": ["451 not now"] * 2}, Meaning.LATER, False, 0),
        ({"RCPT": ["421 closing"] * 2}, Meaning.LATER, False, 0),
        ({"DATA": ["451 not now"]}, Meaning.LATER, False, 0),
        ({"DATA": ["554 no"]}, Meaning.REFUSED, False, 0),
        ({"DATA": [HANG_UP] * 2}, Meaning.LATER, False, 0),
        ({"dot": ["451 not now"]}, Meaning.LATER, True, 0),
        ({"dot": ["550 spam"]}, Meaning.REFUSED, True, 0),
        ({"dot": ["421 closing"]}, Meaning.LATER, True, 0),
        ({"body": [HANG_UP]}, Meaning.IN_DOUBT, True, 0),
        ({"dot": [HANG_UP]}, Meaning.IN_DOUBT, True, 1),
        ({"dot": ["what?"]}, Meaning.IN_DOUBT, True, 0),
    ],
)
@pytest.mark.parametrize("grouped", [False, True])
def test_what_a_failure_means(
    answers: dict[str, list[str]], meaning: Meaning, intended: bool, stored: int, grouped: bool
) -> None:
    """The first message meets the failure; the second one goes through all the same."""
    script = Script(answers={step: [*found, *_well(step)] for step, found in answers.items()})
    script.answers |= {"EHLO": ["250-here\r\n250-PIPELINING\r\n250 SIZE 1000000"]} if grouped else {}
    replies, intents = offered(script, "a@x.example", "b@x.example")
    assert [reply.meaning for reply in replies] == [meaning, Meaning.ACCEPTED]
    assert intents == (["a@x.example"] if intended else []) + ["b@x.example"]
    assert [address for address, _ in script.stored].count("a@x.example") == stored


def _well(step: str) -> list[str]:
    return {"DATA": ["354 go on"], "dot": ["250 taken"], "body": [""]}.get(step, ["250 ok"])


def test_a_server_that_refuses_a_group_and_hangs_up_has_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    script = Script(
        answers={"EHLO": ["250-here\r\n250 PIPELINING"], "MAIL": ["550 no", "250 ok"], "RCPT": [HANG_UP, "250 ok"]}
    )
    replies, intents = offered(script, "a@x.example", "b@x.example")
    assert [reply.meaning for reply in replies] == [Meaning.REFUSED, Meaning.ACCEPTED]
    assert intents == ["b@x.example"]
    assert script.connections == 2


@pytest.mark.parametrize("code", [550, 452])
def test_a_server_that_wants_a_body_for_nobody_gets_none(code: int) -> None:
    """RFC 2920, 3.1: DATA in a group may be accepted although the recipient was not."""
    answers = {"EHLO": ["250-here\r\n250 PIPELINING"], "RCPT": [f"{code} no", "250 ok"], "DATA": ["354 go on"]}
    script = Script(answers=answers)
    replies, intents = offered(script, "a@x.example", "b@x.example")
    assert [reply.code for reply in replies] == [code, 250]
    assert intents == ["b@x.example"]
    assert script.stored == [("b@x.example", BODY)]


def test_a_connection_lost_before_the_body_is_tried_once_more() -> None:
    script = Script(answers={"RCPT": [HANG_UP, "250 ok"]})
    replies, intents = offered(script, "a@x.example")
    assert replies[0].meaning is Meaning.ACCEPTED
    assert intents == ["a@x.example"]
    assert script.connections == 2


def test_a_server_that_takes_so_many_messages_by_a_connection_gets_a_fresh_one() -> None:
    for word in ("421 enough", "452 4.5.3 too many messages in this session", HANG_UP):
        script = Script(answers={"MAIL": ["250 ok", "250 ok", word, "250 ok", "250 ok", word, "250 ok"]})
        replies, intents = offered(script, *(f"{name}@x.example" for name in "abcde"))
        assert [reply.meaning for reply in replies] == [Meaning.ACCEPTED] * 5, word
        assert len(intents) == len(script.stored) == 5
        assert script.connections == 3


def test_a_server_that_hangs_up_at_one_recipient_refuses_that_one_alone() -> None:
    script = Script(answers={"RCPT:b@x.example": [HANG_UP]})
    replies, _ = offered(script, "a@x.example", "b@x.example", "c@x.example")
    assert [reply.meaning for reply in replies] == [Meaning.ACCEPTED, Meaning.LATER, Meaning.ACCEPTED]
    assert (replies[1].refused, "ended the conversation" in replies[1].text) == ("recipient", True)
    with pytest.raises(UnreachableError, match="it ended the conversation at 3 messages in a row"):
        offered(Script(answers={"RCPT": [HANG_UP]}), *(f"{name}@x.example" for name in "abcde"))


def test_the_greeting_and_the_envelope_sender_can_be_set() -> None:
    script, settings = Script(), {"greets_as": "mail.tarnvale.example", "bounces_to": "bounces@tarnvale.example"}
    with serving(script) as port:
        link = SmtpLink(
            MailServer.model_validate({"host": "127.0.0.1", "port": port, "security": "none", **settings}), None
        )
        link.offer("from@x.example", "a@x.example", BODY, lambda: True)
        link.close()
    assert script.seen[0].upper() == "EHLO MAIL.TARNVALE.EXAMPLE"
    assert any(line.startswith("MAIL FROM:<bounces@tarnvale.example>") for line in script.seen)


@pytest.mark.parametrize(
    ("answers", "what"),
    [
        ({"MAIL": ["550 not from you"]}, "sender"),
        ({"MAIL": ["552 too big"]}, "size"),
        ({"RCPT": ["550 no such box"]}, "recipient"),
        ({"DATA": ["554 no"]}, "message"),
        ({"dot": ["550 spam"]}, "message"),
        ({"dot": ["554 5.3.4 message too big"]}, "size"),
        ({}, ""),
    ],
)
def test_what_was_refused_is_told(answers: dict[str, list[str]], what: str) -> None:
    replies, _ = offered(Script(answers=answers), "a@x.example")
    assert replies[0].refused == what


def test_an_answer_that_does_not_come_in_time_leaves_a_doubt(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gonnet.delivery.smtp._AFTER_THE_DOT", 1)
    script = Script(answers={"dot": [SILENT]})
    replies, _ = offered(script, "a@x.example")
    assert replies[0].meaning is Meaning.IN_DOUBT


def test_reports_of_failures_are_asked_for_where_the_server_makes_them() -> None:
    for notify, says in ((["failure", "delay"], "FAILURE,DELAY"), ([], "NEVER")):
        script = Script(answers={"EHLO": ["250-here\r\n250 DSN"]})
        with serving(script) as port:
            settings = {"host": "127.0.0.1", "port": port, "security": "none", "notify": notify}
            link = SmtpLink(MailServer.model_validate(settings), None)
            assert link.offer("from@x.example", "a+b@x.example", BODY, lambda: True, "<1=2@x.example>") is not None
            link.close()
        assert "MAIL FROM:<from@x.example> RET=HDRS ENVID=1+3D2@x.example" in script.seen
        assert f"RCPT TO:<a+b@x.example> NOTIFY={says} ORCPT=rfc822;a+2Bb@x.example" in script.seen
    script = Script()
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none"), None)
        link.offer("from@x.example", "a@x.example", BODY, lambda: True, "<1@x.example>")
        link.close()
    assert not [line for line in script.seen if "ENVID" in line or "NOTIFY" in line]


@pytest.mark.parametrize("address", ["a@x.example>\r\nRCPT TO:<b@x.example", "a\0@x.example"])
def test_an_address_stays_a_part_of_its_command(address: str) -> None:
    script = Script()
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none"), None)
        with pytest.raises(ValueError, match="cannot be written in SMTP"):
            link.offer("from@x.example", address, BODY, lambda: True)
        link.close()
    assert script.stored == []


class StoppedError(BaseException):
    """As when somebody presses Ctrl-C, or the ledger cannot be written."""


def test_an_intent_that_fails_leaves_a_server_without_a_body() -> None:
    def fails() -> bool:
        raise StoppedError

    script = Script()
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none"), None)
        with pytest.raises(StoppedError):
            link.offer("from@x.example", "a@x.example", BODY, fails)
        link.close()
        assert link.offer("from@x.example", "b@x.example", BODY, lambda: True) is not None
        link.close()
    assert script.stored == [("b@x.example", BODY)]
    assert script.connections == 2


def test_stopped_behind_the_body_it_says_no_more_to_the_server(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever else it said might still become a part of the body."""

    def stop(_smtp: smtplib.SMTP) -> tuple[int, bytes]:
        raise StoppedError

    def intent() -> bool:
        monkeypatch.setattr(smtplib.SMTP, "getreply", stop)
        return True

    script = Script(answers={"dot": [SILENT]})
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none"), None)
        with pytest.raises(StoppedError):
            link.offer("from@x.example", "a@x.example", BODY, intent)
        link.close()
        wait_for(lambda: script.stored)
    assert "QUIT" not in script.seen


def test_an_intent_that_says_no_keeps_the_body_back() -> None:
    script = Script()
    with serving(script) as port:
        link = SmtpLink(MailServer(host="127.0.0.1", port=port, security="none"), None)
        assert link.offer("from@x.example", "a@x.example", BODY, lambda: False) is None
        assert link.offer("from@x.example", "b@x.example", BODY, lambda: True) is not None
        link.close()
    assert [address for address, _ in script.stored] == ["b@x.example"]


@pytest.mark.parametrize(
    ("settings", "answers", "says"),
    [
        ({}, {"banner": ["554 go away"]}, "answers 554 go away"),
        ({"security": "starttls"}, {}, "offers no STARTTLS"),
        ({"user": "me"}, {}, "a password must not go over an open line"),
        ({"security": "tls"}, {}, "no connection"),
    ],
)
def test_a_server_that_cannot_be_used_is_told_before_the_first_message(
    settings: dict[str, str], answers: dict[str, list[str]], says: str
) -> None:
    with serving(Script(answers=answers)) as port:
        server = MailServer.model_validate(
            {"host": "127.0.0.1", "port": port, "security": "none", "seconds": 1} | settings
        )
        with pytest.raises(UnreachableError, match=says):
            SmtpLink(server, "secret").open()


@pytest.mark.parametrize(
    ("code", "phase", "meaning"),
    [
        (250, Phase.ANSWERED, Meaning.ACCEPTED),
        (450, Phase.BEFORE_BODY, Meaning.LATER),
        (550, Phase.ANSWERED, Meaning.REFUSED),
        (-1, Phase.ANSWERED, Meaning.IN_DOUBT),
        (-1, Phase.BEFORE_BODY, Meaning.LATER),
        (354, Phase.ANSWERED, Meaning.LATER),
    ],
)
def test_codes(code: int, phase: Phase, meaning: Meaning) -> None:
    assert judged(code, phase) is meaning
