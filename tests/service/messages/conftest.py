"""A world whose mail goes to a real SMTP server."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.world import World

from dogana.demo.cluster import free_port
from dogana.service.messages import entries, mailing, seats
from dogana.sources.mail import SmtpMailer
from dogana.standins.mailbox import Mailbox, controller_of

ADDRESS = "https://dogana.corvale.example"


class Post:
    """The worker's part, and the mailboxes of everybody."""

    def __init__(self, world: World, mailbox: Mailbox) -> None:
        self.world = world
        self.mailbox = mailbox

    async def tell(self) -> None:
        """Find out who is to be told what."""
        while await entries.tell_of_entries(self.world.backend):
            continue
        while await seats.tell_of_seats(self.world.backend):
            continue

    async def deliver(self, after: timedelta = timedelta(seconds=20)) -> None:
        """Tell, and mail what is due a little later."""
        await self.tell()
        self.world.clock.now += after
        await mailing.mail_due(self.world.backend)

    def to(self, who: str) -> list[str]:
        """The subjects of somebody's mail."""
        return [str(mail["Subject"]) for mail in self.mailbox.to(f"{who}@")]


@pytest.fixture(scope="session")
def smtp() -> Iterator[tuple[Mailbox, int]]:
    mailbox, port = Mailbox(), free_port()
    controller = controller_of(mailbox, port)
    controller.start()
    yield mailbox, port
    controller.stop()


@pytest.fixture
def post(world: World, smtp: tuple[Mailbox, int]) -> Post:
    mailbox, port = smtp
    mailbox.mails.clear()
    mailbox.refusing.clear()
    mailer = SmtpMailer(f"smtp://127.0.0.1:{port}", "dogana@corvale.example")
    world.backend = replace(world.backend, mailer=mailer, source=ADDRESS)
    return Post(world, mailbox)
