"""What people say to us in a room: a few sentences, taken only as they stand.

A decision is never guessed from words that might mean one: what is not exactly such a sentence says nothing
to us.
"""

import re
from typing import Literal

from dogana.core.document import Document

Saying = Literal["approve", "turn back", "mine", "why", "when", "help", "link"]
_NUMBER = r"(?:\s+#?(?P<number>[1-9][0-9]{0,17}))?"
_WORDS = r"(?:(?:\s*:\s*|\s+because\s+)(?P<words>.{1,2000}))?"
_SENTENCES: tuple[tuple[Saying, str], ...] = (
    ("approve", rf"approve{_NUMBER}{_WORDS}"),
    ("turn back", rf"turn back{_NUMBER}{_WORDS}"),
    ("mine", r"what waits for me"),
    ("why", rf"why(?: is{_NUMBER} held)?"),
    ("when", rf"when(?: can{_NUMBER} go)?"),
    ("help", r"dogana help"),
    ("link", r"link\s+(?P<words>[A-Za-z0-9-]{8,40})"),
)
_READ = [
    (saying, re.compile(pattern + r"\s*[.?!]?", re.IGNORECASE | re.DOTALL)) for saying, pattern in _SENTENCES
]
_YES = ("\N{THUMBS UP SIGN}", "\N{WHITE HEAVY CHECK MARK}")
"""Signs that approve what they are put to, whatever colour they have."""

HELP = (
    "In answer to a promotion: approve, approve because ..., turn back because ..., why, when. Anywhere: "
    "approve 2197, why is 2197 held, when can 2197 go, what waits for me, link CODE."
)


class Command(Document):
    """Something that somebody asks of us."""

    saying: Saying
    number: int | None = None
    """The promotion that it names."""
    words: str = ""
    """A reason, or the code of a link."""

    @property
    def decides(self) -> bool:
        """Whether it is a decision."""
        return self.saying in ("approve", "turn back")


def command_in(text: str) -> Command | None:
    """What a sentence asks of us; None where it asks nothing."""
    plain = text.strip()
    for saying, pattern in _READ:
        found = pattern.fullmatch(plain)
        if found is not None:
            named = found.groupdict()
            number = int(named["number"]) if named.get("number") else None
            return Command(saying=saying, number=number, words=(named.get("words") or "").strip())
    return None


def sign_of(text: str) -> Command | None:
    """What a reaction to a promotion asks of us."""
    return Command(saying="approve") if text.startswith(_YES) else None
