"""Whether an installation can do its work now, and what keeps it from it, each in one sentence."""

import time
from datetime import timedelta
from typing import Literal
from weakref import WeakKeyDictionary

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.errors import AwayError, MisconfiguredError
from dogana.core.record.checkpoint import CheckpointError, opened, stated
from dogana.core.words import lasting
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.house import processes
from dogana.service.sealing import Keyring
from dogana.service.shapes import View
from dogana.store import Database, Session, house, ledger
from dogana.store.migrate import revisions

_NO_KEY = (
    "There is no sealing key, so nothing can depart: make one with dogana seal new FILE, and name the file "
    "in DOGANA_SEALING_KEYS_FILE."
)
_GOOD_SECONDS = 1.0
_SEQUENCER_LAG = timedelta(seconds=30)

CheckName = Literal["database", "schema", "keys", "worker", "ledger"]


class Check(View):
    """One thing that has to be so."""

    name: CheckName
    ok: bool
    says: str
    """How it is, as a sentence."""


class Readiness(View):
    """Whether all is so that has to be."""

    ready: bool
    checks: list[Check]


_KEPT: WeakKeyDictionary[Database, tuple[float, Readiness]] = WeakKeyDictionary()


async def readiness(backend: Backend) -> Readiness:
    """Look at everything that must be there for work to go on; nothing is raised, it is said."""
    try:
        checks = await _checks(backend)
    except AwayError:
        checks = [_check("database", "The database does not answer.")]
    return Readiness(ready=all(one.ok for one in checks), checks=checks)


async def lately(backend: Backend) -> Readiness:
    """The same, as it was within the last second: every screen asks, and whoever watches it."""
    now, kept = time.monotonic(), _KEPT.get(backend.database)
    if kept is not None and now - kept[0] < _GOOD_SECONDS:
        return kept[1]
    found = await readiness(backend)
    _KEPT[backend.database] = (time.monotonic(), found)
    return found


async def lacking(backend: Backend, actor: Actor) -> list[str]:
    """What keeps the installation from its work, for every screen; nothing where all is well."""
    actor.must(Right.READ)
    found = [one.says for one in (await lately(backend)).checks if not one.ok]
    try:
        told = {says for one in await processes.running(backend) if one.alive for says in one.lacks}
    except AwayError:
        told = set()
    return found + sorted(told)


def schema_fault(present: str | None) -> str | None:
    """What is wrong with a schema of this version; nothing where it is the one we know, or a later one.

    A later one was made for a later Dogana, and leaves what this one reads as it was until all are upgraded.
    """
    known = revisions()
    if present is None:
        return "The database holds no tables yet: run dogana migrate."
    if present in {"", *known[1:]}:
        is_ = present or "an early one"
        return f"The database's schema is {is_}, and this Dogana needs {known[0]}: run dogana migrate."
    return None


async def key_fault(session: Session, keyring: Keyring | None) -> str | None:
    """What is wrong with the sealing keys: there are none, or one is missing that something needs."""
    if keyring is None:
        return _NO_KEY
    missing = sorted(one.decode(errors="replace") for one in await house.key_ids(session) - keyring.ids)
    if missing:
        names = ", ".join(missing)
        return f"The sealing key {names} is missing, with which secrets in the database are sealed."
    return None


async def must_be_set_up(backend: Backend) -> None:
    """See that a process can start: the database is there, with a schema and keys that do.

    Raises:
        AwayError: when the database does not answer.
        MisconfiguredError: when it cannot work as it was set up.
    """
    async with backend.database.transaction() as session:
        fault = schema_fault(await house.revision(session))
    if backend.keyring is None:
        # One that is missing is said on every screen: what it sealed is set up anew there.
        fault = fault or _NO_KEY
    if fault is not None:
        raise MisconfiguredError(fault)


async def must_sign_on(backend: Backend, key: Ed25519PrivateKey, name: str) -> None:
    """See that a worker would go on with the ledger that is there, under its name and its key.

    Raises:
        MisconfiguredError: when the last checkpoint was signed with another key, or under another name.
    """
    async with backend.database.transaction() as session:
        last = await ledger.last_checkpoint(session)
    if last is None:
        return
    called = stated(last.note).origin
    if called != name:
        raise MisconfiguredError(f"The ledger is called {called}, and DOGANA_LEDGER_NAME says {name}.")
    try:
        opened(last.note, key.public_key())
    except CheckpointError:
        raise MisconfiguredError(
            "The signing key is not the one that signed the last checkpoint; give the key that belongs to "
            "this database, or nobody can verify its ledger."
        ) from None


async def _checks(backend: Backend) -> list[Check]:
    async with backend.database.transaction() as session:
        schema = schema_fault(await house.revision(session))
        if schema is not None:
            return [_check("database"), _check("schema", schema)]
        keys = await key_fault(session, backend.keyring)
        now = await house.now(session)
        waiting = await house.queue(session, "ledger", backend.clock())
    workers = [one for one in await processes.running(backend) if one.kind == "worker"]
    worker = _worker_fault(workers)
    since = waiting.since
    lag = max(now - since, timedelta()) if since is not None else timedelta()
    late = f"{waiting.length} entries have waited {lasting(lag)} for their place in the ledger."
    return [
        _check("database"),
        _check("schema"),
        _check("keys", keys),
        _check("worker", worker),
        # Without a worker nothing gets its place, which that says already.
        _check("ledger", late if lag > _SEQUENCER_LAG and worker is None else None),
    ]


def _worker_fault(workers: list[processes.Running]) -> str | None:
    if any(one.alive for one in workers):
        return None
    if not workers:
        return "No worker runs, so nothing is inspected and nothing departs: start one with dogana work."
    ago = lasting(min(one.silent_for for one in workers))
    return f"No worker has been heard of for {ago}, so nothing is inspected and nothing departs."


_WELL: dict[CheckName, str] = {
    "database": "The database answers.",
    "schema": "The schema is the one this Dogana needs, or a later one.",
    "keys": "Every sealed secret can be opened.",
    "worker": "A worker is at work.",
    "ledger": "Entries get their place at once.",
}


def _check(name: CheckName, fault: str | None = None) -> Check:
    return Check(name=name, ok=fault is None, says=fault or _WELL[name])
