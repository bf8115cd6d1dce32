"""The facts as expressions see them: one context for all expressions about one promotion."""

from collections.abc import Callable, Iterable
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

from pydantic import BaseModel

from dogana.core.expressions.program import NotComputedError, context_of, holds, names_in, tree_of
from dogana.core.expressions.reader import Node
from dogana.core.expressions.types import VARIABLES
from dogana.core.facts import Facts
from dogana.core.rollout import AT_ONCE

_OF_CHANGE = ("commits", "files", "ticket_keys", "authors")
_OTHER_LISTS = 200
"""How long a list within a record may be; the facts' own models keep them shorter."""
_OF_ORIGIN = ("branches", "tags")
Answer = tuple[bool | None, str]
"""Whether a condition holds; None with the reason where that cannot be told."""


class View:
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
        names = names_in(condition)
        missing = names & self._unread.keys()
        if missing:
            return None, self._unread[min(missing)]
        if "now" in names:
            return self._answer(condition, context_of(self._variables([condition]) | {"now": at}))
        if condition not in self._answers:
            self._answers[condition] = self._answer(condition, self._context)
        return self._answers[condition]

    @cached_property
    def _unread(self) -> dict[str, str]:
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
    def _context(self) -> Any:
        return context_of(self._variables(self._expressions))

    def _variables(self, expressions: Iterable[str]) -> dict[str, Any]:
        """What some expressions name but for the clock."""
        texts = tuple(expressions)
        names = frozenset[str]().union(*map(names_in, texts)) & VARIABLES.keys()
        fields = frozenset[str]().union(*map(_fields_in, texts))
        return {
            name: _plain(self._value(name), fields) for name in sorted(names - self._unread.keys() - {"now"})
        }

    def _answer(self, condition: str, context: Any) -> Answer:
        try:
            return holds(condition, context, self._sizes, _OTHER_LISTS), ""
        except NotComputedError as exc:
            return None, str(exc)

    @cached_property
    def _sizes(self) -> dict[str, int]:
        lists = {name: self._value(name) for name in VARIABLES.keys() - self._unread.keys() - {"now"}}
        return {name: len(value) for name, value in lists.items() if isinstance(value, list | tuple)}

    def _value(self, name: str) -> Any:
        facts = self._facts
        special: dict[str, Callable[[], Any]] = {
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
        out = {}
        for name in _own(type(value), fields):
            inner = getattr(value, name)
            if inner is not None:
                out[name] = inner if type(inner) in _SCALARS else _plain(inner, fields)
        return out
    if isinstance(value, tuple):
        return [_plain(inner, fields) for inner in value]
    if isinstance(value, dict):
        return {key: _plain(inner, fields) for key, inner in value.items()}
    return value


_SCALARS = frozenset({str, int, float, bool, datetime})


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
