"""What our own record says that promotions are inspected on: of all, of where they go, and of each."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property, lru_cache

from dogana.core.decisions import Decision
from dogana.core.document import Document, Instant
from dogana.core.facts import Artifact, CheckAnswer, Person, Report, StandIn
from dogana.core.policy.eras import Version
from dogana.core.time.windows import Calendar, LateCalendar
from dogana.core.traffic import Closed, Deployment, Queued
from dogana.service.backend import Backend
from dogana.store import Session
from dogana.store import facts as on_record

_LATELY = timedelta(hours=1)
"""More than two clocks differ by."""
_TRAFFIC_KEPT = timedelta(days=31)
_STAND_INS_KEPT = timedelta(days=31)


class Shared(Document):
    """What every promotion's facts have in common."""

    calendars: dict[str, Calendar]
    late_calendars: tuple[LateCalendar, ...]
    stand_ins: tuple[StandIn, ...]
    people: tuple[Person, ...]
    groups: dict[str, str]
    services: dict[str, str]
    coming: tuple[Version, ...] = ()
    """The versions of policies that are yet to come into force."""

    @cached_property
    def names(self) -> dict[str, str]:
        """What people are called, by their ids."""
        return {person.id: person.name for person in self.people}


async def shared(session: Session, at: datetime) -> Shared:
    """Read that part."""
    return _shared(await on_record.shared(session, at, at - _STAND_INS_KEPT))


@lru_cache(maxsize=4)
def _shared(text: str) -> Shared:
    return Shared.model_validate_json(text)


class Landed(Document):
    """Where a release has landed last, and when the next one took its place."""

    environment: str
    landed_at: Instant
    artifacts: tuple[Artifact, ...]
    replaced_at: Instant | None
    confirmed_at: Instant | None
    issues: str | None


class Trouble(Document):
    """That something goes wrong with a service in an environment, or when the last that did was over."""

    environment: str
    on: bool
    over_at: Instant | None


class There(Document):
    """What the record says of one environment, as the database puts it together."""

    runs: dict[str, str]
    traffic: tuple[Deployment, ...]
    closed_now: tuple[Closed, ...]
    turns: int

    @cached_property
    def services(self) -> frozenset[str]:
        """Those that run there, or were let in."""
        return frozenset(self.runs) | {one.service for one in self.traffic}


class Record(Document):
    """What it says of one promotion."""

    waiting: tuple[Queued, ...]
    evidence: tuple[Report, ...]
    checks: tuple[CheckAnswer, ...] = ()
    landings: tuple[Landed, ...]
    troubles: tuple[Trouble, ...]
    decisions: tuple[Decision, ...]


@dataclass(frozen=True, kw_only=True)
class OnRecord:
    """What our own record says of some promotions, and of where they go, at an instant."""

    common: Shared
    lately: datetime
    """Since when the turns of environments were counted."""
    texts: on_record.OnRecord

    def there(self, environment: str) -> There:
        """What it says of an environment that one of them goes to."""
        return _there(self.texts.there[environment])

    def of(self, number: int) -> Record:
        """What it says of one of them."""
        return Record.model_validate_json(self.texts.own[number])


@lru_cache(maxsize=32)
def _there(text: str) -> There:
    """It says the same of all that wait for one environment, and hardly ever anything new."""
    return There.model_validate_json(text)


async def recorded(
    backend: Backend, session: Session, numbers: Sequence[int], common: Shared | None = None
) -> OnRecord:
    """What our own record says now of promotions that there are; what all have in common, read where None."""
    now = backend.clock()
    lately = now - _LATELY
    common = common or await shared(session, now)
    texts = await on_record.of_promotions(session, numbers, now, now - _TRAFFIC_KEPT, lately)
    return OnRecord(common=common, lately=lately, texts=texts)
