"""Messages and the ways they leave: SMTP and folders."""

from gonnet.delivery.body import Body, remote_targets
from gonnet.delivery.frame import Frame
from gonnet.delivery.message import (
    Attachment,
    Envelope,
    compose,
    draft,
    for_trial,
    html_page,
    plain_text,
    readdressed,
    with_body,
    with_message_id,
    with_subject,
    write_message,
)
from gonnet.delivery.replies import Meaning, Reply
from gonnet.delivery.smtp import SmtpLink

__all__ = [
    "Attachment",
    "Body",
    "Envelope",
    "Frame",
    "Meaning",
    "Reply",
    "SmtpLink",
    "compose",
    "draft",
    "for_trial",
    "html_page",
    "plain_text",
    "readdressed",
    "remote_targets",
    "with_body",
    "with_message_id",
    "with_subject",
    "write_message",
]
