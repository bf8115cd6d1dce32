"""Canonical JSON (RFC 8785) and the digests made from it.

A sorting C serialiser gives the RFC's bytes wherever there are no floats, keys are ASCII and integers stay
below 2^53, and for floats but the smallest and largest. Documents keep to that by their types except for
such floats, so they take the fast way unless one may be there; anything else takes the plain one.
"""

import hashlib
import re
from typing import Any

import orjson
import rfc8785

from dogana.core.document import Document

_MAY_DIFFER = re.compile(rb"""(?:":|[\[,])-?(?:[0-9]+(?:\.[0-9]+)?e[+-]?[0-9]|[0-9]{16,}\.0)""")
"""A number that the fast serialiser may write otherwise than the RFC: with an exponent, or whole and long."""
_EXPONENT = re.compile(rb"e[+-]?[0-9]+[,}\]]")
_WHOLE = re.compile(rb"\.0[,}\]]")
"""How either ends. A letter and a point are found several times faster than where a number begins."""


def canonical(value: Any) -> bytes:
    """The RFC 8785 bytes of plain JSON values or of a document.

    Raises:
        rfc8785.CanonicalizationError: for a plain value JSON cannot carry (NaN, integers beyond 2^53).
    """
    if isinstance(value, Document):
        plain = value.plain()
        fast = orjson.dumps(plain, option=orjson.OPT_SORT_KEYS)
        ends = _EXPONENT.search(fast) or _WHOLE.search(fast)
        return rfc8785.dumps(plain) if ends and _MAY_DIFFER.search(fast) else fast
    return rfc8785.dumps(value)


def digest_bytes(data: bytes) -> str:
    """`sha256:` and 64 lower-case hex digits."""
    return "sha256:" + hashlib.sha256(data).hexdigest()


def digest(value: Any) -> str:
    """The digest of a value's canonical bytes."""
    return digest_bytes(canonical(value))
