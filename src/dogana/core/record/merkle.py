"""The Merkle tree over ledger entries (RFC 6962 section 2.1; hashing with domain separation).

The tree is never kept whole: a frontier holds the roots of the perfect subtrees from left to right,
at most one hash for each bit of the size, which is all an append and the tree head need.
"""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

HASH_BYTES = 32


def leaf_hash(entry: bytes) -> bytes:
    """SHA-256 of 0x00 and the entry's bytes; 32 bytes."""
    return hashlib.sha256(b"\x00" + entry).digest()


def node_hash(left: bytes, right: bytes) -> bytes:
    """SHA-256 of 0x01 and the two children; 32 bytes."""
    return hashlib.sha256(b"\x01" + left + right).digest()


@dataclass(frozen=True, slots=True)
class Frontier:
    """A tree of `size` leaves, as the roots of its perfect subtrees, largest first."""

    size: int = 0
    peaks: tuple[bytes, ...] = ()

    def append(self, leaf: bytes) -> "Frontier":
        """The tree with one more leaf hash at the right."""
        return self.extend((leaf,))

    def extend(self, leaves: Iterable[bytes]) -> "Frontier":
        """The tree with all these leaf hashes appended in order."""
        peaks, size = list(self.peaks), self.size
        for leaf in leaves:
            grown, left = leaf, size
            while left & 1:
                grown = node_hash(peaks.pop(), grown)
                left >>= 1
            peaks.append(grown)
            size += 1
        return Frontier(size, tuple(peaks))

    def root(self) -> bytes:
        """The tree head; of the empty tree, the hash of nothing (RFC 6962)."""
        if not self.peaks:
            return hashlib.sha256(b"").digest()
        *rest, head = self.peaks
        for peak in reversed(rest):
            head = node_hash(peak, head)
        return head

    def pack(self) -> bytes:
        """The peaks, one after another."""
        return b"".join(self.peaks)

    @classmethod
    def unpack(cls, size: int, packed: bytes) -> "Frontier":
        """The reverse of `pack`.

        Raises:
            ValueError: when the bytes do not hold one hash for each bit set in the size.
        """
        if len(packed) != HASH_BYTES * size.bit_count():
            raise ValueError(f"a tree of {size} needs {size.bit_count()} hashes, got {len(packed)} bytes")
        return cls(size, tuple(packed[i : i + HASH_BYTES] for i in range(0, len(packed), HASH_BYTES)))
