"""How a mail reads: what is asked, by when, and what happens next, first; as text and as HTML alike."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from email.message import EmailMessage
from email.utils import format_datetime, formataddr
from html import escape
from typing import NamedTuple
from urllib.parse import urlsplit

from dogana.core.messages.kinds import Kind
from dogana.core.rules.findings import Outcome
from dogana.core.words import counted, listed, sentence, when
from dogana.service.views.dossier import Dossier
from dogana.store.tables.messages import MailRow, MessageRow
from dogana.store.tables.people import PersonRow

SUBJECTS: dict[Kind, str] = {
    Kind.SEAT: "Your seat is open",
    Kind.REMINDER: "A seat is still open",
    Kind.SEAT_TAKEN: "Taken by another",
    Kind.LAPSED: "Your approval counts no longer",
    Kind.WAIVER: "You are asked for a waiver",
    Kind.HELD: "It waits",
    Kind.CLEARED: "Cleared",
    Kind.DEPARTED: "On its way in",
    Kind.MOVED_ON: "A step further",
    Kind.HALTED: "It stands still",
    Kind.LANDED: "Landed",
    Kind.ROLLED_BACK: "Taken back",
    Kind.ENDED: "It goes no further",
    Kind.COMMENT: "A comment names you",
    Kind.DRAFT: "A policy draft waits for a second person",
    Kind.CHANGE: "A change waits for you to confirm it",
    Kind.SIGN_OFF: "Say how it is there",
    Kind.INCIDENT: "An incident",
    Kind.DRIFT: "Something else runs there",
    Kind.CLOSED: "Closed",
    Kind.INVITATION: "Choose your password",
    Kind.ADDRESS: "Your mail address was changed",
    Kind.BREAK_GLASS: "Somebody broke the glass",
    Kind.SOURCE: "A source cannot be read",
    Kind.ANSWER_REFUSED: "An answer in your name was refused",
}
ASKS = frozenset({Kind.SEAT, Kind.REMINDER, Kind.LAPSED})
"""What asks for a seat to be taken."""
_ANSWER = "Approve it or turn it back"
_MOST_FINDINGS = 12


class Line(NamedTuple):
    """One line of a mail: plain words, perhaps with a heading before and an address behind."""

    says: str
    heading: str = ""
    link: str = ""


@dataclass(frozen=True, kw_only=True)
class Links:
    """The addresses that a mail holds."""

    address: str
    """Of the installation."""
    answers: Mapping[int, str] = field(default_factory=dict)
    """By promotion, where a seat is taken that the policy lets be taken by mail."""
    unsubscribe: str | None = None
    welcome: str | None = None
    """Where whoever gets it chooses a password."""

    def of(self, message: MessageRow) -> str:
        """Where what a message says is looked at, or done."""
        invites = Kind(message.kind) is Kind.INVITATION and self.welcome is not None
        return self.welcome or "" if invites else self.address + message.path


def about_one(
    messages: Sequence[MessageRow], dossier: Dossier | None, links: Links
) -> tuple[str, list[Line]]:
    """The subject and lines of a mail about one thing, with its dossier in brief where it is a promotion."""
    last = messages[-1]
    subject = SUBJECTS[Kind(last.kind)] + (f": {last.about}" if last.about else "")
    lines = [Line(one.says) for one in messages]
    if dossier is None:
        says = "Choose your password" if Kind(last.kind) is Kind.INVITATION else "Open it"
        return subject, [*lines, Line(says, link=links.of(last))]
    start = dossier.row.first_start
    if start is not None and Kind(last.kind) in ASKS:
        subject += f", which could go {when(start, dossier.row.target.zone)}"
    whole = Line("Open the whole dossier", link=links.of(last))
    return subject, [*lines, *_of_dossier(dossier, links), whole]


def gathered(messages: Sequence[MessageRow], links: Links) -> tuple[str, list[Line]]:
    """The subject and lines of a mail about several things; those that ask for something come first."""
    asks = ASKS | {Kind.WAIVER, Kind.SIGN_OFF, Kind.DRAFT, Kind.CHANGE}
    ordered = sorted(messages, key=lambda one: Kind(one.kind) not in asks)
    waiting = sum(Kind(one.kind) in asks for one in messages)
    news = len(messages) - waiting
    parts = [f"{counted(waiting, 'thing')} for you to do"] if waiting else []
    parts += [counted(news, "piece") + " of news"] if news else []
    subject = listed(parts)
    lines: list[Line] = []
    for one in ordered:
        lines.append(Line(one.says, heading=SUBJECTS[Kind(one.kind)], link=links.of(one)))
        answer = links.answers.get(one.promotion or 0)
        if answer is not None and Kind(one.kind) in ASKS:
            lines.append(Line(_ANSWER, link=answer))
    return subject[:1].upper() + subject[1:], lines


def _of_dossier(dossier: Dossier, links: Links) -> list[Line]:
    mine, row = dossier.mine, dossier.row
    lines = []
    if mine.may_approve:
        lines.append(Line(mine.effect or "", heading="If you approve"))
    if row.number in links.answers:
        lines.append(Line(_ANSWER, link=links.answers[row.number]))
    lines.append(Line(row.sentence, heading="Where it stands"))
    brings = [counted(dossier.counts.commits, "commit"), counted(dossier.counts.files, "file")]
    tickets = [one.key for one in dossier.tickets.value or ()]
    said = f"{listed(brings)} changed" if dossier.change.value else f"not known: {dossier.change.unknown}"
    also = f" Tickets: {listed(tickets)}." if tickets else ""
    lines.append(Line(sentence(said) + also, heading="Cargo"))
    if dossier.note:
        lines.append(Line(dossier.note, heading="Note"))
    shown = [one for one in dossier.findings if one.outcome is not Outcome.NOT_APPLICABLE]
    lines += [Line(one.because, heading=f"{one.title} ({one.outcome})") for one in shown[:_MOST_FINDINGS]]
    if len(shown) > _MOST_FINDINGS:
        lines.append(Line(f"And {len(shown) - _MOST_FINDINGS} more findings in its dossier."))
    return lines


def mail_of(
    mail: MailRow,
    person: PersonRow,
    subject: str,
    lines: Sequence[Line],
    links: Links,
    sender: str,
    *,
    thread: int | None = None,
) -> EmailMessage:
    """One mail (RFC 5322), the same one each time it is tried; a promotion's are one thread."""
    host = urlsplit(links.address).hostname or "dogana"
    out = EmailMessage()
    out["Subject"] = _line(subject)
    out["From"] = formataddr(("Dogana", sender))
    out["To"] = formataddr((person.name, mail.address or person.email))
    out["Date"] = format_datetime(mail.made_at)
    out["Message-ID"] = f"<mail-{mail.id}@{host}>"
    if thread is not None:
        # Nobody was ever sent the first of the thread: it only keeps what follows together.
        root = f"<promotion-{thread}@{host}>"
        out["In-Reply-To"], out["References"] = root, root
    out["Auto-Submitted"] = "auto-generated"
    if links.unsubscribe:
        out["List-Unsubscribe"] = f"<{links.unsubscribe}>"
        out["List-Unsubscribe-Post"] = "List-Unsubscribe=One-Click"
    choose = f"{links.address}/set-up/mail"
    foot = f"You get this because of what you chose, or of what is usual: {choose}"
    out.set_content("\n\n".join([*map(_as_text, lines), foot]) + "\n")
    body = "".join(map(_as_html, lines))
    out.add_alternative(
        f'<!doctype html><html lang="en"><body style="{_BODY}">{body}'
        f'<p style="{_SOFT}">You get this because of what you chose, or of what is usual: '
        f'<a href="{escape(choose)}">choose otherwise</a>.</p></body></html>',
        subtype="html",
    )
    return out


_BODY = "font-family:Georgia,serif;font-size:16px;line-height:1.5;color:#23201b;max-width:40em"
_SOFT = "color:#6b6459;font-size:14px"


def _as_text(line: Line) -> str:
    heading = f"{line.heading}: " if line.heading else ""
    return f"{heading}{line.says}" + (f"\n{line.link}" if line.link else "")


def _as_html(line: Line) -> str:
    heading = f"<b>{escape(line.heading)}.</b> " if line.heading else ""
    if line.link and not line.heading:
        return f'<p><a href="{escape(line.link)}">{escape(line.says)}</a></p>'
    says = f'<a href="{escape(line.link)}">{escape(line.says)}</a>' if line.link else escape(line.says)
    return f"<p>{heading}{says}</p>"


def _line(text: str) -> str:
    """Without line breaks, which would begin another header."""
    return " ".join(text.split())
