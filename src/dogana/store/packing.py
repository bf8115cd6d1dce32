"""Documents as they lie in the database: zstd (RFC 8878) with a dictionary of what they have in common.

`documents.zdict` was trained on documents of the scenario by `dogana bench dictionary`. It must never change,
for what was packed with it could not be read any more; each frame names its dictionary, so that another can
be added beside it.
"""

from functools import cache
from pathlib import Path
from typing import Any

import zstandard
from sqlalchemy import LargeBinary
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator

DICTIONARY = Path(__file__).with_name("documents.zdict")
_LEVEL = 6
_LONGEST = 256 << 20
"""Bytes of any text: more was never written."""
_DICTIONARY_BYTES = 64 << 10


@cache
def _dictionary() -> zstandard.ZstdCompressionDict:
    made = zstandard.ZstdCompressionDict(DICTIONARY.read_bytes())
    # Once for all: it takes fifteen times as long as what is packed with it.
    made.precompute_compress(level=_LEVEL)
    return made


def trained(texts: list[str]) -> bytes:
    """A dictionary for texts like these."""
    made = zstandard.train_dictionary(_DICTIONARY_BYTES, [text.encode() for text in texts], level=_LEVEL)
    return made.as_bytes()


def packed(text: str) -> bytes:
    """A text as it is stored."""
    # One for each: they are cheap, and two threads cannot share one.
    return zstandard.ZstdCompressor(level=_LEVEL, dict_data=_dictionary()).compress(text.encode())


def unpacked(data: bytes) -> str:
    """The text again.

    Raises:
        ValueError: when it was changed since.
    """
    try:
        # As much is set aside as the frame says that it holds.
        if not 0 <= zstandard.frame_content_size(data) <= _LONGEST:
            raise ValueError("a stored document says that it is longer than any")
        return zstandard.ZstdDecompressor(dict_data=_dictionary()).decompress(data).decode()
    except zstandard.ZstdError as exc:
        raise ValueError("a stored document cannot be unpacked") from exc


class Packed(TypeDecorator[str]):
    """A column of such texts."""

    impl = LargeBinary
    cache_ok = True

    def process_bind_param(self, value: str | None, _: Dialect) -> bytes | None:
        """As it is stored."""
        return None if value is None else packed(value)

    def process_result_value(self, value: Any | None, _: Dialect) -> str | None:
        """As it is read."""
        return None if value is None else unpacked(bytes(value))
