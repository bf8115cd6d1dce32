"""Types of expressions: a misspelt field, a wrong type, an unknown function is found on saving."""

from collections.abc import Mapping
from difflib import get_close_matches

from dogana.core.expressions.cost import MACROS
from dogana.core.expressions.reader import ExpressionError, Node, read_expression
from dogana.core.expressions.types import (
    ANY,
    BOOL,
    DOUBLE,
    DURATION,
    INT,
    NULL,
    STRING,
    TIMESTAMP,
    VARIABLES,
    Type,
    list_of,
)

_METHODS: dict[str, tuple[Type, tuple[Type, ...], Type]] = {
    "startsWith": (STRING, (STRING,), BOOL),
    "endsWith": (STRING, (STRING,), BOOL),
    "contains": (STRING, (STRING,), BOOL),
    "matches": (STRING, (STRING,), BOOL),
    "getFullYear": (TIMESTAMP, (), INT),
    "getMonth": (TIMESTAMP, (), INT),
    "getDayOfWeek": (TIMESTAMP, (), INT),
    "getHours": (TIMESTAMP, (), INT),
}
_CALLS: dict[str, tuple[tuple[Type, ...], Type]] = {
    "duration": ((STRING,), DURATION),
    "timestamp": ((STRING,), TIMESTAMP),
    "string": ((ANY,), STRING),
    "int": ((ANY,), INT),
    "double": ((ANY,), DOUBLE),
}
_SUMS = {
    (TIMESTAMP, "-", TIMESTAMP): DURATION,
    (TIMESTAMP, "-", DURATION): TIMESTAMP,
    (TIMESTAMP, "+", DURATION): TIMESTAMP,
    (DURATION, "+", TIMESTAMP): TIMESTAMP,
    (STRING, "+", STRING): STRING,
}
_ORDERED = frozenset({INT, DOUBLE, STRING, TIMESTAMP, DURATION})


def check_expression(text: str, names: Mapping[str, Type] = VARIABLES, wanted: Type = BOOL) -> None:
    """See that an expression names what there is and gives what is wanted.

    Args:
        text: CEL.
        names: what it may name, with the types.
        wanted: the type it must give.

    Raises:
        ExpressionError: with line and column.
    """
    node = read_expression(text)
    found = _Checker(text).type(node, names)
    if wanted not in (found, ANY) and found is not ANY:
        raise ExpressionError(text, node.offset, f"gives {found}; {wanted} is needed")


