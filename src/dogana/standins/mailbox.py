"""Everybody's mailbox: a real SMTP server that keeps what it is given, and a page on which it is read."""

import argparse
import email
import threading
from contextlib import suppress
from email.message import EmailMessage
from email.policy import default
from html import escape
from http import HTTPStatus

import uvicorn
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from fastapi import FastAPI, HTTPException
from fastapi.responses import HTMLResponse

from dogana.standins.running import HEAD

_MOST = 500
_LONG = 20.0
"""Seconds."""


class Mailbox:
    """What came by SMTP, the latest last; some addresses may be refused."""

    def __init__(self) -> None:
        self.mails: list[EmailMessage] = []
        self.came = 0
        """How many have come, those that were let go of too."""
        self.changed = threading.Condition()
        self.refusing: dict[str, str] = {}
        """By address, what the server replies instead of taking mail for it."""

    async def handle_RCPT(  # noqa: N802 - what the server calls it
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        """Take an address, unless it is refused."""
        del server, session, options
        if address in self.refusing:
            return self.refusing[address]
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:  # noqa: N802
        """Keep a mail."""
        del server, session
        content = envelope.content or b""
        data = content if isinstance(content, bytes) else content.encode()
        with self.changed:
            self.mails.append(email.message_from_bytes(data, policy=default))
            del self.mails[:-_MOST]
            self.came += 1
            self.changed.notify_all()
        return "250 kept"

    def to(self, address: str) -> list[EmailMessage]:
        """What came for an address, the latest last."""
        return [mail for mail in self.mails if address in str(mail["To"])]


def controller_of(mailbox: Mailbox, port: int) -> Controller:
    """A server on loopback that fills a mailbox, in a thread of its own once it is started."""
    return Controller(mailbox, hostname="127.0.0.1", port=port)


def make_mailbox(mailbox: Mailbox) -> FastAPI:
    """The page on which the mails are read."""
    app = FastAPI(title="Mailbox (stand-in)")

    @app.get("/")
    def listed(to: str = "") -> HTMLResponse:
        rows = [
            f'<tr><td>{escape(str(mail["To"]))}<td><a href="/mails/{n}">{escape(str(mail["Subject"]))}</a>'
            for n, mail in enumerate(mailbox.mails)
            if to in str(mail["To"])
        ]
        said = f"<table>{''.join(reversed(rows))}</table>" if rows else "<p>Nothing has come yet."
        return HTMLResponse(f"{HEAD.replace('The fleet', 'Mailbox')}<h1>Everybody's mail</h1>{said}")

    @app.get("/came")
    def came(after: int = -1) -> int:
        """How many mails have come; asked with a number, once there are more, or nothing comes for long."""
        with mailbox.changed:
            mailbox.changed.wait_for(lambda: mailbox.came > after, _LONG)
            return mailbox.came

    @app.get("/mails/{number}")
    def mail(number: int) -> HTMLResponse:
        with suppress(IndexError):
            found = mailbox.mails[number]
            body = found.get_body(("html", "plain"))
            head = "".join(
                f"<p>{name}: {escape(str(found[name]))}" for name in ("From", "To", "Date", "Subject")
            )
            said = str(body.get_content()) if body is not None else ""
            return HTMLResponse(f"{HEAD.replace('The fleet', 'Mail')}<a href=/>All mail</a>{head}<hr>{said}")
        raise HTTPException(HTTPStatus.NOT_FOUND)

    return app


def main() -> None:
    """Take mail and show it, on loopback."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--smtp-port", type=int, required=True)
    parser.add_argument("--port", type=int, required=True)
    options = parser.parse_args()
    mailbox = Mailbox()
    controller = controller_of(mailbox, options.smtp_port)
    controller.start()
    uvicorn.run(make_mailbox(mailbox), host="127.0.0.1", port=options.port, log_level="warning")
    controller.stop()


if __name__ == "__main__":
    main()
