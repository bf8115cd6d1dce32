"""Which of two rules of a kind asks for more, aspect by aspect, with the reason in words.

A rule is stricter than another if whatever it lets in the other lets in too. Each kind names its aspects;
where some are stricter and others laxer, or an aspect has no order, the rules are incomparable.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import timedelta
from enum import StrEnum
from typing import Any, NamedTuple

from dogana.core.words import lasting, listed


class Order(StrEnum):
    """How a second rule or policy stands to a first."""

    STRICTER = "stricter"
    EQUAL = "equal"
    LAXER = "laxer"
    INCOMPARABLE = "incomparable"


class Difference(NamedTuple):
    """One aspect in which two rules differ."""

    order: Order
    says: str
    """The second rule's setting, then the first's: `at least 2 h instead of 1 h`."""


Aspect = Callable[[Any, Any], Iterator[Difference]]
"""From the first rule and the second to their differences in one aspect."""
Sortable = Callable[[Any], Any]


def folded(differences: Iterable[Difference]) -> Order:
    """What several differences come to."""
    orders = {difference.order for difference in differences} - {Order.EQUAL}
    if not orders:
        return Order.EQUAL
    return orders.pop() if len(orders) == 1 else Order.INCOMPARABLE


def higher(field: str, words: str, by: Sortable = lambda value: value) -> Aspect:
    """More is stricter; nothing asks for nothing."""
    return _measured(field, words, by, Order.STRICTER)


def lower(field: str, words: str, by: Sortable = lambda value: value) -> Aspect:
    """Less is stricter; nothing is no limit."""
    return _measured(field, words, by, Order.LAXER)


def rank(field: str, order: Sequence[Any], words: str) -> Aspect:
    """By a fixed order, the laxest first."""
    return _measured(field, words, order.index, Order.STRICTER)


def _measured(field: str, words: str, by: Sortable, when_more: Order) -> Aspect:
    def compare(first: Any, second: Any) -> Iterator[Difference]:
        a, b = getattr(first, field), getattr(second, field)
        if a == b:
            return
        if a is None or b is None:
            order = Order.STRICTER if a is None else Order.LAXER
        elif by(a) == by(b):
            return
        else:
            more = by(b) > by(a)
            order = when_more if more else _opposite(when_more)
        yield Difference(order, _instead(words, a, b))

    return compare


def within(field: str, words: str) -> Aspect:
    """A set of what is let in: a part of it is stricter; the empty set lets in everything."""
    return _sets(field, words, more=Order.LAXER, empty_is_all=True)


def beyond(field: str, words: str) -> Aspect:
    """A set of what is asked for, or closed: more of it is stricter."""
    return _sets(field, words, more=Order.STRICTER, empty_is_all=False)


def exempting(field: str, words: str) -> Aspect:
    """A set of what passes all the same: more of it is laxer."""
    return _sets(field, words, more=Order.LAXER, empty_is_all=False)


def wider(field: str, words: str) -> Aspect:
    """A set of what is counted or reached: more of it is stricter; the empty set reaches everything."""
    return _sets(field, words, more=Order.STRICTER, empty_is_all=True)


def _sets(field: str, words: str, *, more: Order, empty_is_all: bool) -> Aspect:
    def compare(first: Any, second: Any) -> Iterator[Difference]:
        a, b = getattr(first, field), getattr(second, field)
        mine, yours = set(a), set(b)
        if mine == yours:
            return
        if empty_is_all and not (mine and yours):
            order = more if mine else _opposite(more)
        elif mine < yours:
            order = more
        elif yours < mine:
            order = _opposite(more)
        else:
            order = Order.INCOMPARABLE
        yield Difference(order, _instead(words, a, b))

    return compare


def same(field: str, words: str) -> Aspect:
    """No order: another setting cannot be compared."""

    def compare(first: Any, second: Any) -> Iterator[Difference]:
        a, b = getattr(first, field), getattr(second, field)
        if a != b:
            yield Difference(Order.INCOMPARABLE, _instead(words, a, b))

    return compare


def keyed(field: str, key: str, aspects: Sequence[Aspect]) -> Aspect:
    """A list of demands known by a name: one more is stricter, and each is compared with its namesake."""

    def compare(first: Any, second: Any) -> Iterator[Difference]:
        mine = {getattr(one, key): one for one in getattr(first, field)}
        yours = {getattr(one, key): one for one in getattr(second, field)}
        for name in sorted(mine.keys() | yours.keys()):
            if name not in yours:
                yield Difference(Order.LAXER, f"{name} is not asked for")
            elif name not in mine:
                yield Difference(Order.STRICTER, f"{name} is asked for as well")
            else:
                for aspect in aspects:
                    for found in aspect(mine[name], yours[name]):
                        yield Difference(found.order, f"{name}: {found.says}")

    return compare


def refuse_twice(names: Sequence[str], what: str) -> None:
    """See that no name stands twice: of two of a name only one would be compared.

    Raises:
        ValueError: naming the first that does.
    """
    twice = next((name for n, name in enumerate(names) if name in names[:n]), None)
    if twice is not None:
        raise ValueError(f"two {what} are called {twice}")


def covering(first: Sequence[Any], second: Sequence[Any], covers: Callable[[Any, Any], bool]) -> Order:
    """How a second set of closed or asked things stands to a first, where one thing may cover another."""
    at_least = all(any(covers(other, one) for other in second) for one in first)
    at_most = all(any(covers(one, other) for one in first) for other in second)
    return {
        (True, True): Order.EQUAL,
        (True, False): Order.STRICTER,
        (False, True): Order.LAXER,
        (False, False): Order.INCOMPARABLE,
    }[at_least, at_most]


def _opposite(order: Order) -> Order:
    return Order.LAXER if order is Order.STRICTER else Order.STRICTER


def _instead(words: str, before: Any, after: Any) -> str:
    return f"{words.format(said(after))} instead of {said(before)}"


def said(value: Any) -> str:
    """A setting in words."""
    if value is None or value == ():
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, timedelta):
        return lasting(value) if value else "no time"
    if isinstance(value, tuple | frozenset | set):
        return listed([said(one) for one in value])
    return str(getattr(value, "name", value))
