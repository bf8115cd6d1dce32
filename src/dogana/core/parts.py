"""Facts in parts: what many have in common, or keep from one reading to the next, is stored once.

A facts document of the second format is kept as an index: the facts with a digest in the place of each part,
and with the times at which others were asked. Its own digest is that of its index. A part is the canonical
JSON of a field, of a reading's value, or of some of the traffic. Facts of the first format are kept whole.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import orjson

from dogana.core.document import Document
from dogana.core.record.canonical import canonical, canonical_plain, digest_bytes

KEPT_WHOLE = "dogana.facts/1"
"""The first format, which has no parts."""
FIELDS = (
    "artifacts",
    "calendars",
    "evidence",
    "groups",
    "leg_before",
    "monitors",
    "next_policies",
    "people",
    "runs",
    "services",
    "stand_ins",
    "waiting",
)
"""Each a part by itself, unless it is empty; not named at all where it is absent."""
READINGS = ("change", "origin", "tickets")
"""Of each, the value is a part, if it was read; when and from where stands in the index."""
TRAFFIC = "traffic"
"""In two parts, as what departed before the day of the last departure hardly changes any more."""
_DAY = len("2026-03-01")
_SHARED = ("calendars", "groups", "people", "runs", "services", "stand_ins")
"""What facts that are made at a time have in common, down to the very objects; so they have traffic."""


class MissingPartError(ValueError):
    """A part that an index names is not there, or is something else."""


@dataclass(frozen=True)
class Divided:
    """Facts as they are kept."""

    index: bytes
    """The canonical JSON that stands for the whole."""
    parts: dict[str, bytes]
    """What it names, by digest."""

    @cached_property
    def digest(self) -> str:
        """The digest of the facts."""
        return digest_bytes(self.index)


def divided(facts: Document, form: str) -> Divided:
    """Facts of a format in parts."""
    if form == KEPT_WHOLE:
        return Divided(canonical(facts), {})
    parts: dict[str, bytes] = {}

    def part(body: bytes) -> str:
        digest = digest_bytes(body)
        parts[digest] = body
        return digest

    apart = {*FIELDS, TRAFFIC, *READINGS}
    index = facts.model_dump(mode="json", exclude_none=True, by_alias=True, exclude=apart)
    for name in FIELDS:
        value = getattr(facts, name)
        if value is None:
            continue
        if value:
            index[name] = part(_of_same(_Same(value)) if name in _SHARED else _canonical_of(value))
        else:
            index[name] = {} if isinstance(value, dict) else []
    for name in READINGS:
        reading = getattr(facts, name)
        if reading is not None:
            index[name] = reading.model_copy(update={"value": None}).plain()
            if reading.value is not None:
                index[name]["value"] = part(_canonical_of(reading.value))
    index[TRAFFIC] = [part(some) for some in _of_same_traffic(_Same(getattr(facts, TRAFFIC)))]
    return Divided(canonical_plain(index), parts)


def named(index: str | bytes) -> frozenset[str]:
    """The digests of the parts that an index names; none for facts that are kept whole."""
    said = orjson.loads(index)
    if said["format"] == KEPT_WHOLE:
        return frozenset()
    fields = [said.get(name) for name in FIELDS]
    values = [said.get(name, {}).get("value") for name in READINGS]
    return frozenset(one for one in (*fields, *values, *said[TRAFFIC]) if isinstance(one, str))


def whole(index: str, parts: Mapping[str, str]) -> str:
    """The JSON of facts from their index and parts.

    Raises:
        MissingPartError: when a part is missing.
    """
    said: dict[str, Any] = orjson.loads(index)
    if said["format"] == KEPT_WHOLE:
        return index

    def part(digest: str) -> str:
        if digest not in parts:
            raise MissingPartError(f"the part {digest} is not kept")
        return parts[digest]

    for name in FIELDS:
        if isinstance(said.get(name), str):
            said[name] = orjson.Fragment(part(said[name]))
    for name in READINGS:
        if "value" in said.get(name, {}):
            said[name]["value"] = orjson.Fragment(part(said[name]["value"]))
    lists = [part(digest)[1:-1] for digest in said[TRAFFIC]]
    said[TRAFFIC] = orjson.Fragment(f"[{','.join(lists)}]")
    return orjson.dumps(said, option=orjson.OPT_SORT_KEYS).decode()


def checked(index: str, parts: Mapping[str, str | None]) -> str:
    """The same, once each part has been held against its digest.

    Raises:
        MissingPartError: when a part is missing, or is something else than its digest says.
    """
    there = {digest: text for digest in named(index) if (text := parts.get(digest)) is not None}
    for digest, text in there.items():
        if digest_bytes(text.encode()) != digest:
            raise MissingPartError(f"the part {digest} was changed")
    return whole(index, there)


def _canonical_of(value: Any) -> bytes:
    if isinstance(value, Document):
        own = getattr(value, "canonical", None)
        return own if isinstance(own, bytes) else canonical_plain(value.plain())
    if isinstance(value, dict):
        return canonical_plain({key: _plain(one) for key, one in value.items()})
    return canonical_plain([_plain(one) for one in value])


def _plain(one: Any) -> Any:
    return one.plain() if isinstance(one, Document) else one


class _Same:
    """Documents that are the same as others only if they are the very same objects."""

    __slots__ = ("_documents", "_names", "value")

    def __init__(self, value: Any) -> None:
        self.value = value
        self._names = tuple(value) if isinstance(value, dict) else ()
        self._documents = tuple(value.values() if isinstance(value, dict) else value)

    def __hash__(self) -> int:
        return hash((self._names, tuple(map(id, self._documents))))

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, _Same) or self._names != other._names:
            return False
        return len(self._documents) == len(other._documents) and all(
            mine is theirs for mine, theirs in zip(self._documents, other._documents, strict=True)
        )


@lru_cache(maxsize=32)
def _of_same(same: _Same) -> bytes:
    return _canonical_of(same.value)


@lru_cache(maxsize=32)
def _of_same_traffic(same: _Same) -> tuple[bytes, ...]:
    departed = [one.plain() for one in same.value]
    today = max((one["departed_at"][:_DAY] for one in departed), default="")
    earlier = [one for one in departed if one["departed_at"] < today]
    lately = [one for one in departed if one["departed_at"] >= today]
    return tuple(canonical_plain(some) for some in (earlier, lately) if some)