class _Checker:
    def __init__(self, text: str) -> None:
        self._text = text

    def _fail(self, node: Node, reason: str) -> ExpressionError:
        return ExpressionError(self._text, node.offset, reason)

    def _must(self, node: Node, found: Type, *wanted: Type) -> None:
        if found is not ANY and found not in wanted and ANY not in wanted:
            raise self._fail(node, f"is {found}; {' or '.join(map(str, wanted))} is needed")

    def type(self, node: Node, names: Mapping[str, Type]) -> Type:
        """The type of a node, given the names it may use."""
        found: Type = getattr(self, f"_{node.kind}")(node, names)
        return found

    def _number(self, node: Node, _: Mapping[str, Type]) -> Type:
        return DOUBLE if any(c in node.text for c in ".eE") and not node.text.startswith("0x") else INT

    def _string(self, _node: Node, _names: Mapping[str, Type]) -> Type:
        return STRING

    def _name(self, node: Node, names: Mapping[str, Type]) -> Type:
        if node.text in {"true", "false"}:
            return BOOL
        if node.text == "null":
            return NULL
        if node.text not in names:
            raise self._fail(node, f"there is no {node.text}{_meant(node.text, names)}")
        return names[node.text]

    def _field(self, node: Node, names: Mapping[str, Type]) -> Type:
        inner = self.type(node.parts[0], names)
        if inner is ANY:
            return ANY
        if inner.name == "map" and inner.of:
            return inner.of
        found = inner.field(node.text)
        if found is None:
            raise self._fail(node, f"{inner} has no {node.text}{_meant(node.text, dict(inner.fields))}")
        return found

    def _index(self, node: Node, names: Mapping[str, Type]) -> Type:
        inner, index = (self.type(part, names) for part in node.parts)
        if inner is ANY:
            return ANY
        if inner.of is None:
            raise self._fail(node, f"{inner} has no entries")
        self._must(node.parts[1], index, STRING if inner.name == "map" else INT)
        return inner.of

    def _list(self, node: Node, names: Mapping[str, Type]) -> Type:
        types = [self.type(part, names) for part in node.parts]
        for part, found in zip(node.parts, types, strict=True):
            self._must(part, found, types[0])
        return list_of(types[0] if types else ANY)

    def _unary(self, node: Node, names: Mapping[str, Type]) -> Type:
        inner = self.type(node.parts[0], names)
        self._must(node.parts[0], inner, *((BOOL,) if node.text == "!" else (INT, DOUBLE)))
        return inner

    def _if(self, node: Node, names: Mapping[str, Type]) -> Type:
        condition, this, that = (self.type(part, names) for part in node.parts)
        self._must(node.parts[0], condition, BOOL)
        self._must(node.parts[2], that, this)
        return this

    def _binary(self, node: Node, names: Mapping[str, Type]) -> Type:
        left, right = (self.type(part, names) for part in node.parts)
        if node.text in {"&&", "||"}:
            self._must(node.parts[0], left, BOOL)
            self._must(node.parts[1], right, BOOL)
            return BOOL
        if node.text == "in":
            if right is ANY:
                return BOOL
            if right.name not in {"list", "map"}:
                raise self._fail(node.parts[1], f"is {right}; a list or a map is needed")
            self._must(node.parts[0], left, STRING if right.name == "map" else right.of or ANY)
            return BOOL
        if node.text in {"==", "!="}:
            for part, found in zip(node.parts, (left, right), strict=True):
                if found.fields or (found.of and found.of.fields):
                    raise self._fail(part, f"is {found}; compare its fields")
            if NULL not in (left, right):
                self._must(node.parts[1], right, left)
            return BOOL
        if node.text in {"<", "<=", ">", ">="}:
            self._must(node.parts[0], left, *_ORDERED)
            self._must(node.parts[1], right, left)
            return BOOL
        return self._sum(node, left, right)

    def _sum(self, node: Node, left: Type, right: Type) -> Type:
        if (left, node.text, right) in _SUMS:
            return _SUMS[left, node.text, right]
        self._must(node.parts[0], left, INT, DOUBLE)
        self._must(node.parts[1], right, left)
        return left

    def _call(self, node: Node, names: Mapping[str, Type]) -> Type:
        if node.text == "has":
            if len(node.parts) != 1 or node.parts[0].kind != "field":
                raise self._fail(node, "has() takes one field, such as has(ticket.status)")
            self.type(node.parts[0], names)
            return BOOL
        types = [self.type(part, names) for part in node.parts]
        if node.text == "size":
            if len(types) != 1 or (types[0].of is None and types[0] not in (STRING, ANY)):
                raise self._fail(node, "size() takes one list, map or string")
            return INT
        if node.text not in _CALLS:
            raise self._fail(node, f"there is no function {node.text}{_meant(node.text, _CALLS)}")
        wanted, gives = _CALLS[node.text]
        self._arguments(node, node.parts, types, wanted)
        return gives

    def _method(self, node: Node, names: Mapping[str, Type]) -> Type:
        target, *arguments = node.parts
        inner = self.type(target, names)
        if node.text in MACROS:
            return self._macro(node, inner, names)
        if node.text == "size" and not arguments and (inner.of or inner in (STRING, ANY)):
            return INT
        if node.text not in _METHODS:
            raise self._fail(node, f"there is no function {node.text}{_meant(node.text, _METHODS)}")
        wants, wanted, gives = _METHODS[node.text]
        self._must(target, inner, wants)
        self._arguments(node, arguments, [self.type(one, names) for one in arguments], wanted)
        return gives

    def _macro(self, node: Node, inner: Type, names: Mapping[str, Type]) -> Type:
        if inner is not ANY and (inner.name not in {"list", "map"} or inner.of is None):
            raise self._fail(node, f"{node.text}() goes over a list, not over {inner}")
        if len(node.parts) != 3 or node.parts[1].kind != "name":  # noqa: PLR2004
            raise self._fail(node, f"{node.text}() takes a name and an expression")
        each = STRING if inner.name == "map" else inner.of or ANY
        body = self.type(node.parts[2], {**names, node.parts[1].text: each})
        if node.text == "map":
            return list_of(body)
        self._must(node.parts[2], body, BOOL)
        return inner if node.text == "filter" else BOOL

    def _arguments(
        self, node: Node, parts: "tuple[Node, ...] | list[Node]", types: list[Type], wanted: tuple[Type, ...]
    ) -> None:
        if len(types) != len(wanted):
            raise self._fail(node, f"{node.text}() takes {len(wanted)}, got {len(types)}")
        for part, found, want in zip(parts, types, wanted, strict=True):
            self._must(part, found, want)


def _meant(name: str, known: Mapping[str, object]) -> str:
    close = get_close_matches(name, known, n=1)
    return f"; did you mean {close[0]}?" if close else ""
