"""What each release of the scenario did and does: the legs it took, when, and who said what.

Past releases went the whole way; the present ones stop where the desk should show them today.
"""

import random
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal

from dogana.core.rollout import Plan
from dogana.demo.landscape import LEGS, PREVIEW, SERVICES, URGENT, Service
from dogana.demo.repositories import Build

APPROVERS = {
    "bench": (),
    "rehearsal": ("henrik", "ilse"),
    "pilot-valley": ("ilse", "adaeze"),
    "live-north": ("tomas", "adaeze", "priya", "farida"),
    "live-south": ("ilse", "adaeze", "priya", "farida"),
}
SEALED_PROJECT = "DRAIN"
"""A project of the tracker that does not answer today."""
_BY_ID = {service.id: service for service in SERVICES}


_STREET_BY_STREET = ((20, "PT10M"), (50, "PT10M"), (100, "PT0S"))
_SLOWLY = ((10, "PT15M"), (60, "PT30M"), (100, "PT0S"))
_PLANS = {"pilot-valley": _STREET_BY_STREET, "live-north": _SLOWLY, "live-south": _SLOWLY}
"""Shares in percent, and how long each is held."""


@dataclass(frozen=True, kw_only=True)
class Leg:
    """One promotion to be asked for."""

    environment: str
    at: datetime
    requester: str = "pipeline"
    approvers: tuple[str, ...] = ()
    ends: Literal["lands", "rolls back", "is turned back", "is withdrawn", "stays", "moves"] = "lands"
    reason: str = ""
    other_bytes: bool = False
    """The deployer reports other bytes than were cleared."""
    hasty: bool = False
    """Asked for with a plan that goes faster than the policy lets."""
    route: str | None = None
    """The route it takes, if not the standard one."""
    waiver: tuple[str, str, str] | None = None
    """A waiver asked for: by whom, of which rule, why."""

    @property
    def is_over(self) -> bool:
        """Whether it took its usual course and ended; what stays, or is out of the ordinary, is played."""
        usual = self.route is None and not self.other_bytes and not self.environment.startswith(PREVIEW[0])
        return usual and self.waiver is None and self.ends not in {"stays", "moves"}

    @property
    def plan(self) -> Plan | None:
        """How it is to go in: by shares where households are served, else at once."""
        if self.environment not in _PLANS:
            return None
        shares = ((50, "PT5M"), (100, "PT0S")) if self.hasty else _PLANS[self.environment]
        return Plan.model_validate(
            {
                "steps": [{"share": share, "hold": hold} for share, hold in shares],
                "watch": ["failures", "slow-answers", "telemetry-lag"],
                "on_breach": "roll back",
            }
        )


@dataclass(frozen=True, kw_only=True)
class Journey:
    """One release and its legs in order."""

    build: Build
    legs: tuple[Leg, ...]
    status: str = "done"
    """Of its tickets, now."""


def journeys(now: datetime, *, past: bool = True) -> list[Journey]:
    """The scenario's releases, each service's oldest first; without the past, the last days alone."""
    return [*((*_past(now), _urgent_fix(now)) if past else ()), *_present(now)]


def _past(now: datetime) -> list[Journey]:
    out = []
    for lag, service in enumerate(SERVICES):
        for n, version in enumerate(service.past):
            start = now - timedelta(days=32 - 11 * n - lag, hours=lag)
            legs = [
                Leg(environment=leg, at=start + timedelta(hours=hours), approvers=_approvers(service, leg, n))
                for leg, hours in zip(LEGS, (0, 3, 25, 63, 66), strict=True)
            ]
            out.append(Journey(build=_build(service, version, start), legs=tuple(_mishaps(service, n, legs))))
    return out


def _urgent_fix(now: datetime) -> Journey:
    """The alarm that rang for every hydrant test, put right on a Sunday; it skipped bench and rehearsal."""
    at = now - timedelta(days=11, hours=5)
    legs = tuple(
        Leg(environment=leg, at=at + timedelta(hours=n), approvers=APPROVERS[leg], route=URGENT[0])
        for n, leg in enumerate(("pilot-valley", "live-north", "live-south"))
    )
    return Journey(build=_build(_BY_ID["leak-watch"], "4.2.1", at, tickets=1), legs=legs)


def _approvers(service: Service, leg: str, n: int) -> tuple[str, ...]:
    people = APPROVERS[leg]
    return tuple(random.Random(f"{service.id} {leg} {n}").sample(people, len(people)))


def _mishaps(service: Service, n: int, legs: list[Leg]) -> list[Leg]:
    """The few that went badly."""
    if service.id == "valve-command" and n == 1:
        north = legs[3]
        legs[3] = Leg(
            environment=north.environment,
            at=north.at,
            approvers=north.approvers,
            ends="rolls back",
            reason="acknowledgement latency over 4 s at the third valve station",
        )
        del legs[4]
    if service.id == "taps-portal" and n == 1:
        legs[3:] = [
            Leg(
                environment="live-north",
                at=legs[3].at,
                approvers=("adaeze",),
                ends="is turned back",
                reason="The outage banner covers the emergency number on small phones.",
            )
        ]
    if service.id == "field-app" and n == 1:
        legs[4] = Leg(
            environment="live-south",
            at=legs[4].at,
            ends="is withdrawn",
            reason="Crews in the south get the next build with the map fix.",
        )
    return legs


