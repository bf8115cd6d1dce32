"""Checkpoints: the signed summary of the ledger's state, as a signed note with Ed25519.

A note is a text, an empty line, and signature lines `\u2014 NAME BASE64(key hash + signature)`.
The text is: the ledger's name, the size, the tree head in base64, and the time it was signed.
"""

import base64
import hashlib
import re
from dataclasses import dataclass
from datetime import datetime

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

_ED25519 = b"\x01"
_KEY_HASH_BYTES = 4
_RAW_KEY_BYTES = 32
_LINES = 4
_A_NOTE = re.compile("(?:[^\n]+\n){4}\n\u2014 [^\n]+\n")


class CheckpointError(ValueError):
    """The note is not a checkpoint signed with the given key."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Checkpoint:
    """What a note states."""

    origin: str
    size: int
    root: bytes
    signed_at: datetime

    def text(self) -> str:
        """The lines that are signed, each ended by a newline."""
        head = base64.b64encode(self.root).decode()
        return f"{self.origin}\n{self.size}\n{head}\n{self.signed_at.isoformat()}\n"


def _key_hash(origin: str, public: bytes) -> bytes:
    return hashlib.sha256(origin.encode() + b"\n" + _ED25519 + public).digest()[:_KEY_HASH_BYTES]


def sign(checkpoint: Checkpoint, key: Ed25519PrivateKey) -> str:
    """The checkpoint as a signed note."""
    text = checkpoint.text()
    stamp = _key_hash(checkpoint.origin, key.public_key().public_bytes_raw()) + key.sign(text.encode())
    return f"{text}\n\u2014 {checkpoint.origin} {base64.b64encode(stamp).decode()}\n"


def stated(note: str) -> Checkpoint:
    """What a note says, whoever signed it: for our own notes, and before a signature is checked.

    Raises:
        CheckpointError: when it is no checkpoint in its canonical form.
    """
    text, gap, _ = note.partition("\n\n")
    lines = text.split("\n")
    if not gap or len(lines) != _LINES:
        raise CheckpointError("the note has not the four lines of a checkpoint")
    try:
        checkpoint = Checkpoint(
            origin=lines[0],
            size=int(lines[1]),
            root=base64.b64decode(lines[2], validate=True),
            signed_at=datetime.fromisoformat(lines[3]),
        )
    except ValueError as exc:
        raise CheckpointError("the note cannot be read") from exc
    if checkpoint.size < 1:
        raise CheckpointError("the note covers no entry")
    if checkpoint.text() != text + "\n":
        raise CheckpointError("the note is not in its canonical form")
    return checkpoint


def opened(note: str, key: Ed25519PublicKey) -> Checkpoint:
    """The checkpoint a note states, once its signature has been checked.

    Raises:
        CheckpointError: when the note is malformed or not signed with this key.
    """
    checkpoint = stated(note)
    try:
        dash, name, encoded = note.partition("\n\n")[2].strip("\n").split(" ")
        stamp = base64.b64decode(encoded, validate=True)
    except ValueError as exc:
        raise CheckpointError("the note cannot be read") from exc
    if dash != "\u2014" or name != checkpoint.origin:
        raise CheckpointError("the note is not in its canonical form")
    if stamp[:_KEY_HASH_BYTES] != _key_hash(checkpoint.origin, key.public_bytes_raw()):
        raise CheckpointError("the note was signed with another key")
    try:
        key.verify(stamp[_KEY_HASH_BYTES:], checkpoint.text().encode())
    except InvalidSignature as exc:
        raise CheckpointError("the signature does not fit the note") from exc
    return checkpoint


def notes_in(text: str) -> list[str]:
    """The signed notes in a text that holds one or several, one after another.

    Raises:
        CheckpointError: when it holds none, or something else too.
    """
    found = _A_NOTE.findall(text)
    if not found or "".join(found) != text:
        raise CheckpointError("this is no checkpoint, nor several")
    return found


def public_key_text(key: Ed25519PublicKey) -> str:
    """The raw public key in base64, one line: what an auditor is given."""
    return base64.b64encode(key.public_bytes_raw()).decode()


def public_key_from(text: str) -> Ed25519PublicKey:
    """The reverse of `public_key_text`.

    Raises:
        CheckpointError: when the text is not 32 bytes of base64.
    """
    try:
        raw = base64.b64decode(text.strip(), validate=True)
    except ValueError as exc:
        raise CheckpointError("the public key is not base64") from exc
    if len(raw) != _RAW_KEY_BYTES:
        raise CheckpointError("the public key has not 32 bytes")
    return Ed25519PublicKey.from_public_bytes(raw)
