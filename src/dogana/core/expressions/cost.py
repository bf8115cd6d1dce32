"""What evaluating an expression would cost, bounded before it is done: time by steps, room by sizes.

Macros in macros multiply, and a text or list that is put together from itself doubles, so both are followed
through the tree. What is counted was measured: a step is about a ten-millionth of a second; a macro that
makes a list copies what it has made so far with every entry; a pattern is compiled anew at each use.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass

from dogana.core.expressions.reader import Node

MACROS = frozenset({"all", "exists", "exists_one", "filter", "map"})
MOST_STEPS = 1_000_000
"""About a tenth of a second."""
MOST_BYTES = 16 << 20
_A_VALUE = 32
_COMPARED, _READ = 2000, 400
"""Bytes that one step compares, or reads and copies."""
_PATTERN, _CLASS, _UNIT = 600, 4000, 3
_TIMES = re.compile(r"\{(\d+)(?:,(\d*))?\}")
_CLASSES = re.compile(r"\\[wWdDsSbBpP]|\[\^|\(\?[a-z]*i")
_ENDLESS = 10**12


@dataclass(frozen=True, slots=True)
class Size:
    """How large a value is at most: how many entries, how many bytes in all, and in any one entry."""

    entries: int
    bytes: int
    each: int


@dataclass(frozen=True, slots=True)
class Cost:
    """What it takes to come to a value, and how large that is, all at most."""

    steps: int
    room: int
    """The bytes of the largest value made on the way."""
    value: Size

    @property
    def too_much(self) -> bool:
        """Whether it is not evaluated at all."""
        return self.steps > MOST_STEPS or self.room > MOST_BYTES


SCALAR = Size(1, _A_VALUE, _A_VALUE)


def cost_of(node: Node, names: Mapping[str, Size], other: Size) -> Cost:
    """At most what an expression takes.

    Args:
        node: its tree.
        names: how large what it may name is.
        other: how large any other list or text is that it may come upon.
    """
    return _Bound(other).of(node, names)


def literal(text: str) -> str:
    """The text between the quotes of a literal, escapes as they are written."""
    return text[1:-1]


class _Bound:
    def __init__(self, other: Size) -> None:
        self._other = other

    def of(self, node: Node, names: Mapping[str, Size]) -> Cost:
        if node.kind == "method" and node.text in MACROS and len(node.parts) == 3:  # noqa: PLR2004
            return self._macro(node, names)
        parts = [self.of(part, names) for part in node.parts]
        steps = 1 + sum(part.steps for part in parts)
        room = max((part.room for part in parts), default=0)
        value, touched = self._value(node, names, [part.value for part in parts])
        if node.kind == "method" and node.text == "matches":
            steps += _pattern(node.parts[1])
        per_step = _COMPARED if node.kind == "binary" and node.text != "+" else _READ
        return Cost(_capped(steps + touched // per_step), max(room, value.bytes), value)

    def _value(self, node: Node, names: Mapping[str, Size], parts: list[Size]) -> tuple[Size, int]:
        """How large the value of a node is, and how many bytes coming to it goes through."""
        touched = sum(part.bytes for part in parts)
        kind = node.kind
        if kind in {"string", "name", "field", "index"}:
            return self._read(node, names, parts), 0
        if kind == "list":
            each = max((part.bytes for part in parts), default=0)
            value = Size(len(parts), _capped(touched + _A_VALUE * (1 + len(parts))), each)
        elif kind == "if":
            value, touched = _either(parts[1:]), 0
        elif kind == "binary" and node.text == "+":
            value = _together(parts)
        else:
            value = parts[0] if kind == "call" and node.text == "string" else SCALAR
        return value, 0 if node.text == "size" else touched

    def _read(self, node: Node, names: Mapping[str, Size], parts: list[Size]) -> Size:
        """How large a literal is, or what is named, or is part of another value."""
        if node.kind == "string":
            return Size(len(node.text), len(node.text) + _A_VALUE, 4)
        if node.kind == "name":
            return names.get(node.text, SCALAR)
        if node.kind == "field":
            return self._field(parts[0])
        inner = min(parts[0].each, parts[0].bytes)
        return Size(max(inner, self._other.entries), inner, inner)

    def _field(self, inner: Size) -> Size:
        """A field is no larger than what it is a field of, nor than anything one may come upon."""
        return Size(min(inner.bytes, self._other.entries), inner.bytes, min(inner.bytes, self._other.each))

    def _macro(self, node: Node, names: Mapping[str, Size]) -> Cost:
        target, bound, body = node.parts
        over = self.of(target, names)
        entries, each = over.value.entries, Size(over.value.each, over.value.each, over.value.each)
        once = self.of(body, {**names, bound.text: each})
        steps = over.steps + 1 + entries * (1 + once.steps)
        value = SCALAR
        if node.text in {"map", "filter"}:
            steps += entries * entries // 2
            made = over.value.bytes if node.text == "filter" else entries * (once.value.bytes + _A_VALUE)
            one = over.value.each if node.text == "filter" else once.value.bytes
            value = Size(entries, _capped(made), one)
        return Cost(_capped(steps), max(over.room, once.room, value.bytes), value)


def _either(parts: list[Size]) -> Size:
    return Size(
        max(part.entries for part in parts),
        max(part.bytes for part in parts),
        max(part.each for part in parts),
    )


def _together(parts: list[Size]) -> Size:
    both = _either(parts)
    entries, room = sum(part.entries for part in parts), sum(part.bytes for part in parts)
    return Size(_capped(entries), _capped(room), both.each)


def _pattern(node: Node) -> int:
    """The steps of compiling a pattern; repetitions within repetitions multiply."""
    if node.kind != "string":
        return _ENDLESS
    text = literal(node.text)
    times = 1
    for least, most in _TIMES.findall(text):
        times = min(times * max(1, int(most or least)), _ENDLESS)
    return _capped(_PATTERN + times * (_CLASS * len(_CLASSES.findall(text)) + _UNIT * len(text)))


def _capped(value: int) -> int:
    return min(value, _ENDLESS)
