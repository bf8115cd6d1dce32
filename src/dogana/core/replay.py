"""Rehearsing from what is on record: documents come as texts and are read as far as needed."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

from dogana.core.decisions import Decisions, Shown
from dogana.core.document import InParts
from dogana.core.facts import Facts
from dogana.core.policy.document import policy_of
from dogana.core.rehearsal import NOBODY, Draft, Past, Replayed


@dataclass(frozen=True, kw_only=True)
class Recorded:
    """One promotion that is over, with its documents as far as the draft looks at them."""

    number: int
    at: datetime
    departed: bool
    badly: bool
    policy: str | None
    """The text of the policy it was held against; None where that is not known."""
    facts: str
    decisions: str | None = None
    shown: str | None = None
    """What people were shown; decisions count only with it."""


@dataclass(frozen=True, kw_only=True)
class DocumentsNeeded:
    """Which documents of a promotion have to be read to hold it against a draft."""

    facts: bool
    people: bool


@lru_cache(maxsize=8)
def _held(text: str) -> tuple[Draft, InParts[Facts]]:
    """A draft, and what reads of facts as far as it looks at them."""
    return Draft(policy_of(text)), InParts(Facts)


@lru_cache(maxsize=1024)
def needs(draft: str, policy: str | None, *, departed: bool) -> DocumentsNeeded:
    """What a draft looks at of a promotion that was held against a policy.

    Args:
        draft: the draft's text.
        policy: the text of the policy, as far as it is known.
        departed: whether it was let go under it.
    """
    under = policy_of(policy) if policy else None
    held_against, _ = _held(draft)
    return DocumentsNeeded(
        facts=bool(held_against.anew(under, departed=departed)),
        people=held_against.asks_people(under, departed=departed),
    )


def replay(draft: str, some: Sequence[Recorded], *, explain: bool) -> list[Replayed]:
    """Those of some that a draft would have decided otherwise.

    Args:
        draft: its text.
        some: as many as are to be judged in one go.
        explain: whether to say why.
    """
    held_against, reader = _held(draft)
    outcomes = (held_against.replayed(_past(reader, one), explain=explain) for one in some)
    return [outcome for outcome in outcomes if outcome.turn != "as before"]


def _past(reader: InParts[Facts], one: Recorded) -> Past:
    return Past(
        number=one.number,
        at=one.at,
        facts=reader.read(one.facts),
        under=policy_of(one.policy) if one.policy else None,
        departed=one.departed,
        badly=one.badly,
        decisions=Decisions.model_validate_json(one.decisions) if one.decisions and one.shown else NOBODY,
        shown=Shown.model_validate_json(one.shown) if one.shown else None,
    )
