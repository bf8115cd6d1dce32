"""What holds a promotion whatever its policy says: these are no kinds one could write, and need no policy."""

from collections.abc import Sequence
from datetime import datetime
from typing import ClassVar, Literal

from dogana.core.facts import Facts
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.time.forecast import Closing
from dogana.core.time.intervals import Interval
from dogana.core.words import listed, sentence, when

RESERVED = ("set-start", "closed-now", "occupied", "urgent-route")
"""The names of these rules; a policy calls none of its own by them."""


class SetStart(Rule):
    """It was put off until a start that a person set."""

    texture: ClassVar[Literal["notice"]] = "notice"
    kind: Literal["set-start"] = "set-start"
    start: datetime

    def inspect(self, case: Case) -> Finding:
        """Pending until then."""
        because = f"It was put off until {when(self.start, case.zone)}."
        return self.finding(Outcome.PENDING, because, settled_by="time", clears_at=self.start)

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """From now until then."""
        del case
        return [Closing(self.id, "notice", "a set start", horizon.start, min(self.start, horizon.end))]


class ClosedNow(Rule):
    """Somebody closed the environment at once."""

    texture: ClassVar[Literal["freeze"]] = "freeze"
    kind: Literal["closed-now"] = "closed-now"

    def inspect(self, case: Case) -> Finding:
        """Pending until the last of the closings ends."""
        now = [one for one in case.facts.closed_now if one.until > case.at]
        end = max(one.until for one in now)
        who = listed([f"{one.by}: {sentence(one.reason)}" for one in now])
        title = case.facts.target.title
        return self.finding(
            Outcome.PENDING,
            f"{title} was closed until {when(end, case.zone)} by {who}",
            settled_by="time",
            clears_at=end,
            evidence=[Evidence(label=f"Closed by {one.by}", value=one.reason) for one in now],
        )

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """Each stretch for which it was closed."""
        name = f"{case.facts.target.title} closed at once"
        spans = (Interval(one.since, one.until).clip(horizon) for one in case.facts.closed_now)
        return [Closing(self.id, "freeze", name, span.start, span.end) for span in spans if span]


class Occupied(Rule):
    """Another release of the service is on its way in, or stopped half-way."""

    kind: Literal["occupied"] = "occupied"

    def inspect(self, case: Case) -> Finding:
        """Pending until it has arrived or was taken back."""
        name = case.facts.service_name(case.facts.service)
        on_its_way = listed([f"{name} {version}" for version in _on_their_way(case.facts)])
        where = case.facts.target.title
        because = sentence(
            f"{on_its_way} is on the way into {where}; one release of a service goes at a time"
        )
        return self.finding(Outcome.PENDING, because, settled_by="time")


class UrgentRoute(Rule):
    """The urgent route does not let such a release in."""

    kind: Literal["urgent-route"] = "urgent-route"

    def inspect(self, case: Case) -> Finding:
        """Unmet with what the route says; unknown where that cannot be told."""
        limit = case.facts.route_limit
        if limit is not None and limit.against is not None:
            because = f"{limit.route} does not take {case.facts.version}: {sentence(limit.against)}"
            return self.finding(Outcome.UNMET, because, settled_by="facts")
        why = limit.unknown if limit is not None else None
        why = why or "nothing was read"
        because = sentence(f"it cannot be told whether the route takes {case.facts.version}: {why}")
        lines = [Evidence(label="The route", value=why)]
        return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=lines)


def standing_rules(facts: Facts, at: datetime) -> Sequence[Rule]:
    """Those of these rules that concern a promotion at an instant."""
    out: list[Rule] = []
    limit = facts.route_limit
    if limit is not None and (limit.against or limit.unknown):
        made = UrgentRoute(id="urgent-route", title="What the route takes", waivable=limit.waivable)
        out.append(made)
    if any(one.until > at for one in facts.closed_now):
        out.append(ClosedNow(id="closed-now", title="Not closed at once"))
    if _on_their_way(facts):
        out.append(Occupied(id="occupied", title="One release of a service at a time"))
    start = facts.not_before
    if start is not None and start > at:
        out.append(SetStart(id="set-start", title="Goes when it was set to", start=start))
    return out


def _on_their_way(facts: Facts) -> list[str]:
    """Versions of the same service that departed for the target and have not arrived."""
    return [one.version for one in facts.traffic if one.service == facts.service and one.arrived_at is None]
