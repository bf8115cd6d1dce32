"""Verification of a ledger from its entries, its checkpoints and the public key alone.

1. Every index is taken once, in order, without a gap.
2. Every entry is canonical JSON and hashes to the leaf recorded beside it.
3. Every checkpoint is signed with the given key and states the head of the tree of its size.
4. No checkpoint states more entries than there are, and the last one covers all that have an index.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import rfc8785
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
from pydantic_core import from_json

from dogana.core.record.canonical import canonical
from dogana.core.record.checkpoint import CheckpointError, opened
from dogana.core.record.merkle import Frontier, leaf_hash

_ENOUGH = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Leaf:
    """One entry as stored: its index from 0, its bytes, and the leaf hash recorded with it."""

    index: int
    body: bytes
    leaf: bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing that does not fit; `index` is the first entry it concerns, if any."""

    index: int | None
    what: str


@dataclass(slots=True)
class Verification:
    """What a verification came to."""

    entries: int = 0
    checkpoints: int = 0
    root: bytes = b""
    faults: list[Fault] = field(default_factory=list)

    @property
    def verified(self) -> bool:
        """True when nothing was found and there was something to check it against."""
        return not self.faults

    def found(self, index: int | None, what: str) -> None:
        """Note a fault; beyond twenty they are only counted as more of the same."""
        if len(self.faults) < _ENOUGH:
            self.faults.append(Fault(index=index, what=what))


def verify(entries: Iterable[Leaf], notes: Iterable[str], key: Ed25519PublicKey) -> Verification:
    """Check a ledger; see the module for the steps.

    Args:
        entries: in order of index; may be a generator over a million.
        notes: the signed checkpoints in order of size.
        key: the public key they must be signed with.

    Returns:
        The counts, the tree head, and up to twenty faults, the first one first.
    """
    result = Verification()
    tree = Frontier()
    pending = _checkpoints(notes, key, result)
    checkpoint = next(pending, None)
    trusted = 0
    for entry in entries:
        if entry.index != tree.size:
            result.found(tree.size, f"entry {tree.size} is missing; entry {entry.index} follows")
            break
        _check_entry(entry, result)
        tree = tree.append(leaf_hash(entry.body))
        while checkpoint is not None and checkpoint.size <= tree.size:
            if checkpoint.size == tree.size and checkpoint.root != tree.root():
                result.found(
                    trusted,
                    f"the checkpoint over {checkpoint.size} entries does not fit: "
                    f"one of the entries {trusted} to {checkpoint.size - 1} is not what was signed",
                )
            trusted = checkpoint.size
            checkpoint = next(pending, None)
    result.entries = tree.size
    result.root = tree.root()
    while checkpoint is not None:
        result.found(tree.size, f"a checkpoint states {checkpoint.size} entries, only {tree.size} are here")
        checkpoint = next(pending, None)
    if trusted < tree.size:
        result.found(trusted, f"entries from {trusted} on are under no signed checkpoint")
    return result


@dataclass(frozen=True, slots=True)
class _Stated:
    size: int
    root: bytes


def _checkpoints(notes: Iterable[str], key: Ed25519PublicKey, result: Verification) -> Iterator[_Stated]:
    last = 0
    for number, note in enumerate(notes, start=1):
        result.checkpoints += 1
        try:
            checkpoint = opened(note, key)
        except CheckpointError as exc:
            result.found(None, f"checkpoint {number}: {exc}")
            continue
        if checkpoint.size < last:
            result.found(None, f"checkpoint {number} states fewer entries than the one before")
            continue
        last = checkpoint.size
        yield _Stated(checkpoint.size, checkpoint.root)


def _check_entry(entry: Leaf, result: Verification) -> None:
    if leaf_hash(entry.body) != entry.leaf:
        result.found(
            entry.index, f"entry {entry.index} was changed: its bytes are not those that were recorded"
        )
        return
    try:
        same = canonical(from_json(entry.body)) == entry.body
    except (ValueError, rfc8785.CanonicalizationError):
        same = False
    if not same:
        result.found(entry.index, f"entry {entry.index} is not canonical JSON")
