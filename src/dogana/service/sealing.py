"""Sealing what must not be read in the database: AES-256-GCM (NIST SP 800-38D), bound to its place.

A sealed value is the id of its key (8 bytes), a nonce (12 bytes), and the ciphertext with its tag.
"""

import base64
import binascii
import os
import secrets
from typing import Literal

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from dogana.core.errors import SealingError

_ID, _NONCE, _KEY = 8, 12, 32


class Keyring:
    """Keys by id; the last one seals, every one of them opens."""

    def __init__(self, keys: dict[str, bytes]) -> None:
        """Take keys in order.

        Raises:
            ValueError: for none, or for one that is no 256-bit key with an id of eight characters.
        """
        if not keys or any(len(name) != _ID or len(key) != _KEY for name, key in keys.items()):
            raise ValueError("a key has an id of eight characters and 32 bytes in base64")
        self._keys = {name: AESGCM(key) for name, key in keys.items()}
        self._newest = list(keys)[-1]

    @property
    def ids(self) -> frozenset[bytes]:
        """What its keys are called, as sealed values begin."""
        return frozenset(name.encode() for name in self._keys)

    @classmethod
    def read(cls, text: str) -> "Keyring":
        """Keys from lines of an id and a key in base64, oldest first.

        Raises:
            ValueError: for anything else.
        """
        keys = {}
        for line in text.split("\n"):
            if line.strip():
                name, _, key = line.strip().partition(" ")
                try:
                    keys[name] = base64.b64decode(key, validate=True)
                except binascii.Error as exc:
                    raise ValueError("a key is written in base64") from exc
        return cls(keys)

    def seal(self, value: str, about: str) -> bytes:
        """Seal a value; it opens for the same `about` alone."""
        nonce = os.urandom(_NONCE)
        made = self._keys[self._newest].encrypt(nonce, value.encode(), about.encode())
        return self._newest.encode() + nonce + made

    def open(self, sealed: bytes, about: str) -> str:
        """A sealed value.

        Raises:
            SealingError: when its key is not here, or it is not what was sealed about this.
        """
        key = self._keys.get(sealed[:_ID].decode(errors="replace"))
        if key is None:
            raise SealingError("A value was sealed with a key that is not in the key file any more.")
        try:
            opened = key.decrypt(sealed[_ID : _ID + _NONCE], sealed[_ID + _NONCE :], about.encode())
        except InvalidTag as exc:
            raise SealingError("A sealed value does not open; it was changed in the database.") from exc
        return opened.decode()

    def again(self, sealed: bytes, about: str) -> bytes | None:
        """The value sealed with the newest key; None where it is already."""
        if sealed[:_ID] == self._newest.encode():
            return None
        return self.seal(self.open(sealed, about), about)


def new_key_line() -> str:
    """A new key as a line of the key file."""
    return f"{secrets.token_hex(_ID // 2)} {base64.b64encode(os.urandom(_KEY)).decode()}"


def about_source(source: str) -> str:
    """What the secret of a source is sealed about."""
    return f"source {source}"


def about_proposal(kind: str, subject: str) -> str:
    """What a secret is sealed about that waits, with a change, for a second person."""
    return f"proposal {kind} {subject}"


def about_clearance_key(key: str) -> str:
    """What the private part of a key that signs clearances is sealed about."""
    return f"clearance key {key}"


def about_party(kind: Literal["sender", "subscriber"], name: str) -> str:
    """What the secret that signs a system's events is sealed about."""
    return f"{kind} {name}"


def about_room(name: str) -> str:
    """What the secret that signs what a room is told is sealed about."""
    return f"room {name}"


def about_value(service: str, environment: str | None, name: str) -> str:
    """What a value is sealed about, so that it opens nowhere else."""
    return f"value {service} {environment or '*'} {name}"
