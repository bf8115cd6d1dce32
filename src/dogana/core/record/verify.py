"""Verification of a ledger from its entries, its checkpoints and the public key alone.

1. Every index is taken once, in order, without a gap.
2. Every entry is canonical JSON and hashes to the leaf recorded beside it.
3. Every checkpoint states the head of the tree of its size, in order of size and of time, under one name.
4. The last checkpoint covers every entry, and is signed with the given key. As the tree holds all before it,
   so are the first thousand, and of the others every hundredth.
5. Checkpoints that somebody kept from earlier fit: of what they state, nothing was cut off or changed.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import NamedTuple

from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

from dogana.core.record.canonical import is_canonical
from dogana.core.record.checkpoint import Checkpoint, CheckpointError, opened, stated
from dogana.core.record.merkle import Frontier, leaf_hash

_ENOUGH = 20
_ALL_SIGNATURES, _EVERY_SIGNATURE = 1000, 100
_TOGETHER = 4096


class Leaf(NamedTuple):
    """One entry as stored: its index from 0, its bytes, and the leaf hash recorded with it."""

    leaf_index: int
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
    signatures: int = 0
    """How many of the checkpoints' signatures were checked, the last one's among them."""
    root: bytes = b""
    faults: list[Fault] = field(default_factory=list)
    more: int = 0
    """How many faults there are beyond those."""

    @property
    def verified(self) -> bool:
        """True when nothing was found and there was something to check it against."""
        return not self.faults

    def found(self, index: int | None, what: str) -> None:
        """Note a fault; beyond twenty they are only counted."""
        if len(self.faults) < _ENOUGH:
            self.faults.append(Fault(index=index, what=what))
        else:
            self.more += 1


class Verifier:
    """Checks a ledger as it is read; see the module for the steps. It keeps no entry and no checkpoint.

    Each checkpoint is taken right after the last entry it covers.
    """

    def __init__(self, key: Ed25519PublicKey, *, held: Sequence[str] = (), name: str | None = None) -> None:
        """Begin.

        Args:
            key: the public key the checkpoints must be signed with.
            held: checkpoints that somebody kept from earlier, in any order.
            name: what the ledger must be called; None for whatever its first checkpoint says.

        Raises:
            CheckpointError: when one that was kept is none, or was not signed with the key.
        """
        self._key = key
        self._result = Verification()
        self._tree = Frontier()
        self._waiting: list[bytes] = []
        self._held = sorted((opened(note, key) for note in held), key=lambda one: one.size)
        names = [*([name] if name else []), *(one.origin for one in self._held)]
        self._name = names[0] if names else None
        for other in dict.fromkeys(names[1:]):
            if other != self._name:
                not_it = f"a checkpoint that you hold is of the ledger {other}, not of {self._name}"
                self._result.found(None, not_it)
        self._unchecked: str | None = None
        """The last checkpoint, as long as its signature was not checked."""
        self._signed = self._fits = 0
        self._signed_at: datetime | None = None

    @property
    def _size(self) -> int:
        return self._tree.size + len(self._waiting)

    def follow(self, record: Iterable[Leaf | str]) -> bool:
        """Check what comes next; False where an entry is missing in it, and no more can be said.

        Args:
            record: entries and signed checkpoints as `in_order` gives them; all of it or the next lot.
        """
        for one in record:
            if isinstance(one, str):
                self._state(one)
            elif not self._take(one):
                return False
        return True

    def _take(self, entry: Leaf) -> bool:
        (index, body, recorded), size = entry, self._size
        if index != size:
            self._result.found(size, f"entry {size} is missing; entry {index} follows")
            return False
        leaf = leaf_hash(body)
        if leaf != recorded:
            changed = f"entry {index} was changed: its bytes are not those that were recorded"
            self._result.found(index, changed)
        elif not is_canonical(body):
            self._result.found(index, f"entry {index} is not canonical JSON")
        self._waiting.append(leaf)
        if len(self._waiting) >= _TOGETHER:
            self._grow()
        while self._held and self._held[0].size == size + 1:
            self._against_held(self._held.pop(0))
        return True

    def _state(self, note: str) -> None:
        result = self._result
        result.checkpoints += 1
        number, size = result.checkpoints, self._size
        checked = number <= _ALL_SIGNATURES or number % _EVERY_SIGNATURE == 0
        try:
            checkpoint = opened(note, self._key) if checked else stated(note)
        except CheckpointError as exc:
            result.found(None, f"checkpoint {number}: {exc}")
            return
        result.signatures += checked
        if not self._in_its_place(number, checkpoint):
            return
        if checkpoint.size > size:
            states = f"a checkpoint states {checkpoint.size} entries, only {size} are here"
            result.found(size, states)
            return
        self._grow()
        if checkpoint.root != self._tree.root():
            fits = self._fits
            result.found(
                fits,
                f"the checkpoint over {size} entries does not fit: "
                f"one of the entries {fits} to {size - 1} is not what was signed",
            )
        self._fits = size
        self._unchecked = None if checked else note
        if checked:
            self._signed = size

    def done(self) -> Verification:
        """What came of it: the counts, the tree head, and up to twenty faults, the first one first."""
        self._grow()
        result, size = self._result, self._tree.size
        result.entries, result.root = size, self._tree.root()
        for kept in self._held:
            cut = f"you hold a checkpoint over {kept.size} entries, only {size} are here: the end was cut off"
            result.found(size, cut)
        if self._unchecked is not None:
            try:
                opened(self._unchecked, self._key)
                result.signatures += 1
                self._signed = self._fits
            except CheckpointError as exc:
                result.found(None, f"checkpoint {result.checkpoints}: {exc}")
        if self._signed < size:
            result.found(self._signed, f"entries from {self._signed} on are under no signed checkpoint")
        if not result.entries and not result.checkpoints:
            result.found(None, "there is nothing here: no entry and no checkpoint")
        return result

    def _grow(self) -> None:
        self._tree = self._tree.extend(self._waiting)
        self._waiting.clear()

    def _in_its_place(self, number: int, checkpoint: Checkpoint) -> bool:
        """Whether a checkpoint comes after the one before it, and is of this ledger."""
        result = self._result
        self._name = self._name or checkpoint.origin
        if checkpoint.origin != self._name:
            other = f"checkpoint {number} is of the ledger {checkpoint.origin}, not of {self._name}"
            result.found(None, other)
            return False
        if checkpoint.size < self._fits:
            result.found(None, f"checkpoint {number} states fewer entries than the one before")
            return False
        if checkpoint.size < self._size:
            late = f"checkpoint {number}, over {checkpoint.size} entries, follows entry {self._size - 1}"
            result.found(checkpoint.size, late)
            return False
        if self._signed_at is not None and checkpoint.signed_at < self._signed_at:
            result.found(None, f"checkpoint {number} was signed earlier than the one before")
        self._signed_at = checkpoint.signed_at
        return True

    def _against_held(self, kept: Checkpoint) -> None:
        self._grow()
        if kept.root != self._tree.root():
            not_it = (
                f"one of the entries 0 to {kept.size - 1} is not what the checkpoint that you hold states"
            )
            self._result.found(self._fits, not_it)


def in_order(entries: Iterable[Leaf], notes: Iterable[str]) -> Iterator[Leaf | str]:
    """Entries and signed checkpoints, each checkpoint right after the last entry it covers.

    Args:
        entries: in order of index.
        notes: in order of size.
    """
    left = iter(notes)
    note = next(left, None)
    for entry in entries:
        yield entry
        while note is not None and _covers(note) <= entry.leaf_index + 1:
            yield note
            note = next(left, None)
    while note is not None:
        yield note
        note = next(left, None)


def _covers(note: str) -> int:
    try:
        return stated(note).size
    except CheckpointError:
        return 0


def verify(entries: Iterable[Leaf], notes: Iterable[str], key: Ed25519PublicKey) -> Verification:
    """Check a ledger that is at hand.

    Args:
        entries: in order of index.
        notes: the signed checkpoints in order of size.
        key: the public key they must be signed with.
    """
    return verified(in_order(entries, notes), Verifier(key))


def verified(record: Iterable[Leaf | str], verifier: Verifier) -> Verification:
    """Check a ledger as far as it can be followed.

    Args:
        record: entries and signed checkpoints as `in_order` gives them.
        verifier: what checks them.
    """
    verifier.follow(record)
    return verifier.done()
