"""The facts as expressions see them: one context for all expressions about one promotion."""

from collections.abc import Callable, Iterable
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

from pydantic import BaseModel

from dogana.core.expressions.program import context_of, names_in
from dogana.core.expressions.reader import Node, read_expression
from dogana.core.expressions.types import VARIABLES
from dogana.core.facts import Facts
from dogana.core.rollout import AT_ONCE

_OF_CHANGE = ("commits", "files", "ticket_keys", "authors")
_OF_ORIGIN = ("branches", "tags")


class View:
    """The variables that some expressions name, with the fields they name and no others.

    A context costs by what is put into it, and a change has hundreds of files: what no expression asks for
    is not handed over.
    """

    def __init__(self, facts: Facts, at: datetime, expressions: Iterable[str]) -> None:
        self._facts = facts
        self._at = at
        self._expressions = tuple(expressions)

    @cached_property
    def unread(self) -> dict[str, str]:
        """The variables that could not be read, each with the reason."""
        out: dict[str, str] = {}
        change, tickets, origin = self._facts.change, self._facts.tickets, self._facts.origin
        if change.value is None:
            out |= dict.fromkeys(_OF_CHANGE, f"{change.source}: {change.unknown or 'not read'}")
        if tickets.value is None:
            out["tickets"] = f"{tickets.source}: {tickets.unknown or 'not read'}"
        if origin is None or origin.value is None:
            why = "not read" if origin is None else f"{origin.source}: {origin.unknown or 'not read'}"
            out |= dict.fromkeys(_OF_ORIGIN, why)
        return out

    @cached_property
    def context(self) -> Any:
        """What the expressions are evaluated in."""
        names = frozenset[str]().union(*map(names_in, self._expressions)) & VARIABLES.keys()
        fields = frozenset[str]().union(*map(_fields_in, self._expressions))
        return context_of(
            {name: _plain(self._value(name), fields) for name in sorted(names - self.unread.keys())}
        )

    def _value(self, name: str) -> Any:
        facts = self._facts
        special: dict[str, Callable[[], Any]] = {
            "now": lambda: self._at,
            "authors": lambda: sorted(facts.author_ids),
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


def _plain(value: Any, fields: frozenset[str]) -> Any:
    """A value without models; of records only the fields that are named, absent ones left out."""
    if isinstance(value, BaseModel):
        own = type(value).model_fields.keys() & fields
        return {name: _plain(inner, fields) for name in own if (inner := getattr(value, name)) is not None}
    if isinstance(value, tuple):
        return [_plain(inner, fields) for inner in value]
    if isinstance(value, dict):
        return {key: _plain(inner, fields) for key, inner in value.items()}
    return value


@lru_cache(maxsize=4096)
def _fields_in(text: str) -> frozenset[str]:
    return frozenset(_fields(read_expression(text)))


def _fields(node: Node) -> Iterable[str]:
    if node.kind == "field":
        yield node.text
    for part in node.parts:
        yield from _fields(part)
