"""Handing mail over by SMTP (RFC 5321), under TLS but to this machine itself (RFC 3207, RFC 8314)."""

import ipaddress
from email.message import EmailMessage
from urllib.parse import unquote, urlsplit

import aiosmtplib

from dogana.sources import NotSentError

_SECONDS = 10.0
_PORTS = {"smtp": 587, "smtps": 465}
_FOR_GOOD = range(500, 600)


class SmtpMailer:
    """One mail server, asked anew for each mail."""

    def __init__(self, address: str, sender: str) -> None:
        """Read where it is.

        Args:
            address: `smtp://` or `smtps://`, perhaps with a name and password, host and port.
            sender: the address that mail comes from.

        Raises:
            ValueError: for an address that is none.
        """
        parts = urlsplit(address)
        if parts.scheme not in _PORTS or not parts.hostname:
            raise ValueError("give smtp:// or smtps:// and a host")
        self.sender = sender
        self._host, self._port = parts.hostname, parts.port or _PORTS[parts.scheme]
        self._username = unquote(parts.username) if parts.username else None
        self._password = unquote(parts.password) if parts.password else None
        self._tls = parts.scheme == "smtps"
        # None takes STARTTLS where it is offered, which whoever sits in between can keep from being offered.
        self._starttls = None if _is_here(self._host) else True

    async def send(self, message: EmailMessage) -> None:
        """Hand one mail over.

        Raises:
            NotSentError: saying why, and whether it is worth trying again.
        """
        try:
            await aiosmtplib.send(
                message,
                hostname=self._host,
                port=self._port,
                username=self._username,
                password=self._password,
                use_tls=self._tls,
                start_tls=None if self._tls else self._starttls,
                timeout=_SECONDS,
            )
        except aiosmtplib.SMTPRecipientsRefused as exc:
            refused = exc.recipients[0]
            raise NotSentError(
                f"refused the address: {refused.code} {_line(refused.message)}",
                for_good=refused.code in _FOR_GOOD,
            ) from exc
        except aiosmtplib.SMTPAuthenticationError as exc:
            raise NotSentError(f"refused the name or password it was given: {exc.code}") from exc
        except aiosmtplib.SMTPResponseException as exc:
            raise NotSentError(f"refused it: {exc.code} {_line(exc.message)}") from exc
        except (aiosmtplib.SMTPTimeoutError, TimeoutError) as exc:
            raise NotSentError("did not answer in time") from exc
        except (aiosmtplib.SMTPException, OSError, ValueError) as exc:
            raise NotSentError(f"cannot be reached: {_line(str(exc))}") from exc


def _is_here(host: str) -> bool:
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def _line(text: str) -> str:
    return " ".join(text.split())[:200]
