"""What evaluating an expression would cost, counted before it is done: macros in macros multiply."""

from collections.abc import Mapping

from dogana.core.expressions.reader import Node

MACROS = frozenset({"all", "exists", "exists_one", "filter", "map"})
MOST = 3_000_000
"""Steps that an evaluation may take; about half a second."""


def steps(node: Node, sizes: Mapping[str, int], other: int) -> int:
    """At most how many steps an expression takes.

    Args:
        node: its tree.
        sizes: how long the lists are that it may name.
        other: how long any other list is at most.
    """
    if node.kind == "method" and node.text in MACROS and len(node.parts) > 1:
        target, *_, body = node.parts
        return steps(target, sizes, other) + _size(target, sizes, other) * (1 + steps(body, sizes, other))
    return 1 + sum(steps(part, sizes, other) for part in node.parts)


def _size(node: Node, sizes: Mapping[str, int], other: int) -> int:
    if node.kind == "name":
        return sizes.get(node.text, other)
    if node.kind == "list":
        return len(node.parts)
    if node.kind == "method" and node.text in MACROS:
        return _size(node.parts[0], sizes, other)
    return other
