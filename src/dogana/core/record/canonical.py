"""Canonical JSON (RFC 8785) and the digests made from it.

A sorting C serialiser gives the RFC's bytes wherever there are no floats, keys are ASCII and integers stay
below 2^53, and for floats but whole ones, the smallest and the largest. Documents keep to that by their types
except for such floats, so they take the fast way unless one may be there; anything else takes the plain one.
"""

import hashlib
import re
from typing import Any

import orjson
import rfc8785

from dogana.core.document import Document

_MAY_DIFFER = re.compile(rb"""(?:":|[\[,])-?[0-9]+(?:(?:\.[0-9]+)?e[+-]?[0-9]|\.0[,}\]])""")
"""A number that the fast serialiser may write otherwise than the RFC: with an exponent, or whole."""
_EXPONENT = re.compile(rb"e[+-]?[0-9]+[,}\]]")
_WHOLE = re.compile(rb"\.0[,}\]]")
"""How either ends. A letter and a point are found several times faster than where a number begins."""

_ORDERED_OTHERWISE = re.compile(rb"[\xf0-\xf4]")
"""What begins a character beyond the first plane, by which keys are ordered otherwise (section 3.2.3)."""

_STRICTLY = orjson.OPT_SORT_KEYS | orjson.OPT_STRICT_INTEGER


def canonical(value: Any) -> bytes:
    """The RFC 8785 bytes of plain JSON values or of a document.

    Raises:
        rfc8785.CanonicalizationError: for a plain value JSON cannot carry (NaN, integers beyond 2^53).
    """
    if isinstance(value, Document):
        fast = _fast(value.in_pieces())
        return rfc8785.dumps(value.plain()) if _may_differ(fast) else fast
    return rfc8785.dumps(value)


def _fast(plain: Any) -> bytes:
    return orjson.dumps(plain, option=orjson.OPT_SORT_KEYS)


def _may_differ(fast: bytes) -> bool:
    ends = _EXPONENT.search(fast) or _WHOLE.search(fast)
    return ends is not None and _MAY_DIFFER.search(fast) is not None


def is_canonical(body: bytes) -> bool:
    """Whether bytes are the RFC 8785 form of the one JSON object they hold; of anything but an object, no."""
    if not body.startswith(b"{"):
        return False
    try:
        value = orjson.loads(body)
        plain = not _may_differ(body) and (body.isascii() or not _ORDERED_OTHERWISE.search(body))
        if plain and orjson.dumps(value, option=_STRICTLY) == body:
            return True
        return rfc8785.dumps(value) == body
    except (ValueError, TypeError, RecursionError, rfc8785.CanonicalizationError):
        return False


def digest_bytes(data: bytes) -> str:
    """`sha256:` and 64 lower-case hex digits."""
    return "sha256:" + hashlib.sha256(data).hexdigest()


def digest(value: Any) -> str:
    """The digest of a value's canonical bytes."""
    return digest_bytes(canonical(value))


def canonical_plain(plain: Any) -> bytes:
    """The canonical bytes of values that documents gave as plain ones."""
    fast = _fast(plain)
    return rfc8785.dumps(plain) if _may_differ(fast) else fast


def digest_of_plain(plain: Any) -> str:
    """The digest of those."""
    return digest_bytes(canonical_plain(plain))
