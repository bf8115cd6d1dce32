"""Every way in: the right it takes, and something to send that is well-formed.

Written by hand, so that a route cannot become open by a change of the code alone.
"""

import re
from dataclasses import dataclass
from typing import Any

SHOWN = {"artifacts": "sha256:" + "0" * 64, "policy": "sha256:" + "0" * 64}
NEW = {"service": "nothing", "version": "1", "to": "bench"}
PERSON = {"name": "Zoe Zander", "email": "zoe@corvale.example", "roles": ["auditor"]}
CALENDAR = {"title": "Feasts", "zone": "Europe/Rome", "windows": []}
REPORT = {
    "name": "scan",
    "kind": "scan",
    "produced_at": "2026-01-01T00:00Z",
    "by": "a scanner",
    "content": {"critical": 0},
}
RELEASE = {
    "version": "1.2.0",
    "revision": "v1.2.0",
    "artifacts": [{"name": "portal.tar.gz", "digest": "sha256:" + "a" * 64, "size": 1234}],
}
ROLES = {
    "read": {"approver", "policy owner", "requester", "auditor", "administrator"},
    "own": {"approver", "policy owner", "requester", "auditor", "administrator"},
    "subscribe": {"approver", "policy owner", "requester", "auditor", "administrator"},
    "comment": {"approver", "policy owner", "requester", "administrator"},
    "request": {"approver", "requester"},
    "request or decide": {"approver", "requester"},
    "decide": {"approver"},
    "deploy": {"approver", "requester"},
    "write policy": {"policy owner"},
    "adopt policy": {"policy owner"},
    "administer": {"administrator"},
    "provision": set(),
}
"""Who has each right."""
SCOPES = {
    "read": {"read"},
    "request": {"read", "comment", "request", "request or decide"},
    "decide": {"read", "comment", "decide", "request or decide"},
    "deploy": {"read", "deploy"},
    "feed": {"subscribe"},
    "administer": {"read", "administer"},
}
"""What a token of each scope may at most."""
_RIGHTS = {
    "read": """
        GET /api/arrivals
        GET /api/calendars
        GET /api/calendars/{name=feasts}/ics
        GET /api/closings
        GET /api/deliveries
        GET /api/desk
        GET /api/environments
        GET /api/environments/{environment=bench}/policy-starts
        GET /api/house
        GET /api/house/first-steps
        GET /api/house/lacking
        GET /metrics
        GET /api/environments/{environment=bench}/policies
        GET /api/environments/{environment=bench}/policies/{version=99}/changes
        GET /api/environments/{name=bench}
        GET /api/boards/{number=98}
        GET /api/boards/{number=98}/shown
        GET /api/estate
        GET /api/estate/beside/{number}
        GET /api/estate/changes
        GET /api/estate/commits-behind
        GET /api/estate/comparison
        GET /api/estate/fares
        GET /api/estate/findings
        GET /api/estate/history
        GET /api/estate/lines
        GET /api/estate/metrics
        GET /api/estate/monitors
        GET /api/estate/occurrences
        GET /api/estate/suspects
        GET /api/estate/where
        GET /api/groups
        GET /api/incidents
        GET /api/incidents/{incident=97}
        GET /api/landings
        GET /api/landings/going-back
        GET /api/ledger
        GET /api/ledger/export
        GET /api/ledger/filters
        GET /api/chat
        GET /api/messages/house
        GET /api/people
        GET /api/policy-board
        GET /api/promotions
        GET /api/promotions/{number}
        GET /api/promotions/{number}/change
        GET /api/promotions/{number}/commits/{revision=0000000000000000000000000000000000000000}
        GET /api/promotions/{number}/course
        GET /api/promotions/{number}/dossier
        GET /api/promotions/{number}/orders
        GET /api/promotions/{number}/shared
        GET /api/promotions/{number}/sign-off
        GET /api/proposals
        GET /api/routes
        GET /api/scopes
        GET /api/scopes/{number=98}
        GET /api/scopes/{number=98}/pack
        GET /api/senders
        GET /api/services
        GET /api/services/{name=taps-portal}
        GET /api/services/{service=taps-portal}/releases
        GET /api/services/{service=taps-portal}/releases/{version=1.2.0}
        GET /api/services/{service=taps-portal}/releases/{version=1.2.0}/evidence/{name=plan}/file
        GET /api/source-kinds
        GET /api/sources
        GET /api/stand-ins
        GET /api/subscribers
        GET /api/timeline
        GET /api/travel-routes
        GET /api/travel-routes/{name=standard}
        GET /api/troubles
        POST /api/clearances/introspect
        POST /api/environments/{environment=bench}/policies/preview
        POST /api/environments/{environment=bench}/policies/rehearsal
    """,
    "own": """
        DELETE /api/boards/{number=98}
        DELETE /api/boards/{number=98}/wall
        DELETE /api/chat/link
        DELETE /api/filters/{name=mine}
        DELETE /api/promotions/{number}/looking
        DELETE /api/proposals/{number=95}
        DELETE /api/sessions/{number=95}
        DELETE /api/stand-ins/{number=98}
        DELETE /api/tokens/{token_id=99}
        GET /api/boards
        GET /api/me
        GET /api/messages
        GET /api/messages/choices
        GET /api/sessions
        GET /api/tokens
        POST /api/chat/code
        POST /api/boards
        POST /api/boards/{number=98}/wall
        POST /api/proposals/{number=95}/confirm
        POST /api/stand-ins
        POST /api/tokens
        PUT /api/boards/{number=98}
        PUT /api/filters/{name=mine}
        PUT /api/messages/choices
        PUT /api/password
        PUT /api/promotions/{number}/looking
    """,
    "subscribe": """
        GET /api/environments/{environment=bench}/ics
    """,
    "comment": """
        POST /api/incidents
        POST /api/incidents/{incident=97}/acknowledge
        POST /api/incidents/{incident=97}/notes
        POST /api/promotions/{number}/checks/{check=capacity}/ask
        DELETE /api/promotions/{number}/shared
        POST /api/promotions/{number}/shared
        POST /api/promotions/{number}/comments
        POST /api/scopes
        PUT /api/scopes/{number=98}
    """,
    "request": """
        POST /api/bundles
        POST /api/promotions
        POST /api/promotions/{number}/exchange
        POST /api/services/{service=taps-portal}/releases
        POST /api/services/{service=taps-portal}/releases/{version=1.2.0}/evidence
        PUT /api/services/{service=taps-portal}/releases/{version=1.2.0}/evidence/{name=plan}
    """,
    "request or decide": """
        POST /api/promotions/{number}/reschedule
        POST /api/promotions/{number}/withdraw
    """,
    "decide": """
        POST /api/estate/findings/accepted
        POST /api/estate/findings/accepted/{number=98}/end
        POST /api/estate/findings/accepted/{number=98}/grant
        POST /api/closings
        POST /api/closings/{number=96}/open
        POST /api/promotions/{number}/accept
        POST /api/promotions/{number}/end
        POST /api/promotions/{number}/approve
        POST /api/promotions/{number}/cancel
        POST /api/incidents/{incident=97}/close
        POST /api/promotions/{number}/confirm
        POST /api/promotions/{number}/go-on
        POST /api/promotions/{number}/issues
        POST /api/promotions/{number}/halt
        POST /api/promotions/{number}/clearance/revoke
        POST /api/promotions/{number}/retract
        POST /api/scopes/{number=98}/agree
        POST /api/scopes/{number=98}/declare
        POST /api/promotions/{number}/turn-back
        POST /api/promotions/{number}/urgent
        POST /api/promotions/{number}/waivers
        POST /api/promotions/{number}/waivers/{rule=tickets}/grant
        POST /api/promotions/{number}/waivers/{rule=tickets}/revoke
    """,
    "deploy": """
        POST /api/alerts
        POST /api/clearances/values
        POST /api/estate/running
        POST /api/promotions/{number}/depart
        POST /api/promotions/{number}/land
        POST /api/promotions/{number}/prepared
        POST /api/promotions/{number}/roll-back
        POST /api/promotions/{number}/shares
    """,
    "write policy": """
        DELETE /api/calendars/{name=none}
        DELETE /api/environments/{environment=bench}/policies/{version=99}
        POST /api/environments/{environment=bench}/policies
        PUT /api/calendars/{name=feasts}
        PUT /api/calendars/{name=feasts}/ics
    """,
    "adopt policy": """
        POST /api/environments/{environment=bench}/policies/{version=99}/adopt
    """,
    "administer": """
        DELETE /api/chat/rooms/{name=none}
        PUT /api/chat/rooms/{name=none}
        DELETE /api/environments/{name=nowhere}
        DELETE /api/groups/{name=nobodies}
        DELETE /api/people/{name=nobody}
        DELETE /api/senders/{name=none}
        DELETE /api/services/{name=nothing}
        DELETE /api/travel-routes/{name=nowhere}
        GET /api/setup
        POST /api/people/{name=nobody}/enable
        PUT /api/setup
        DELETE /api/services/{service=taps-portal}/values/{name=NONE}
        DELETE /api/sources/{name=none}
        DELETE /api/subscribers/{name=none}
        GET /api/services/{service=taps-portal}/values
        POST /api/clearance-keys
        POST /api/deliveries/{number=97}/resend
        POST /api/people/{name=nobody}/end-access
        POST /api/people/{name=nobody}/invitation
        POST /api/source-trials
        PUT /api/environments/{name=spare}
        PUT /api/groups/{name=divers}
        PUT /api/messages/groups/{name=nobodies}
        PUT /api/messages/house
        PUT /api/people/{name=zoe}
        PUT /api/senders/{name=spare}
        PUT /api/services/{name=spare}
        PUT /api/services/{service=taps-portal}/values/{name=KEY}
        PUT /api/sources/{name=spare}
        PUT /api/subscribers/{name=spare}
        PUT /api/travel-routes/{name=spare}
    """,
    "provision": """
        DELETE /api/scim/v2/Groups/{name=none}
        DELETE /api/scim/v2/Users/{name=none}
        GET /api/scim/v2/Groups
        GET /api/scim/v2/Groups/{name=none}
        GET /api/scim/v2/ResourceTypes
        GET /api/scim/v2/ResourceTypes/{name=User}
        GET /api/scim/v2/Schemas
        GET /api/scim/v2/Schemas/{name=none}
        GET /api/scim/v2/ServiceProviderConfig
        GET /api/scim/v2/Users
        GET /api/scim/v2/Users/{name=none}
        PATCH /api/scim/v2/Groups/{name=none}
        PATCH /api/scim/v2/Users/{name=none}
        POST /api/scim/v2/.search
        POST /api/scim/v2/Groups
        POST /api/scim/v2/Groups/.search
        POST /api/scim/v2/Users
        POST /api/scim/v2/Users/.search
        PUT /api/scim/v2/Groups/{name=none}
        PUT /api/scim/v2/Users/{name=none}
    """,
}
_BODIES: dict[str, Any] = {
    "POST /api/promotions/{number}/end": {"how": "failed", "comment": "looked"},
    "PUT /api/setup": {"format": "dogana.setup/1"},
    "POST /api/alerts": {
        "version": "4",
        "receiver": "dogana",
        "alerts": [
            {
                "status": "firing",
                "labels": {"service": "nothing", "environment": "nowhere"},
                "annotations": {},
                "startsAt": "2026-01-01T00:00Z",
                "fingerprint": "f",
            }
        ],
    },
    "PUT /api/chat/rooms/{name}": {"title": "Room", "address": "!room:corvale.example"},
    "POST /api/promotions/{number}/shared": {"hours": 2},
    "POST /api/boards": {"title": "Mine"},
    "POST /api/estate/findings/accepted": {
        "service": "taps-portal",
        "name": "CVE-1",
        "until": "2026-03-11T00:00:00Z",
        "reason": "r",
    },
    "POST /api/estate/running": {"service": "taps-portal", "environment": "bench", "version": "1.2.0"},
    "PUT /api/boards/{number}": {"title": "Mine"},
    "POST /api/scopes": {"title": "Spring"},
    "PUT /api/scopes/{number}": {"title": "Spring"},
    "POST /api/bundles": {"title": "b", "promotions": [NEW, NEW]},
    "POST /api/clearances/introspect": {"clearance": "x"},
    "POST /api/clearances/values": {"clearance": "x"},
    "POST /api/closings": {"environment": "bench", "until": "2001-01-01T00:00Z", "reason": "storm"},
    "POST /api/closings/{number}/open": {"reason": ""},
    "POST /api/environments/{environment}/policies": {"document": "no"},
    "POST /api/environments/{environment}/policies/preview": {"document": "no"},
    "POST /api/environments/{environment}/policies/rehearsal": {"document": "no"},
    "POST /api/incidents": {"service": "nothing", "environment": "bench", "reason": "slow"},
    "POST /api/promotions": NEW,
    "POST /api/promotions/{number}/approve": {"shown": SHOWN},
    "POST /api/promotions/{number}/comments": {"comment": "Why?"},
    "POST /api/promotions/{number}/exchange": {"version": "9", "comment": ""},
    "POST /api/promotions/{number}/shares": {"share": 5},
    "POST /api/promotions/{number}/turn-back": {"shown": SHOWN, "comment": "no"},
    "POST /api/promotions/{number}/waivers": {
        "rule": "tickets",
        "until": "2026-03-11T00:00:00Z",
        "reason": "r",
        "shown": SHOWN,
    },
    "POST /api/services/{service}/releases": RELEASE,
    "POST /api/services/{service}/releases/{version}/evidence": REPORT,
    "POST /api/source-trials": {
        "kind": "tickets",
        "settings": {"address": "http://tracker/tickets/{key}"},
        "ask": "TAPS-1",
    },
    "POST /api/stand-ins": {
        "person": "x",
        "stands_in_for": "y",
        "start": "2026-01-01T00:00Z",
        "end": "2026-01-02T00:00Z",
    },
    "POST /api/tokens": {"title": "t", "scopes": ["read"]},
    "PUT /api/calendars/{name}": CALENDAR,
    "PUT /api/environments/{name}": {"title": "Spare", "zone": "Europe/Rome", "departs": "at once"},
    "PUT /api/filters/{name}": {"query": "at=bench"},
    "PUT /api/groups/{name}": {"title": "divers"},
    "PUT /api/messages/choices": {},
    "PUT /api/messages/groups/{name}": {},
    "PUT /api/messages/house": {},
    "PUT /api/password": {"old": "not it", "new": "long enough to keep"},
    "PUT /api/people/{name}": PERSON,
    "PUT /api/senders/{name}": {"title": "S", "person": "pipeline"},
    "PUT /api/services/{name}": {"title": "S", "repository": "s", "route": "standard"},
    "PUT /api/services/{service}/releases/{version}/evidence/{name}": {
        "add": [],
        "change": [],
        "destroy": [],
    },
    "PUT /api/services/{service}/values/{name}": {"value": "v"},
    "PUT /api/sources/{name}": {
        "kind": "metrics",
        "title": "Spare",
        "settings": {"address": "http://metrics"},
    },
    "PUT /api/subscribers/{name}": {"title": "S", "address": "http://tracker/x"},
    "PUT /api/travel-routes/{name}": {"title": "Spare", "legs": [["bench"]]},
}
_STRETCH = "environment=bench&start=2026-03-01T00:00Z&end=2026-03-02T00:00Z"
_QUERIES = {
    "GET /api/estate/changes": "?since=2026-03-01T00:00Z",
    "GET /api/estate/commits-behind": "?service=taps-portal",
    "GET /api/estate/comparison": "?service=taps-portal&before=1.1.0&after=1.2.0",
    "GET /api/estate/lines": f"?{_STRETCH}",
    "GET /api/estate/monitors": "?environment=bench",
    "GET /api/estate/occurrences": f"?{_STRETCH}",
    "GET /api/estate/suspects": f"?{_STRETCH}",
    "GET /api/estate/where": "?what=TAPS-1",
    "GET /api/landings": "?service=taps-portal&environment=bench",
    "GET /api/landings/going-back": "?service=taps-portal&environment=bench&version=1.2.0",
}
OPEN_TO_ALL = {
    "POST /api/session",
    "GET /api/sign-in",
    "GET /api/sign-in/begin",
    "GET /api/sign-in/back",
    "POST /api/invitations",
    "GET /api/policy-schema",
    "GET /.well-known/jwks.json",
    "GET /health/live",
    "GET /health/ready",
    "POST /api/answers",
    "POST /api/status",
    "POST /api/answers/look",
    "POST /api/hooks/{sender}",
    "POST /api/unsubscribe/{token}",
    "GET /api/feeds/{token}/{environment}.ics",
    "GET /api/feeds/{token}/badge/{service}/{environment}.svg",
    "GET /api/feeds/{token}/landings.atom",
    "GET /api/feeds/{token}/commit/{service}/{revision}.json",
    "GET /api/feeds/{token}/commit/{service}/{revision}.svg",
    "GET /api/walls/{secret}",
}
"""Those that carry a signature or a secret of their own are tested with what they are for."""


@dataclass(frozen=True, kw_only=True)
class Door:
    """One way in."""

    method: str
    template: str
    """The path as the published document has it."""
    path: str
    """The path with something in each place but `{number}`."""
    right: str
    body: Any

    @property
    def name(self) -> str:
        return f"{self.method} {self.template}"


def _door(line: str, right: str) -> Door:
    method, given = line.split()
    template = re.sub(r"\{(\w+)=[^}]*\}", r"{\1}", given)
    path = re.sub(r"\{\w+=([^}]*)\}", r"\1", given) + _QUERIES.get(f"{method} {template}", "")
    if template.endswith("/evidence/{name}") and method == "PUT":
        path += "?format=plan"
    return Door(
        method=method,
        template=template,
        path=path,
        right=right,
        body=_BODIES.get(f"{method} {template}", {} if method == "POST" else None),
    )


DOORS = [_door(line, right) for right, lines in _RIGHTS.items() for line in lines.split("\n") if line.strip()]
