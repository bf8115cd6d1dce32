"""The facts as expressions see them: one context for all expressions about one promotion."""

from collections.abc import Callable, Iterable
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

from pydantic import BaseModel

from dogana.core.change import Author, as_compared
from dogana.core.expressions.cost import Size
from dogana.core.expressions.program import (
    NotComputedError,
    context_of,
    holds,
    names_in,
    refuse_too_much,
    tree_of,
)
from dogana.core.expressions.reader import Node
from dogana.core.expressions.types import VARIABLES
from dogana.core.facts import Facts, Reading
from dogana.core.rollout import AT_ONCE
from dogana.core.traffic import QUEUE_ENDS
from dogana.core.words import listed

_HEAD = 32
_OF_CHANGE = ("commits", "files", "ticket_keys", "authors")
_MOST_ENTRIES = 20_000
"""Of how many records the named lists may be together: handing them over costs as well."""
_OF_ITS_RECORDS = frozenset({"commits", "files", "ticket_keys"})
"""What nothing but the change itself says; who its authors are here takes the accounts as well."""
_OF_ORIGIN = ("branches", "tags")
Answer = tuple[bool | None, str]
"""Whether a condition holds; None with the reason where that cannot be told."""


def of_the_change_alone(expression: str) -> bool:
    """Whether nothing but the change decides what an expression gives."""
    return names_in(expression) & VARIABLES.keys() <= _OF_ITS_RECORDS


def readings(facts: Facts, condition: str) -> list[Reading[Any]]:
    """What was read from outside of what a condition names."""
    found = {name: reading for name in names_in(condition) if (reading := _reading(facts, name)) is not None}
    return [found[name] for name in sorted(found)]


def _reading(facts: Facts, name: str) -> Reading[Any] | None:
    if name in _OF_CHANGE:
        return facts.change
    if name in _OF_ORIGIN:
        return facts.origin
    return facts.tickets if name == "tickets" else None


class Activation:
    """The variables that some expressions name, with the fields they name and no others.

    A context costs by what is put into it, and a change has hundreds of files: what no expression asks for
    is not handed over. It is built once for a promotion's facts, and so are the answers that no clock moves.
    """

    def __init__(self, facts: Facts, expressions: Iterable[str]) -> None:
        self._facts = facts
        self._expressions = tuple(expressions)
        self._answers: dict[str, Answer] = {}

    def ask(self, condition: str, at: datetime) -> Answer:
        """Whether a condition holds of the facts at an instant."""
        if condition in self._answers:
            return self._answers[condition]
        names = names_in(condition)
        reasons = ((name, self._why_unread(name) or self._why_in_part(name, condition)) for name in names)
        missing = {name: why for name, why in sorted(reasons) if why}
        if missing:
            return None, next(iter(missing.values()))
        try:
            refuse_too_much(condition, self._sizes, self._largest)
        except NotComputedError as exc:
            return None, str(exc)
        if "now" in names:
            return self._answer(condition, context_of(self._variables | {"now": at}))
        answer = self._answers[condition] = self._answer(condition, self._context)
        return answer

    @cached_property
    def _sizes(self) -> dict[str, Size]:
        """How large what the expressions name is, as it would be handed over."""
        return {name: size for name, (_, size) in self._all.items()}

    @cached_property
    def _all(self) -> dict[str, tuple[Any, Size]]:
        names = frozenset[str]().union(*map(names_in, self._expressions)) & VARIABLES.keys()
        fields = frozenset[str]().union(*map(_fields_in, self._expressions))
        return {
            name: _measured(self._value(name), fields)
            for name in sorted(names - {"now"})
            if self._why_unread(name) is None
        }

    @cached_property
    def _largest(self) -> Size:
        """How large anything within that may be."""
        each = max((size.each for size in self._sizes.values()), default=0)
        return Size(max(each, 1), each, each)

    def _why_unread(self, name: str) -> str | None:
        """Why a variable could not be read; None where it was."""
        if name not in (*_OF_CHANGE, *_OF_ORIGIN, "tickets"):
            return None
        reading = _reading(self._facts, name)
        if reading is None:
            return "not read"
        return f"{reading.source}: {reading.unknown or 'not read'}" if reading.value is None else None

    def _why_in_part(self, name: str, condition: str) -> str | None:
        """Why what a condition asks of a variable cannot be told of all of it; None where it can."""
        if name == "waiting" and len(self._facts.waiting) >= 2 * QUEUE_ENDS - 1:
            return "only the first and the last of all that wait are looked at"
        if name == "tickets" and "open_blockers" in _fields_in(condition):
            untold = [one.key for one in self._facts.tickets.value or () if one.blockers_told is False]
            return f"the tracker does not say what blocks {listed(untold)}" if untold else None
        return None

    @cached_property
    def _context(self) -> Any:
        return context_of(self._variables)

    @cached_property
    def _variables(self) -> dict[str, Any]:
        """What the expressions name but for the clock, as far as it is not too much to be handed over."""
        return {name: value for name, (value, size) in self._all.items() if size.entries <= _MOST_ENTRIES}

    def _answer(self, condition: str, context: Any) -> Answer:
        named = names_in(condition) & self._sizes.keys()
        if any(self._sizes[name].entries > _MOST_ENTRIES for name in named):
            return None, "it would have to look at too many records"
        try:
            return holds(condition, context), ""
        except NotComputedError as exc:
            return None, str(exc)

    def _value(self, name: str) -> Any:
        facts = self._facts
        special: dict[str, Callable[[], Any]] = {
            "authors": lambda: sorted({*(facts.author_ids or ()), *map(_address, facts.strangers)}),
            "tickets": lambda: facts.tickets.value,
            "plan": lambda: facts.plan or AT_ONCE,
        }
        if name in special:
            return special[name]()
        if name in _OF_CHANGE:
            return getattr(facts.change.value, name)
        if name in _OF_ORIGIN:
            return getattr(facts.origin.value if facts.origin else None, name)
        return getattr(facts, name)


