"""The policies of the scenario, with closed times relative to the instant the demo is made."""

from datetime import datetime, timedelta
from typing import Any

from dogana.core.time.zones import local
from dogana.demo.landscape import HOME

_BUT_BACK = {"when": 'kind != "rollback"'}
"""What going back need not keep to."""
_TICKETS = {"id": "tickets", "kind": "tickets", "title": "Tickets are where they should be"} | _BUT_BACK
_OF_THE_RELEASE = '{environment="$environment",service="$service",version="$version"}'
_WATCHES: list[dict[str, Any]] = [
    {
        "name": "failures",
        "kind": "compared share",
        "bad": f"service_requests_failed_total{_OF_THE_RELEASE}",
        "all": f"service_requests_total{_OF_THE_RELEASE}",
        "ratio": 2,
        "margin": 0.005,
        "every": "PT3S",
    },
    {
        "name": "slow-answers",
        "kind": "quantile",
        "buckets": f"service_request_seconds_bucket{_OF_THE_RELEASE}",
        "quantile": 0.95,
        "at_most": 0.5,
        "every": "PT3S",
    },
    {
        "name": "telemetry-lag",
        "query": 'telemetry_lag_seconds{environment="$environment"}',
        "at_most": 6,
        "every": "PT3S",
    },
]
_SAMENESS = {
    "id": "same-bytes",
    "kind": "sameness",
    "title": "Byte for byte what was tested before",
}


def policies(now: datetime) -> dict[str, list[dict[str, Any]]]:
    """For each environment its policy versions, oldest first; the last one is in force."""
    return {
        "preview": [
            _policy("Preview", [{**_TICKETS, "status": ["open", "in progress", "in review", "done"]}])
        ],
        "bench": [_policy("Bench", [{**_TICKETS, "status": ["open", "in progress", "in review", "done"]}])],
        "rehearsal": [_rehearsal(), _rehearsal() | {"sign_off": {"group": "test-leads", "within": "PT12H"}}],
        "pilot-valley": [
            {
                **_policy(
                    "Pilot valley",
                    [
                        _reviewers("Release desk and control room agree", "release-desk", "control-room"),
                        _freeze("Closed while meters are read", [_reading_day(now)]),
                        _soak("Twenty hours in rehearsal", "PT20H") | {"waivable": "control-room"},
                        {**_TICKETS, "status": ["done"]},
                        _SAMENESS,
                        {
                            "id": "rollout",
                            "kind": "rollout",
                            "title": "Street by street, and watched",
                            "when": 'kind == "ordinary"',
                            "first_share": 20,
                            "least_hold": "PT10M",
                            "watch": _WATCHES,
                            "on_breach": "roll back",
                        },
                    ],
                ),
                **_AT_ONCE,
            }
        ],
        "live": [_baseline()],
        "live-north": [
            _live("Live north", [_past_storm(now)], "release-desk", "control-room"),
            _live("Live north", [_past_storm(now)], "release-desk", "control-room", "security"),
            _live("Live north", [_past_storm(now), _storm(now)], "release-desk", "control-room", "security"),
        ],
        "live-south": [
            _live("Live south", [_past_storm(now)], "release-desk", "control-room"),
            _live("Live south", [_past_storm(now)], "release-desk", "control-room", "security"),
            _live("Live south", [_past_storm(now), _storm(now)], "release-desk", "control-room", "security"),
        ],
    }


def _policy(title: str, rules: list[dict[str, Any]]) -> dict[str, Any]:
    return {"format": "dogana.policy/1", "title": title, "zone": HOME, "rules": rules}


def _rehearsal() -> dict[str, Any]:
    return _policy(
        "Rehearsal",
        [
            _reviewers("Testers know what comes, the desk agrees", "test-leads", "release-desk")
            | {"ways": ["desk", "mail", "chat"], "remind": "PT4H"}
            | {"escalate": {"after": "P1D", "to": "control-room"}},
            {**_TICKETS, "status": ["in review", "done"]},
            _SAMENESS,
        ],
    )


_AT_ONCE = {"closes": "control-room", "declares_urgent": "control-room"}
"""The control room closes at once, and says what is urgent."""


def _baseline() -> dict[str, Any]:
    """What every live environment asks for, whatever else it asks for itself."""
    made = _policy(
        "Live",
        [
            {
                "id": "origin",
                "kind": "origin",
                "title": "From main, tagged, and read by a second engineer",
                "branches": ["main"],
                "tags": ["v*"],
                "reviewed": True,
                "reviewers": "known",
            },
            {
                "id": "test-report",
                "kind": "evidence",
                "title": "Every test passed",
                "name": "test-report",
                "senders": ["pipeline"],
                "holds": "content.failed == 0",
                "otherwise": "tests failed; a release with a failing test does not go live",
            },
            {
                "id": "scan",
                "kind": "evidence",
                "title": "Scanned, nothing critical in it",
                "name": "vulnerability-scan",
                "not_older": "P30D",
                "senders": ["pipeline"],
                "holds": "content.critical == 0 && content.high <= 2",
                "otherwise": "the scan found something critical, or more than two high",
                "waivable": "security",
            }
            | _BUT_BACK,
            {
                "id": "health",
                "kind": "monitors",
                "title": "The valley is well, here and in the pilot",
                "of": "both",
                "watch": [
                    _threshold("telemetry lag, s", "telemetry_lag_seconds", 6),
                    _threshold("valve acknowledgement, s", "valve_ack_seconds", 2),
                    _threshold("refused frames", "ingest_error_ratio", 0.02),
                ],
            },
            {
                "id": "rollout",
                "kind": "rollout",
                "title": "A tenth of the households first, and watched",
                "when": 'kind != "rollback"',
                "first_share": 10,
                "largest_step": 50,
                "least_hold": "PT10M",
                "watch": _WATCHES,
                "on_breach": "roll back",
            },
            {
                "id": "capacity",
                "kind": "check",
                "title": "There is room to run it beside what runs",
                "check": "capacity",
                "answers_within": "PT10M",
                "advisory": True,
            },
            _soak("A day and a half in the pilot", "PT36H")
            | {"waivable": "control-room", "when": 'kind != "urgent"'},
            {**_TICKETS, "status": ["done"], "waivable": "release-desk"},
            _SAMENESS,
        ],
    )
    return {**made, **_AT_ONCE}


