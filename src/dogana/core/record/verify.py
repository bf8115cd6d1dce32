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


class Verifier:
    """Checks a ledger as it is read, entry by entry; see the module for the steps. It keeps none of them."""

    def __init__(self, notes: Iterable[str], key: Ed25519PublicKey) -> None:
        """Begin.

        Args:
            notes: the signed checkpoints in order of size.
            key: the public key they must be signed with.
        """
        self._result = Verification()
        self._tree = Frontier()
        self._pending = _checkpoints(notes, key, self._result)
        self._checkpoint = next(self._pending, None)
        self._trusted = 0

    def take(self, entry: Leaf) -> bool:
        """Check the next entry; False where one is missing before it, and no more can be said."""
        if entry.index != self._tree.size:
            missing = f"entry {self._tree.size} is missing; entry {entry.index} follows"
            self._result.found(self._tree.size, missing)
            return False
        _check_entry(entry, self._result)
        self._tree = self._tree.append(leaf_hash(entry.body))
        while (stated := self._checkpoint) is not None and stated.size <= self._tree.size:
            if stated.size == self._tree.size and stated.root != self._tree.root():
                self._result.found(
                    self._trusted,
                    f"the checkpoint over {stated.size} entries does not fit: "
                    f"one of the entries {self._trusted} to {stated.size - 1} is not what was signed",
                )
            self._trusted = stated.size
            self._checkpoint = next(self._pending, None)
        return True

    def done(self) -> Verification:
        """What came of it: the counts, the tree head, and up to twenty faults, the first one first."""
        result, size = self._result, self._tree.size
        result.entries, result.root = size, self._tree.root()
        while self._checkpoint is not None:
            states = f"a checkpoint states {self._checkpoint.size} entries, only {size} are here"
            result.found(size, states)
            self._checkpoint = next(self._pending, None)
        if self._trusted < size:
            result.found(self._trusted, f"entries from {self._trusted} on are under no signed checkpoint")
        return result


def verify(entries: Iterable[Leaf], notes: Iterable[str], key: Ed25519PublicKey) -> Verification:
    """Check a ledger that is at hand.

    Args:
        entries: in order of index.
        notes: the signed checkpoints in order of size.
        key: the public key they must be signed with.
    """
    verifier = Verifier(notes, key)
    for entry in entries:
        if not verifier.take(entry):
            break
    return verifier.done()


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
