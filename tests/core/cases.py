"""Facts to inspect: one promotion into the second leg, everything in order unless said otherwise."""

from datetime import UTC, datetime, timedelta
from typing import Any

from dogana.core.change import Change, Commit
from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import Artifact, Facts, Landing, Person, Place, Reading, Ticket
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import Policy, policy_from
from dogana.core.rules.findings import Finding

AT = datetime(2026, 3, 10, 12, 0, tzinfo=UTC)
BYTES = Artifact(name="app.tar.gz", digest="sha256:" + "a" * 64, size=10)
OTHER_BYTES = BYTES.model_copy(update={"digest": "sha256:" + "b" * 64})
PEOPLE = (
    Person(id="ann", name="Ann Ash", email="ann@example.org", groups=("desk",)),
    Person(id="bo", name="Bo Birch", email="bo@example.org", groups=("desk", "security")),
    Person(id="cy", name="Cy Cedar", email="cy@example.org", groups=("security",)),
    Person(id="dee", name="Dee Dogwood", email="dee@example.org", groups=("desk",)),
    Person(id="eve", name="Eve Elm", email="Eve@Example.org", groups=("security",)),
)


def reading(value: Any = None, *, unknown: str | None = None, at: datetime = AT) -> Any:
    return Reading[Any](source="the tracker", read_at=at, value=value, unknown=unknown)


def facts(**changes: Any) -> Facts:
    commit = Commit(revision="c1", author="Eve", author_email="eve@example.org", subject="Work", at=AT)
    change = Change(revision="c1", commits=(commit,), files=(), ticket_keys=("CW-1",))
    given = {
        "service": "app",
        "version": "1.2.0",
        "repository": "app",
        "target": Place(id="live", title="Live", zone="Europe/Rome"),
        "route": "standard",
        "requester": "dee",
        "requested_at": AT - timedelta(hours=1),
        "artifacts": (BYTES,),
        "change": reading(change).model_dump(),
        "tickets": reading((Ticket(key="CW-1", title="Work", status="done"),)).model_dump(),
        "leg_before": (landing(),),
        "people": PEOPLE,
        "groups": {"desk": "release desk", "security": "security"},
    }
    return Facts.model_validate(given | changes)


def landing(hours: float = 48, *, healthy: bool = True, **changes: Any) -> Landing:
    at = AT - timedelta(hours=hours)
    given = {
        "environment": "pilot",
        "title": "Pilot",
        "landed_at": at,
        "healthy_since": at if healthy else None,
        "artifacts": (BYTES,),
    }
    return Landing.model_validate(given | changes)


def policy(*rules: dict[str, Any]) -> Policy:
    named = [{"id": f"r{n}", "title": f"Rule {n}", **rule} for n, rule in enumerate(rules)]
    return policy_from({"format": "dogana.policy/1", "title": "Live", "zone": "Europe/Rome", "rules": named})


def words(made: Policy, known: Facts, *spoken: str, shown: Any = None) -> Decisions:
    """Decisions such as `ann` (approves) or `ann:retract`, a minute apart."""
    out = []
    for n, word in enumerate(spoken):
        person, _, action = word.partition(":")
        out.append(
            Decision(
                action=action or "approve",
                person=person,
                at=AT - timedelta(minutes=30 - n),
                shown=shown or what_is_shown(made, known),
            )
        )
    return Decisions(made=tuple(out))


def sheet_of(*rules: dict[str, Any], known: Facts | None = None, spoken: tuple[str, ...] = ()) -> Sheet:
    made, known = policy(*rules), known or facts()
    return inspect(made, known, words(made, known, *spoken), AT)


def finding_of(rule: dict[str, Any], **given: Any) -> Finding:
    return sheet_of(rule, **given).findings[0]
