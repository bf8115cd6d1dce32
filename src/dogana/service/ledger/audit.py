"""Taking the ledger out of the database: to verify it, to replay what it was decided on, to hand it on."""

import json
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass

from dogana.core import parts
from dogana.core.record.canonical import digest_bytes
from dogana.core.record.export import line_of
from dogana.core.record.replay import Behind
from dogana.core.record.verify import Leaf, Verification, Verifier
from dogana.service.backend import Backend
from dogana.store import Session, documents, ledger

_TOGETHER = 100


async def record_of(session: Session) -> AsyncIterator[list[Leaf | str]]:
    """The live ledger in lots: each entry that has its index, each checkpoint after the last it covers."""
    index = -1
    async for some in ledger.leaves(session):
        lot: list[Leaf | str] = []
        for index, body, leaf, note in some:
            lot.append(Leaf(index, body.encode(), leaf))
            if note is not None:
                lot.append(note)
        yield lot
    yield [*await ledger.last_notes(session, index + 1)]


@asynccontextmanager
async def at_one_instant(backend: Backend) -> AsyncIterator[Session]:
    """The live ledger as it is now, whatever is sequenced meanwhile."""
    async with backend.database.transaction() as session:
        await ledger.hold_the_instant(session)
        yield session


@dataclass(frozen=True, kw_only=True)
class LiveVerification:
    """What verifying the live ledger came to."""

    verification: Verification
    unsequenced: int
    """Entries that wait for their index, and so for a checkpoint over them."""
    documents: int
    """How many stored documents were held against their digests."""


async def verify_live(backend: Backend, verifier: Verifier, *, with_documents: bool) -> LiveVerification:
    """Check the live ledger at one instant, entry by entry.

    Args:
        backend: the database.
        verifier: what checks it.
        with_documents: whether what decisions were made on is held against its digests too.
    """
    async with at_one_instant(backend) as session:
        async for lot in record_of(session):
            if not verifier.follow(lot):
                break
        result = verifier.done()
        count = 0
        if with_documents:
            async for digest, text in documents.every(session):
                count += 1
                if text is None or digest_bytes(text.encode()) != digest:
                    result.found(None, f"the stored document {digest} was changed")
        waiting = await ledger.unsequenced_count(session)
    return LiveVerification(verification=result, unsequenced=waiting, documents=count)


async def sheets(backend: Backend) -> AsyncIterator[tuple[int, Behind]]:
    """What each decision was made on, with the index of the first entry that names it; each sheet once."""
    async for session, some in _naming(backend, "sheet"):
        for one in await _behind(session, some):
            yield one


async def moves(backend: Backend) -> AsyncIterator[tuple[int, str, str | None]]:
    """Every move of what goes in step by step: its entry's index, its digest, and the text that is kept."""
    async for session, some in _naming(backend, "move"):
        for one in await _texts(session, some):
            yield one


async def _naming(backend: Backend, part: str) -> AsyncIterator[tuple[Session, list[tuple[int, str]]]]:
    """Index and digest of what entries were decided on, each at the first that names it; lot by lot."""
    seen: set[str] = set()
    # Documents never change, so they may be read in another transaction.
    async with at_one_instant(backend) as entries, backend.database.transaction() as session:
        async for lot in ledger.leaves(entries):
            some: list[tuple[int, str]] = []
            for entry in lot:
                digest = json.loads(entry.body).get("on", {}).get(part)
                if digest and digest not in seen:
                    seen.add(digest)
                    some.append((entry.leaf_index, digest))
            for first in range(0, len(some), _TOGETHER):
                yield session, some[first : first + _TOGETHER]


async def _texts(session: Session, some: list[tuple[int, str]]) -> list[tuple[int, str, str | None]]:
    found = await documents.texts(session, {digest for _, digest in some})
    return [(index, digest, found.get(digest)) for index, digest in some]


async def _behind(session: Session, some: list[tuple[int, str]]) -> list[tuple[int, Behind]]:
    found = await documents.texts(session, {digest for _, digest in some})
    named: dict[str, dict[str, str]] = {}
    for digest, text in found.items():
        sheet = json.loads(text)
        named[digest] = {part: sheet[part] for part in ("policy", "facts", "decisions")}
    texts = found | await documents.texts(
        session, {one for names in named.values() for one in names.values()}
    )
    parts_of = {
        digest: parts.named(texts[names["facts"]]) if names["facts"] in texts else frozenset()
        for digest, names in named.items()
    }
    texts |= await documents.texts(session, frozenset().union(*parts_of.values()))
    wanted = {
        digest: (digest, *named.get(digest, {}).values(), *parts_of.get(digest, ())) for _, digest in some
    }
    return [
        (index, Behind(sheet=digest, texts={one: texts.get(one) for one in wanted[digest]}))
        for index, digest in some
    ]


async def export(backend: Backend) -> AsyncIterator[str]:
    """The ledger at one instant as lines; see `core.record.export`."""
    async with at_one_instant(backend) as session:
        async for lot in record_of(session):
            for one in lot:
                yield line_of(one)
