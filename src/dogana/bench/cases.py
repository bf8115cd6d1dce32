"""What is measured: a policy with a rule of every kind, and facts as full as they come."""

from datetime import UTC, datetime, timedelta
from typing import Any

from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import CheckAnswer, Facts
from dogana.core.inspect.engine import what_is_shown
from dogana.core.policy.document import Policy, policy_from
from dogana.core.time.windows import Window

AT = datetime(2027, 3, 10, 11, 0, tzinfo=UTC)
_DIGEST = "sha256:" + "a" * 64
_MONDAY = datetime(2026, 1, 5)  # noqa: DTZ001 - a wall clock
_QUERY = 'lag_seconds{environment="$environment"}'


def _windows() -> tuple[Window, ...]:
    weekly = [
        {
            "name": f"weekly {n}",
            "every": "FREQ=WEEKLY",
            "starting": (_MONDAY + timedelta(hours=n)).isoformat(),
            "lasting": "PT6H",
        }
        for n in range(100)
    ]
    once = [
        {
            "name": f"once {n}",
            "from": (start := _MONDAY + timedelta(days=n, hours=n % 24)).isoformat(),
            "until": (start + timedelta(hours=6)).isoformat(),
        }
        for n in range(400)
    ]
    return tuple(Window.model_validate(window) for window in [*weekly, *once])


WINDOWS = _windows()


def _policy(*rules: dict[str, Any]) -> Policy:
    named = [{"id": f"r{n}", "title": f"Rule {n}", **rule} for n, rule in enumerate(rules)]
    return policy_from({"format": "dogana.policy/1", "title": "Bench", "zone": "Europe/Rome", "rules": named})


def freeze() -> Policy:
    """Nothing but closed times."""
    windows = [window.plain() for window in WINDOWS]
    return _policy({"kind": "freeze", "zone": "Europe/Rome", "windows": windows})


def full_policy() -> Policy:
    """One rule of each of the seventeen kinds."""
    return _policy(
        {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security", "count": 2}]},
        {
            "kind": "freeze",
            "zone": "Europe/Rome",
            "windows": [
                {
                    "name": "billing",
                    "every": "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1",
                    "starting": "2026-01-01T00:00",
                    "lasting": "P1D",
                }
            ],
        },
        {
            "kind": "hours",
            "zone": "Europe/Rome",
            "open": [{"days": ["MO", "TU", "WE", "TH", "FR"], "from": "07:00", "until": "17:00"}],
        },
        {"kind": "notice", "at_least": "PT1H"},
        {"kind": "soak", "at_least": "PT24H"},
        {"kind": "tickets", "status": ["done"], "when": 'files.exists(f, f.path.startsWith("area/"))'},
        {"kind": "origin", "branches": ["main"], "tags": ["v*"], "reviewed": True},
        {"kind": "sameness"},
        {"kind": "evidence", "name": "scan", "holds": "content.critical == 0 && content.high <= 3"},
        {"kind": "check", "check": "capacity"},
        {"kind": "monitors", "watch": [{"name": "lag", "query": _QUERY, "at_most": 5}]},
        {"kind": "rollout", "first_share": 10, "largest_step": 50, "least_hold": "PT10M"},
        {"kind": "pace", "one_at_a_time": True, "at_most": 6, "per": "PT24H"},
        {"kind": "versions", "at_least": "1.0.0"},
        {"kind": "needs", "services": [{"service": "core", "at_least": "2.0.0"}]},
        {
            "kind": "condition",
            "holds": "size(commits) <= 500 && size(files) <= 900",
            "otherwise": "too large",
        },
        {"kind": "prepared"},
    )


def full_facts(commits: int = 200, files: int = 500) -> Facts:
    """A large change with everything about it in order."""

    def read(value: object) -> dict[str, object]:
        return {"source": "a source", "read_at": AT, "value": value}

    artifacts = [{"name": f"part-{n}.tar.gz", "digest": _DIGEST, "size": 10**7} for n in range(4)]
    people = [
        {
            "id": f"p{n}",
            "name": f"Person {n}",
            "email": f"p{n}@example.org",
            "groups": ["desk", "security"][n % 2 :],
        }
        for n in range(40)
    ]
    landed = {"environment": "pilot", "title": "Pilot", "landed_at": AT - timedelta(days=3)}
    landed |= {"healthy_since": AT - timedelta(days=3), "artifacts": artifacts}
    series = {"environment": "live", "query": _QUERY, "window": "PT10M"}
    facts = Facts.model_validate(
        {
            "service": "app",
            "version": "1.4.0",
            "repository": "app",
            "target": {"id": "live", "title": "Live", "zone": "Europe/Rome"},
            "route": "standard",
            "requester": "p38",
            "requested_at": AT - timedelta(hours=5),
            "artifacts": artifacts,
            "plan": {
                "steps": [{"share": 10, "hold": "PT10M"}, {"share": 60, "hold": "PT10M"}, {"share": 100}]
            },
            "change": read(
                {
                    "revision": "c0",
                    "commits": [
                        {
                            "revision": f"{n:040x}",
                            "author": "Person 39",
                            "author_email": "p39@example.org",
                            "subject": f"Work on the thing number {n}",
                            "at": AT - timedelta(hours=n),
                            "reviewed_by": ["p1@example.org"],
                        }
                        for n in range(commits)
                    ],
                    "files": [
                        {"path": f"source/part{n % 9}/file{n}.py", "added": n, "removed": 3}
                        for n in range(files)
                    ],
                    "ticket_keys": ["CW-1", "CW-2"],
                }
            ),
            "origin": read({"branches": ["main"], "tags": [{"name": "v1.4.0"}]}),
            "tickets": read([{"key": f"CW-{n}", "title": "Work", "status": "done"} for n in (1, 2)]),
            "evidence": [
                {
                    "name": "scan",
                    "kind": "scan",
                    "produced_at": AT,
                    "by": "a scanner",
                    "content": {"critical": 0, "high": 1},
                }
            ],
            "monitors": [{**series, "reading": read({"values": [1.5, 2, 2.5, 3]})}],
            "leg_before": [landed],
            "prepared": {"at": AT - timedelta(minutes=30), "by": "A deployer"},
            "runs": {"app": "1.3.0", "core": "2.1.0"},
            "traffic": [
                {
                    "service": "app",
                    "version": "1.3.0",
                    "departed_at": AT - timedelta(days=2),
                    "arrived_at": AT - timedelta(days=2),
                }
            ],
            "people": people,
            "groups": {"desk": "release desk", "security": "security"},
        }
    )
    passed = {"check": "capacity", "title": "Capacity check", "about": facts.asked_about, "asked_at": AT}
    passed |= {"result": "passed", "reason": "room for all of it", "answered_at": AT, "by": "p0"}
    return facts.model_copy(update={"checks": (CheckAnswer.model_validate(passed),)})


def decisions(policy: Policy, facts: Facts) -> Decisions:
    """Two approvals."""
    shown = what_is_shown(policy, facts)
    made = [
        Decision(action="approve", person=who, at=AT - timedelta(hours=1), shown=shown)
        for who in ("p1", "p2")
    ]
    return Decisions(made=tuple(made))
