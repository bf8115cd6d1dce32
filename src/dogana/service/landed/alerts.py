"""Alerts of an alert manager, each an incident: taken once, however often told; a bad one stops no other."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from dogana.core.errors import AwayError, DoganaError, ForbiddenError, InvalidError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landed.incidents import Told, take
from dogana.service.ledger.entries import instant

_NAMELESS = "No label names the service and the environment"


@dataclass(frozen=True, kw_only=True)
class Alert:
    """One alert as its manager tells it."""

    status: Literal["firing", "resolved"]
    labels: dict[str, str]
    annotations: dict[str, str]
    starts_at: datetime
    ends_at: datetime | None
    fingerprint: str

    @property
    def what(self) -> str:
        """What goes wrong, as far as it says."""
        said = (
            self.annotations.get("summary"),
            self.annotations.get("description"),
            self.labels.get("alertname"),
        )
        return next((one for one in said if one), "")


@dataclass(frozen=True, kw_only=True)
class Notice:
    """What an alert manager sends at once."""

    receiver: str
    group: str
    alerts: tuple[Alert | str, ...]
    """Each, or why it could not be read."""
    cut_off: int
    """How many more there were than it sends."""
    common: dict[str, str]
    """The labels that all of them have, those that were cut off too."""


@dataclass(frozen=True, kw_only=True)
class Labels:
    """Which labels name the service and the environment."""

    service: str
    environment: str


async def take_alerts(backend: Backend, actor: Actor, notice: Notice, labels: Labels) -> int:
    """Take in what an alert manager sends; how many alerts that were.

    Raises:
        ForbiddenError: for a token that is for nothing of what is sent.
        InvalidError: naming those that could not be taken, once all others are.
        AwayError: where some could not be taken for a while: who sends them does so again.
    """
    actor.must(Right.DEPLOY)
    source, refused = f"alerts of {notice.receiver}", list[tuple[str, DoganaError]]()
    for n, alert in enumerate(notice.alerts):
        if isinstance(alert, str):
            refused.append((f"/alerts/{n}", InvalidError(alert)))
            continue
        told = Told(
            source=source,
            name=f"{alert.fingerprint} {instant(alert.starts_at)}",
            what=alert.what,
            detected_at=alert.starts_at,
            resolved_at=alert.ends_at if alert.status == "resolved" else None,
            service=alert.labels.get(labels.service, ""),
            environment=alert.labels.get(labels.environment, ""),
        )
        if why := await _why_not_taken(backend, actor, told):
            refused.append((f"/alerts/{n}", why))
    if notice.cut_off:
        now = backend.clock()
        told = Told(
            source=source,
            name=f"cut off {notice.group} {instant(now)}",
            what=f"{notice.cut_off} more alerts were cut off by the alert manager",
            detected_at=now,
            service=notice.common.get(labels.service, ""),
            environment=notice.common.get(labels.environment, ""),
        )
        if why := await _why_not_taken(backend, actor, told):
            refused.append(("/truncatedAlerts", why))
    passing = next((why for _, why in refused if isinstance(why, AwayError)), None)
    if passing is not None:
        raise passing
    if refused and all(isinstance(why, ForbiddenError) for _, why in refused):
        raise refused[0][1]
    if refused:
        named = [(pointer, why.detail) for pointer, why in refused]
        raise InvalidError(f"Not taken: {' '.join(why for _, why in named[:5])}", fields=named[:50])
    return len(notice.alerts)


async def _why_not_taken(backend: Backend, actor: Actor, told: Told) -> DoganaError | None:
    """Take one; why it could not be, or None once it is."""
    try:
        if not told.service or not told.environment:
            raise InvalidError(f"{_NAMELESS}: {told.what or told.name}.")
        async with backend.database.transaction() as session:
            await take(backend, session, actor, told)
    except DoganaError as exc:
        return exc
    return None
