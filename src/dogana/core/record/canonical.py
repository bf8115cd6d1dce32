"""Canonical JSON (RFC 8785) and the digests made from it.

A sorting C serialiser gives the RFC's bytes wherever there are no floats, keys are ASCII and integers stay
below 2^53. Documents keep to that by their types, so they take the fast way; anything else the plain one.
"""

import hashlib
from typing import Any

import orjson
import rfc8785

from dogana.core.document import Document


def canonical(value: Any) -> bytes:
    """The RFC 8785 bytes of plain JSON values or of a document.

    Raises:
        rfc8785.CanonicalizationError: for a plain value JSON cannot carry (NaN, integers beyond 2^53).
    """
    if isinstance(value, Document):
        return orjson.dumps(value.plain(), option=orjson.OPT_SORT_KEYS)
    return rfc8785.dumps(value)


def digest_bytes(data: bytes) -> str:
    """`sha256:` and 64 lower-case hex digits."""
    return "sha256:" + hashlib.sha256(data).hexdigest()


def digest(value: Any) -> str:
    """The digest of a value's canonical bytes."""
    return digest_bytes(canonical(value))
