"""Letters to people, by the mail backend that the settings name; where none is set they lie in var/mail (`./mirror mail`)."""

import logging
from smtplib import SMTPException

from django.core.mail import EmailMessage

log = logging.getLogger(__name__)


def send(to: str, subject: str, text: str) -> bool:
    """Whether the letter is on its way. A mail server that does not answer takes nothing else down with it."""
    try:
        return EmailMessage(subject, text, to=[to]).send() == 1
    except (OSError, SMTPException) as failure:
        log.warning("a letter could not be sent: %s", failure)
        return False
