"""The sequencer, and taking the ledger out of the database to verify it."""

import json
from collections.abc import AsyncIterator, Iterable, Iterator
from contextlib import asynccontextmanager
from datetime import datetime
from typing import Any

import structlog
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.document import SKEW
from dogana.core.errors import InvalidError
from dogana.core.record.actions import Action
from dogana.core.record.checkpoint import Checkpoint, sign, stated
from dogana.core.record.merkle import Frontier, leaf_hash
from dogana.core.record.replay import Behind
from dogana.core.record.verify import Leaf
from dogana.core.words import when
from dogana.service.actor import ENGINE
from dogana.service.backend import Backend
from dogana.service.ledger.entries import instant, record
from dogana.store import Session, ledger, promotions
from dogana.store.database import announce
from dogana.store.tables.ledger import CheckpointRow, LeafRow

_BATCH = 5000
_log = structlog.get_logger("dogana.ledger")
_TOGETHER = 100


async def sequence(backend: Backend, key: Ed25519PrivateKey, name: str) -> int:
    """Give every committed entry that has none its index, and sign a checkpoint over all.

    Safe to run in any number of processes: one works, the others find nothing to do.

    Returns:
        How many entries were given theirs.
    """
    async with backend.database.transaction() as session:
        if not await ledger.sequencer_lock(session):
            return 0
        waiting = await ledger.unsequenced(session, _BATCH)
        if not waiting:
            return 0
        last = await ledger.last_checkpoint(session)
        tree = Frontier.unpack(last.size, last.frontier) if last else Frontier()
        for entry in waiting:
            leaf = leaf_hash(entry.body.encode())
            session.add(LeafRow(leaf_index=tree.size, entry_id=entry.id, leaf_hash=leaf))
            tree = tree.append(leaf)
        await ledger.sequenced(session, [entry.id for entry in waiting])
        now = backend.clock()
        signed_at = max(now, stated(last.note).signed_at) if last else now
        checkpoint = Checkpoint(origin=name, size=tree.size, root=tree.root(), signed_at=signed_at)
        note = sign(checkpoint, key)
        if signed_at - now > SKEW:
            await _say_clock(session, now, signed_at)
        session.add(CheckpointRow(size=tree.size, frontier=tree.pack(), note=note))
        announce(session, "checkpoint")
    return len(waiting)


async def _say_clock(session: Session, now: datetime, signed_at: datetime) -> None:
    """Put on record that the clock here has gone back; once for each time it had shown."""
    details: dict[str, Any] = {"clock": instant(now), "had shown": instant(signed_at)}
    said = await ledger.last_of(session, Action.CLOCK_WENT_BACK)
    if said is not None and json.loads(said.body)["details"]["had shown"] == details["had shown"]:
        return
    says = (
        f"The clock here went back: it shows {when(now, 'Etc/UTC')}, after it had shown "
        f"{when(signed_at, 'Etc/UTC')}. Checkpoints keep the later time, policies in force stay in force."
    )
    _log.error("the clock went back", **details)
    record(session, ENGINE, Action.CLOCK_WENT_BACK, says, now, details=details)


async def leaves(backend: Backend) -> AsyncIterator[Leaf]:
    """Every entry of the live ledger that has its index, in order."""
    async with backend.database.transaction() as session:
        async for leaf in _leaves(session):
            yield leaf


async def _leaves(session: Session) -> AsyncIterator[Leaf]:
    async for index, body, leaf in ledger.leaves(session):
        yield Leaf(index=index, body=body.encode(), leaf=leaf)


@asynccontextmanager
async def at_one_instant(backend: Backend) -> AsyncIterator[tuple[list[str], AsyncIterator[Leaf]]]:
    """The checkpoints and the entries of the live ledger as they are now, whatever is sequenced meanwhile."""
    async with backend.database.transaction() as session:
        await ledger.hold_the_instant(session)
        yield await ledger.notes(session), _leaves(session)


async def sheets(backend: Backend) -> AsyncIterator[tuple[int, Behind]]:
    """What each decision was made on, with the index of the first entry that names it; each sheet once."""
    seen: set[str] = set()
    some: list[tuple[int, str]] = []
    async for entry in leaves(backend):
        digest = json.loads(entry.body).get("on", {}).get("sheet")
        if digest and digest not in seen:
            seen.add(digest)
            some.append((entry.index, digest))
        if len(some) == _TOGETHER:
            for one in await _behind(backend, some):
                yield one
            some = []
    for one in await _behind(backend, some):
        yield one


async def _behind(backend: Backend, some: list[tuple[int, str]]) -> list[tuple[int, Behind]]:
    async with backend.database.transaction() as session:
        found = await promotions.documents(session, {digest for _, digest in some})
        named: dict[str, list[str]] = {}
        for digest, text in found.items():
            sheet = json.loads(text)
            named[digest] = [sheet[part] for part in ("policy", "facts", "decisions")]
        others = await promotions.documents(session, {one for names in named.values() for one in names})
    texts: dict[str, str] = {**found, **others}
    return [
        (index, Behind(sheet=digest, texts={one: texts.get(one) for one in (digest, *named.get(digest, ()))}))
        for index, digest in some
    ]


async def export(backend: Backend) -> AsyncIterator[str]:
    """The ledger as JSON Lines: `entry` lines in order of index, then `checkpoint` lines in order of size."""
    async with backend.database.transaction() as session:
        async for index, body, leaf in ledger.leaves(session):
            yield json.dumps({"place": index, "leaf": leaf.hex(), "entry": body}, ensure_ascii=False)
        for note in await ledger.notes(session):
            yield json.dumps({"checkpoint": note}, ensure_ascii=False)


def read_export(lines: Iterable[str]) -> tuple[Iterator[Leaf], list[str]]:
    """Take an export apart again.

    Raises:
        InvalidError: naming the first line that is not of an export.
    """
    entries: list[Leaf] = []
    checkpoints: list[str] = []
    for number, line in enumerate(lines, start=1):
        try:
            record = json.loads(line)
            if set(record) == {"checkpoint"}:
                checkpoints.append(str(record["checkpoint"]))
            else:
                entries.append(
                    Leaf(
                        index=int(record["place"]),
                        body=str(record["entry"]).encode(),
                        leaf=bytes.fromhex(record["leaf"]),
                    )
                )
        except (ValueError, KeyError, TypeError) as exc:
            raise InvalidError(f"Line {number} is not a line of a ledger export.") from exc
    return iter(entries), checkpoints
