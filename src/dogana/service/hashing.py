"""What is kept of secrets; passwords are hashed beside the event loop, a few at once."""

import asyncio
import hashlib
import secrets
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError

from dogana.core.errors import TooOftenError

_AT_ONCE, _MOST_WAITING = 2, 20
_hasher = PasswordHasher()


def secret_digest(secret: str) -> str:
    """What is stored of a session, token or invitation: 256 random bits, so no salt is needed."""
    return hashlib.sha256(secret.encode()).hexdigest()


def hash_password(password: str) -> str:
    """Argon2id with the library's recommended costs."""
    return _hasher.hash(password)


@lru_cache(maxsize=1)
def _nobodys_hash() -> str:
    return hash_password(secrets.token_urlsafe())


class Hashing:
    """Hashes a few passwords at once in threads, and turns away who would wait for too many others.

    One takes 64 MiB and a tenth of a second of every processor, so strangers could slow everybody.
    """

    def __init__(self) -> None:
        self._turn = asyncio.Semaphore(_AT_ONCE)
        self._waiting = 0

    async def fits(self, password_hash: str, password: str) -> bool:
        """Whether it is the password; as much work for nobody's, which is an empty hash.

        Raises:
            TooOftenError: when too many wait.
        """

        def check() -> bool:
            try:
                return _hasher.verify(password_hash or _nobodys_hash(), password) and bool(password_hash)
            except VerificationError:
                return False

        if self._waiting >= _MOST_WAITING:
            raise TooOftenError("Too many are signing in just now. Try again in a moment.", seconds=2)
        self._waiting += 1
        try:
            async with self._turn:
                return await asyncio.to_thread(check)
        finally:
            self._waiting -= 1

    async def hash(self, password: str) -> str:
        """What is kept of a password."""
        async with self._turn:
            return await asyncio.to_thread(hash_password, password)
