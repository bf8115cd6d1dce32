"""Watches in which order transactions take their locks: no two kinds of them in opposite orders.

Transactions that take what they share in one order cannot wait for each other in a ring. Row locks are told
apart by table, advisory ones by what they are for. What a transaction holds of a kind it may take again; but
whoever takes several rows of a table that others hold takes them first, by number, as the query says.
"""

import re
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import event
from sqlalchemy.engine import Engine

_CHANGES = re.compile(r"(?<!FOR )(?<!FOR NO KEY )(?<!DO )\b(?:UPDATE|DELETE FROM) (\w+)", re.DOTALL)
_UPSERTS = re.compile(r"\bINSERT INTO (\w+)[^;]*?\bDO UPDATE\b", re.DOTALL)
_LOCKS = re.compile(
    r"\bFROM (\w+)[^;]*?\bFOR (?:NO KEY )?UPDATE(?: OF (\w+))?(?P<skip> SKIP LOCKED)?", re.DOTALL
)
_ADVISORY = "pg_advisory_xact_lock"
_WAITS_FOR_NOBODY = ("lookers",)
"""Tables of rows that only their own person changes."""


class Order:
    """Which kinds of locks were taken after which, and by which statements."""

    def __init__(self) -> None:
        self._after: defaultdict[str, dict[str, str]] = defaultdict(dict)

    @contextmanager
    def watched(self) -> Iterator[None]:
        """A block in which every transaction's locks are noted."""
        event.listen(Engine, "begin", _forget)
        event.listen(Engine, "before_cursor_execute", self._note)
        try:
            yield
        finally:
            event.remove(Engine, "begin", _forget)
            event.remove(Engine, "before_cursor_execute", self._note)

    def rings(self) -> list[str]:
        """Pairs of kinds that some transactions took one way and some the other, or rings of more."""
        return [
            f"{one} → {other} ({how[:80]}) and back by {' → '.join(back)}"
            for one, others in list(self._after.items())
            for other, how in list(others.items())
            if one < other and (back := self._way(other, one))
        ]

    def _way(self, start: str, end: str) -> list[str]:
        ways, seen = [[start]], {start}
        while ways:
            way = ways.pop()
            if way[-1] == end:
                return way
            for following in self._after.get(way[-1], ()):
                if following not in seen:
                    seen.add(following)
                    ways.append([*way, following])
        return []

    def _note(self, connection: Any, _cursor: Any, statement: str, parameters: Any, *_: Any) -> None:
        held: list[str] = connection.info.setdefault("held", [])
        several = statement.startswith("WITH locked")
        for kind in _kinds(statement, parameters):
            if kind in held and not several:
                continue
            for earlier in held:
                if earlier != kind:
                    self._after[earlier].setdefault(kind, statement)
            if kind not in held:
                held.append(kind)


def _forget(connection: Any) -> None:
    connection.info["held"] = []


def _kinds(statement: str, parameters: Any) -> Iterator[str]:
    """What a statement locks."""
    if _ADVISORY in statement:
        words = [str(one) for one in _values(parameters)]
        yield next((f"the {one.split()[0]} lock" for one in words if " " in one), "the key lock")
    # Most lock nothing, and are long.
    for found in _LOCKS.finditer(statement) if "UPDATE" in statement else ():
        if not found["skip"]:
            yield found[2] or found[1]
    upserted = _UPSERTS.finditer(statement) if "DO UPDATE" in statement else ()
    for found in (*upserted, *_CHANGES.finditer(statement)):
        if found[1] not in _WAITS_FOR_NOBODY:
            yield found[1]


def _values(parameters: Any) -> Iterator[Any]:
    yield from parameters.values() if isinstance(parameters, dict) else parameters or ()


ORDER = Order()
"""Of the whole run of this process."""