def _address(stranger: Author) -> str:
    """By what somebody without an account is told from others."""
    return as_compared(stranger.email) or stranger.name


def size_of(plain: Any) -> int:
    """How many bytes plain values take, roughly."""
    return _handed(plain, frozenset())[1]


def _handed(value: Any, fields: frozenset[str]) -> tuple[Any, int]:
    """A value without models, and how many bytes it takes, roughly."""
    if isinstance(value, str):
        return value, _HEAD + len(value)
    if isinstance(value, BaseModel):
        value = _record(value, fields)
    if isinstance(value, dict):
        out, room = {}, _HEAD
        for key, inner in value.items():
            out[key], size = _handed(inner, fields)
            room += _HEAD + len(key) + size
        return out, room
    if isinstance(value, tuple | list):
        handed = [_handed(inner, fields) for inner in value]
        return [plain for plain, _ in handed], _HEAD + sum(size for _, size in handed)
    return value, _HEAD


def _record(value: BaseModel, fields: frozenset[str]) -> dict[str, Any]:
    """Of a record only the fields that are named, absent ones left out."""
    out = {}
    for name in _own(type(value), fields):
        inner = getattr(value, name)
        if inner is not None:
            out[name] = inner
    return out


def _measured(value: Any, fields: frozenset[str]) -> tuple[Any, Size]:
    """A value as it is handed over, with its size, for a list or record entry by entry."""
    if isinstance(value, BaseModel):
        value = _record(value, fields)
    if not isinstance(value, dict | tuple | list):
        plain, room = _handed(value, fields)
        return plain, Size(room, room, 4)
    handed = [_handed(one, fields) for one in (value.values() if isinstance(value, dict) else value)]
    all_, each = [plain for plain, _ in handed], [size for _, size in handed]
    size = Size(len(each), _HEAD + sum(each), max(each, default=0))
    return dict(zip(value, all_, strict=True)) if isinstance(value, dict) else all_, size


@lru_cache(maxsize=1024)
def _own(model: type[BaseModel], fields: frozenset[str]) -> tuple[str, ...]:
    return tuple(name for name in model.model_fields if name in fields)


@lru_cache(maxsize=4096)
def _fields_in(text: str) -> frozenset[str]:
    return frozenset(_fields(tree_of(text)))


def _fields(node: Node) -> Iterable[str]:
    if node.kind == "field":
        yield node.text
    for part in node.parts:
        yield from _fields(part)
