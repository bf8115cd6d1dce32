"""The tables. What must hold under concurrency is a named constraint here.

They refer to each other by name, so whoever wants one gets all.
"""

from dogana.store.tables import (
    calendars,
    chat,
    checks,
    courses,
    directory,
    documents,
    estate,
    exchange,
    incidents,
    landscape,
    ledger,
    messages,
    people,
    policies,
    processes,
    promotions,
    scopes,
    secrets,
    shared,
    sign_offs,
    sources,
    views,
)

__all__ = [
    "calendars",
    "chat",
    "checks",
    "courses",
    "directory",
    "documents",
    "estate",
    "exchange",
    "incidents",
    "landscape",
    "ledger",
    "messages",
    "people",
    "policies",
    "processes",
    "promotions",
    "scopes",
    "secrets",
    "shared",
    "sign_offs",
    "sources",
    "views",
]
