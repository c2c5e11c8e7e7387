"""Letters to people, by the mail backend that the settings name; where none is set they lie in var/mail (`./mirror mail`)."""

import logging
from concurrent.futures import Future, ThreadPoolExecutor
from smtplib import SMTPException

from django.core.mail import EmailMessage

log = logging.getLogger(__name__)
_post = ThreadPoolExecutor(2, thread_name_prefix="letters")
_under_way: set[Future[bool]] = set()


def send(to: str, subject: str, text: str) -> bool:
    """Whether the letter is on its way. A mail server that does not answer takes nothing else down with it."""
    try:
        return EmailMessage(subject, text, to=[to]).send() == 1
    except (OSError, SMTPException) as failure:
        log.warning("a letter could not be sent: %s", failure)
        return False


def send_later(to: str, subject: str, text: str) -> None:
    """A letter of which the answer must not tell whether there was one, nor by how long it takes."""
    sent = _post.submit(send, to, subject, text)
    _under_way.add(sent)
    sent.add_done_callback(_under_way.discard)


def wait() -> None:
    """Until whatever was to be sent later is sent."""
    for sent in list(_under_way):
        sent.result()
