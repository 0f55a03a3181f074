"""Mail by SMTP (RFC 5321), encrypted by STARTTLS (RFC 3207) or from the start, by the standard library."""

from __future__ import annotations

import re
import smtplib
import socket
import ssl
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import DeliveryError
from neat_delta.remote import secrets
from neat_delta.remote.bounds import Meter, within_bounds
from neat_delta.remote.transfer_errors import SILENCE_TIME, TransferError, plain, require_encryption

if TYPE_CHECKING:
    from collections.abc import Sequence

LINE_END = re.compile(rb"\r?\n")
STARTTLS, TLS, UNENCRYPTED = SECURITIES = ("starttls", "tls", "none")
PORTS = {STARTTLS: 587, TLS: 465, UNENCRYPTED: 25}


@dataclass(frozen=True)
class MailServer:
    """A mail server: its name, port (``None``: the usual one), how the line is encrypted, and the user."""

    host: str
    port: int | None = None
    security: str = STARTTLS
    user: str | None = None

    def __str__(self) -> str:
        return f"{self.host}:{self.port or PORTS[self.security]}"


def send_mail(server: MailServer, message: bytes, sender: str, receivers: Sequence[str]) -> None:
    """Give a mail to a server, for all of its receivers or for none.

    Raises:
        DeliveryError: the server cannot be reached, hangs, refuses, or wants a password over a line without encryption.
    """
    try:
        within_bounds(lambda meter: _send(server, message, sender, receivers, meter))
    except TransferError as error:
        raise DeliveryError(f"the mail was not sent: {error}", file=str(server), hint=error.hint) from error
    except smtplib.SMTPAuthenticationError as error:
        hint = secrets.where_to_put(secrets.PASSWORD, server.user or "", server.host)
        raise DeliveryError("the mail was not sent: wrong user or password", file=str(server), hint=hint) from error
    except smtplib.SMTPRecipientsRefused as error:
        refused = ", ".join(error.recipients)
        raise DeliveryError(f"the mail was not sent: the server refuses {refused}", file=str(server)) from error
    except smtplib.SMTPException as error:
        raise DeliveryError(f"the mail was not sent: {_said(error)}", file=str(server)) from error
    except (OSError, UnicodeError) as error:
        raise DeliveryError(f"the mail was not sent: {plain(error)}", file=str(server)) from error


def _send(server: MailServer, message: bytes, sender: str, receivers: Sequence[str], meter: Meter) -> None:
    with _connected(server, meter) as line:
        if server.user:
            if server.security == UNENCRYPTED:
                require_encryption(server.host, "a password", "starttls or tls")
            line.login(server.user, secrets.password_of(server.user, server.host) or "")
        # All receivers or none: whoever is told half believes that the others know.
        line.mail(_bare(sender))
        for receiver in receivers:
            code, answer = line.rcpt(_bare(receiver))
            if code not in (250, 251):
                line.rset()
                raise smtplib.SMTPRecipientsRefused({receiver: (code, answer)})
        # (The library ends the lines of texts as mail has them, those of bytes not.)
        code, answer = line.data(LINE_END.sub(b"\r\n", message))
        if code != 250:
            raise smtplib.SMTPDataError(code, answer)


def _connected(server: MailServer, meter: Meter) -> smtplib.SMTP:
    """A line to the server, encrypted as it should be."""
    port, context = server.port or PORTS[server.security], ssl.create_default_context()
    host = server.host.strip("[]")
    if server.security == TLS:
        line: smtplib.SMTP = smtplib.SMTP_SSL(host, port, timeout=SILENCE_TIME, context=context)
    else:
        line = smtplib.SMTP(host, port, timeout=SILENCE_TIME)
    meter.stop = lambda: _cut(line)
    if server.security == STARTTLS:
        line.ehlo()
        if not line.has_extn("starttls"):
            line.close()
            raise TransferError("the server offers no STARTTLS", hint='Set security = "tls", or "none".')
        line.starttls(context=context)
    line.ehlo()
    return line


def _cut(line: smtplib.SMTP) -> None:
    """End a line on which nothing comes, also under a reader that waits."""
    if line.sock is not None:
        line.sock.shutdown(socket.SHUT_RDWR)


def _bare(address: str) -> str:
    """The address alone, without the name in front of it."""
    return address[address.rfind("<") + 1 :].rstrip(">") if "<" in address else address


def _said(error: smtplib.SMTPException) -> str:
    if isinstance(error, smtplib.SMTPResponseException):
        answer = error.smtp_error if isinstance(error.smtp_error, str) else error.smtp_error.decode(errors="replace")
        return f"the server answers {error.smtp_code} {' '.join(answer.split())}"
    return str(error) or "the server has closed the line"
