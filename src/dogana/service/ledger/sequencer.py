"""The sequencer: each committed entry gets its index, and a signed checkpoint goes over all."""

import json
from datetime import datetime
from typing import Any

import structlog
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

from dogana.core.document import SKEW
from dogana.core.record.actions import Action
from dogana.core.record.checkpoint import Checkpoint, sign, stated
from dogana.core.record.merkle import Frontier, leaf_hash
from dogana.core.words import when
from dogana.service.actor import ENGINE
from dogana.service.backend import Backend
from dogana.service.ledger.entries import instant, record
from dogana.store import Session, ledger
from dogana.store.database import announce
from dogana.store.tables.ledger import CheckpointRow, LeafRow

_BATCH = 5000
_log = structlog.get_logger("dogana.ledger")


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
        # Whoever verifies takes a checkpoint that was signed before the one before it for a fault.
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