def _threshold(name: str, metric: str, at_most: float) -> dict[str, Any]:
    query = f'{metric}{{environment="$environment"}}'
    return {"name": name, "query": query, "window": "PT5M", "at_most": at_most}


def _live(title: str, storms: list[dict[str, Any]], *groups: str) -> dict[str, Any]:
    own = _policy(
        title,
        [
            _reviewers("Every side that answers for it agrees", *groups) | _BUT_BACK,
            _reviewers("One of the release desk lets it go back", "release-desk")
            | {"id": "going-back", "when": 'kind == "rollback"'},
            _freeze("Closed for storms", storms) | {"id": "storm-watch", "passes": ["rollback"]},
            _freeze(
                "Closed for billing",
                [
                    {
                        "name": "the billing run",
                        "every": "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1,-2,-3",
                        "starting": "2020-01-01T00:00:00",
                        "lasting": "P1D",
                    },
                    {
                        "name": "the new year",
                        "every": "FREQ=YEARLY",
                        "starting": "2020-12-31T00:00:00",
                        "lasting": "P2D",
                    },
                ],
            )
            | {"passes": ["rollback"]},
            {
                "id": "hours",
                "kind": "hours",
                "title": "While somebody is there",
                "zone": HOME,
                "open": [{"days": ["MO", "TU", "WE", "TH", "FR"], "from": "07:00", "until": "17:00"}],
                "holiday_calendars": ["public-holidays"],
                "passes": ["rollback"],
            },
            {"id": "notice", "kind": "notice", "title": "Two hours of notice", "at_least": "PT2H"}
            | _BUT_BACK,
            {
                "id": "pace",
                "kind": "pace",
                "title": "One at a time, at most six a day; the newest wins",
                "one_at_a_time": True,
                "at_most": 6,
                "per": "PT24H",
                "newest": "supersedes",
            },
            {
                "id": "data-protection",
                "kind": "reviewers",
                "title": "A second pair of eyes for schema changes",
                "when": 'kind != "rollback" && files.exists(f, f.path.startsWith("schema/"))',
                "seats": [{"group": "data-protection"}],
            },
            {
                "id": "needs",
                "kind": "needs",
                "title": "Meters are read before bills are made from them",
                "when": 'service == "tariff-engine"',
                "services": [{"service": "meter-intake", "at_least": "7.3.0"}],
            },
            {
                "id": "small-on-friday",
                "kind": "condition",
                "title": "Nothing large on a Friday",
                "when": "now.getDayOfWeek() == 5",
                "holds": "size(commits) <= 12",
                "otherwise": "more than twelve commits on a Friday; split it or wait for Monday",
                "advisory": True,
            },
            {
                "id": "prepared",
                "kind": "prepared",
                "title": "Valves are backed up and staged first",
                "when": 'service == "valve-command"',
                "within": "P2D",
                "advisory": True,
            },
            {"id": "versions", "kind": "versions", "title": "Never back but by a rollback"},
        ],
    )
    return {**own, "inherits": "live", **_AT_ONCE}


def holidays(now: datetime) -> dict[str, Any]:
    """The shared calendar of public holidays; the valley's own feast always lies two weeks ahead."""
    feasts = {"New Year": "01-01", "Labour Day": "05-01", "Assumption": "08-15", "Christmas": "12-25"}
    fixed = [
        {"name": name, "every": "FREQ=YEARLY", "starting": f"2020-{day}T00:00:00", "lasting": "P1D"}
        for name, day in feasts.items()
    ]
    day = local(now + timedelta(days=14), HOME).replace(hour=0, minute=0, second=0, microsecond=0)
    own = {
        "name": "the valley's feast",
        "from": day.isoformat(),
        "until": (day + timedelta(days=1)).isoformat(),
    }
    return {"title": "Public holidays", "zone": HOME, "windows": [*fixed, own]}


def _reviewers(title: str, *groups: str) -> dict[str, Any]:
    return {
        "id": "reviewers",
        "kind": "reviewers",
        "title": title,
        "seats": [{"group": group} for group in groups],
    }


def _freeze(title: str, windows: list[dict[str, Any]]) -> dict[str, Any]:
    return {"id": "closed-times", "kind": "freeze", "title": title, "zone": HOME, "windows": windows}


def _soak(title: str, at_least: str) -> dict[str, Any]:
    return {"id": "soak", "kind": "soak", "title": title, "at_least": at_least}


def _hour(now: datetime, **ahead: float) -> str:
    return local(now + timedelta(**ahead), HOME).replace(minute=0, second=0, microsecond=0).isoformat()


def _storm(now: datetime) -> dict[str, Any]:
    return {"name": "storm watch", "from": _hour(now, hours=-3), "until": _hour(now, hours=27)}


def _past_storm(now: datetime) -> dict[str, Any]:
    return {"name": "the storm of the month", "from": _hour(now, days=-19), "until": _hour(now, days=-18)}


def _reading_day(now: datetime) -> dict[str, Any]:
    return {"name": "meter reading day", "from": _hour(now, days=2), "until": _hour(now, days=2, hours=12)}