def _present(now: datetime) -> list[Journey]:
    def ago(**before: float) -> datetime:
        return now - timedelta(**before)

    def leg(environment: str, at: datetime, *approvers: str, requester: str = "pipeline") -> Leg:
        return Leg(environment=environment, at=at, approvers=approvers, requester=requester, ends="stays")

    def so_far(until: str, *times: datetime, other_bytes: bool = False) -> list[Leg]:
        done = LEGS[: LEGS.index(until) + 1]
        return [
            Leg(environment=name, at=at, approvers=APPROVERS[name], other_bytes=other_bytes)
            for name, at in zip(done, times, strict=True)
        ]

    def journey(
        service: str,
        version: str,
        *legs: Leg,
        status: str = "done",
        tickets: int = 2,
        project: str | None = None,
        high: int = 0,
    ) -> Journey:
        build = replace(_build(_BY_ID[service], version, legs[0].at, tickets, project), high=high)
        return Journey(build=build, legs=tuple(legs), status=status)

    return [
        journey(
            "leak-watch",
            "4.3.0",
            *so_far("pilot-valley", ago(days=6), ago(days=5, hours=20), ago(days=3)),
            leg("live-north", ago(hours=5), "adaeze"),
        ),
        journey(
            "tariff-engine",
            "3.9.0",
            *so_far("pilot-valley", ago(days=5, hours=5), ago(days=5), ago(days=3, hours=2)),
            leg("live-north", ago(hours=7), "farida", requester="ilse"),
            replace(leg("live-south", ago(hours=3), "adaeze"), hasty=True),
        ),
        journey(
            "valve-command",
            "2.5.0",
            *so_far("pilot-valley", ago(days=4), ago(days=3, hours=20), ago(hours=30)),
            replace(
                leg("live-north", ago(hours=6), "tomas", "adaeze", "farida"),
                waiver=("tomas", "soak", "The valve station at the weir waits for this fix before the rain."),
            ),
        ),
        journey(
            "valve-command",
            "2.6.0",
            *so_far("rehearsal", ago(hours=30), ago(hours=26)),
            leg("pilot-valley", ago(hours=4), "ilse", "adaeze"),
        ),
        journey(
            "field-app",
            "5.1.0",
            *so_far("rehearsal", ago(hours=50), ago(hours=45)),
            Leg(environment="pilot-valley", at=ago(hours=3), approvers=("ilse", "adaeze"), ends="moves"),
        ),
        journey(
            "meter-intake",
            "7.5.0",
            *so_far("rehearsal", ago(hours=40), ago(hours=34)),
            leg("pilot-valley", ago(hours=2, minutes=20), "ilse"),
            status="in review",
            tickets=1,
        ),
        journey(
            "taps-portal",
            "12.2.0",
            *so_far("rehearsal", ago(hours=12), ago(hours=9)),
            leg("pilot-valley", ago(hours=2), "tomas", "adaeze"),
        ),
        journey(
            "meter-intake",
            "7.6.0",
            *so_far("bench", ago(hours=6)),
            leg("rehearsal", ago(hours=1, minutes=35)),
        ),
        journey(
            "leak-watch",
            "4.4.0",
            *so_far("bench", ago(hours=5, minutes=30)),
            leg("rehearsal", ago(hours=1, minutes=50), "ilse"),
        ),
        journey(
            "field-app",
            "5.2.0",
            *so_far("bench", ago(hours=4)),
            leg("rehearsal", ago(hours=1, minutes=10), "henrik"),
        ),
        journey(
            "valve-command",
            "2.7.0",
            *so_far("bench", ago(hours=4, minutes=30), other_bytes=True),
        ),
        journey(
            "tariff-engine",
            "3.10.0",
            *so_far("bench", ago(hours=3, minutes=30)),
            leg("rehearsal", ago(minutes=50)),
            project=SEALED_PROJECT,
            tickets=1,
        ),
        journey(
            "taps-portal",
            "12.4.0-banner.1",
            Leg(environment=f"{PREVIEW[0]}/outage-banner", at=ago(hours=7), requester="lena"),
        ),
        journey("taps-portal", "12.3.0", leg("bench", ago(minutes=42), requester="lena"), tickets=0),
        journey(
            "leak-watch",
            "4.5.0",
            leg("bench", ago(minutes=21), requester="sam"),
            status="planned",
            tickets=1,
        ),
    ]


def _build(
    service: Service, version: str, at: datetime, tickets: int = 2, project: str | None = None
) -> Build:
    number = random.Random(f"{service.id} {version} tickets").randrange(200, 900)
    keys = tuple(f"{project or service.project}-{number + n}" for n in range(tickets))
    return Build(service=service, version=version, built_at=at - timedelta(hours=1), tickets=keys)
