"""By which way and when somebody is told: their own choices, their groups', and what the house insists on."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from pydantic import Field

from dogana.core.document import Document
from dogana.core.messages.kinds import Kind, Timing
from dogana.core.time.intervals import Interval, merged
from dogana.core.time.timetable import SetTimes, next_departure
from dogana.core.time.weekly import Hours, weekly
from dogana.core.time.windows import Zone

_LONGEST_QUIET = timedelta(days=8)
_SOONEST: tuple[Timing, ...] = ("at once", "gathered", "never")


class Choices(Document):
    """When one person is told of what by mail."""

    zone: Zone | None = None
    """The IANA zone of the hours below; the house's where left out."""
    quiet: tuple[Hours, ...] = Field(default=(), max_length=20)
    """When nothing is sent; it follows as soon as they end."""
    gathered: SetTimes | None = None
    """When what is gathered is sent; every working day at 08:30 and 13:30 where left out."""
    mail: dict[Kind, Timing] = Field(default_factory=dict)
    """By kind; what is left out goes as the groups say, and else as is usual."""


class GroupChoices(Document):
    """When members of a group are told of what, where they have not chosen themselves."""

    mail: dict[Kind, Timing] = Field(default_factory=dict)


class Insisted(Document):
    """What nobody may choose never to be told of."""

    kinds: tuple[Kind, ...] = Field(default=(), max_length=len(Kind))


USUAL_TIMES = SetTimes(days=("MO", "TU", "WE", "TH", "FR"), at=("08:30", "13:30"))


def timing(kind: Kind, own: Choices, groups: Sequence[GroupChoices], insisted: Insisted) -> Timing:
    """When somebody is told of a kind: as they chose, as the soonest of their groups, or as is usual.

    What the house insists on is sent even to who chose never, as it would be had they not chosen.
    """
    offered = [group.mail[kind] for group in groups if kind in group.mail]
    default = min(offered, key=_SOONEST.index) if offered else kind.usually
    chosen = own.mail.get(kind, default)
    if chosen != "never" or kind not in insisted.kinds:
        return chosen
    return next((one for one in (default, kind.usually) if one != "never"), "gathered")


def due(how: Timing, own: Choices, house_zone: str, at: datetime) -> datetime | None:
    """When something that happened is sent; None where never.

    Args:
        how: at once, gathered or never.
        own: the person's zone, quiet hours and times.
        house_zone: an IANA name, for who chose none.
        at: when it happened, UTC.

    Returns:
        An instant not before `at`, outside the quiet hours unless those never end.
    """
    if how == "never":
        return None
    zone = own.zone or house_zone
    start = at if how == "at once" else next_departure(own.gathered or USUAL_TIMES, zone, at)
    return _after_quiet(own.quiet, zone, start)


def _after_quiet(quiet: Sequence[Hours], zone: str, at: datetime) -> datetime:
    if not quiet:
        return at
    found = merged(weekly([hours.span for hours in quiet], (), zone, Interval(at, at + _LONGEST_QUIET)))
    if not found or found[0].start > at:
        return at
    # Whoever is never to be disturbed is told at once all the same: silence must not come from a setting.
    return at if found[0].end >= at + _LONGEST_QUIET else found[0].end
