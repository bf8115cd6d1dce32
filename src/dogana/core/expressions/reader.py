"""Expression text into a tree of nodes with offsets: the grammar of the CEL specification, by precedence."""

import re
from dataclasses import dataclass

_TOKEN = re.compile(
    r"""
    (?P<space>\s+|//[^\n]*)
  | (?P<number>\d+\.\d+([eE][+-]?\d+)?|\d+[eE][+-]?\d+|0x[0-9a-fA-F]+|\d+)
  | (?P<string>"(\\.|[^"\\\n])*"|'(\\.|[^'\\\n])*')
  | (?P<name>[A-Za-z_][A-Za-z0-9_]*)
  | (?P<sign>&&|\|\||==|!=|<=|>=|[-+*/%!<>?:.,()\[\]{}])
    """,
    re.VERBOSE,
)
_LEVELS = (("||",), ("&&",), ("==", "!=", "<", "<=", ">", ">=", "in"), ("+", "-"), ("*", "/", "%"))
_DEEPEST = 40
_LONGEST = 2000


class ExpressionError(ValueError):
    """The expression cannot be meant; says line and column, from 1."""

    def __init__(self, text: str, offset: int, reason: str) -> None:
        before = text[:offset]
        self.line = before.count("\n") + 1
        self.column = offset - (before.rfind("\n") + 1) + 1
        super().__init__(f"line {self.line}, column {self.column}: {reason}")


@dataclass(frozen=True, slots=True)
class Node:
    """One node: its kind, the name or sign or literal text, what it is made of, where it begins."""

    kind: str
    text: str
    parts: tuple["Node", ...]
    offset: int


@dataclass(frozen=True, slots=True)
class _Token:
    kind: str
    text: str
    offset: int


def read_expression(text: str) -> Node:
    """The tree of an expression.

    Raises:
        ExpressionError: at the first offset that does not fit the grammar, or nests too deep.
    """
    if len(text) > _LONGEST:
        raise ExpressionError(text, _LONGEST, f"longer than {_LONGEST} characters")
    reader = _Reader(text)
    node = reader.ternary(0)
    reader.expect("")
    return node


class _Reader:
    def __init__(self, text: str) -> None:
        self._text = text
        self._tokens = list(_tokens(text))
        self._at = 0

    def _peek(self) -> _Token:
        return self._tokens[self._at]

    def _take(self) -> _Token:
        token = self._tokens[self._at]
        self._at += token.kind != "end"
        return token

    def _accept(self, *texts: str) -> _Token | None:
        token = self._peek()
        return self._take() if token.kind in {"sign", "name"} and token.text in texts else None

    def expect(self, text: str) -> _Token:
        """Take exactly this token; the empty text is the end."""
        token = self._take()
        if token.text != text or (token.kind == "string"):
            wanted = repr(text) if text else "the end"
            raise ExpressionError(
                self._text, token.offset, f"{wanted} is missing before {token.text or 'the end'!r}"
            )
        return token

    def ternary(self, depth: int) -> Node:
        """Condition ? this : that."""
        if depth > _DEEPEST:
            raise ExpressionError(self._text, self._peek().offset, f"nested deeper than {_DEEPEST}")
        node = self._binary(0, depth)
        if question := self._accept("?"):
            this = self.ternary(depth + 1)
            self.expect(":")
            return Node("if", "?", (node, this, self.ternary(depth + 1)), question.offset)
        return node

    def _binary(self, level: int, depth: int) -> Node:
        if level == len(_LEVELS):
            return self._unary(depth)
        node = self._binary(level + 1, depth)
        while sign := self._accept(*_LEVELS[level]):
            node = Node("binary", sign.text, (node, self._binary(level + 1, depth)), sign.offset)
        return node

    def _unary(self, depth: int) -> Node:
        if sign := self._accept("!", "-"):
            if depth > _DEEPEST:
                raise ExpressionError(self._text, sign.offset, f"nested deeper than {_DEEPEST}")
            return Node("unary", sign.text, (self._unary(depth + 1),), sign.offset)
        node = self._primary(depth)
        while True:
            if self._accept("."):
                name = self._take()
                if name.kind != "name":
                    raise ExpressionError(self._text, name.offset, "a name is missing after the dot")
                if self._accept("("):
                    node = Node("method", name.text, (node, *self._list(")", depth)), name.offset)
                else:
                    node = Node("field", name.text, (node,), name.offset)
            elif bracket := self._accept("["):
                index = self.ternary(depth + 1)
                self.expect("]")
                node = Node("index", "[]", (node, index), bracket.offset)
            else:
                return node

    def _primary(self, depth: int) -> Node:
        token = self._take()
        if token.kind in {"number", "string"}:
            return Node(token.kind, token.text, (), token.offset)
        if token.kind == "name" and token.text != "in":
            if self._accept("("):
                return Node("call", token.text, self._list(")", depth), token.offset)
            return Node("name", token.text, (), token.offset)
        if token.text == "(" and token.kind == "sign":
            node = self.ternary(depth + 1)
            self.expect(")")
            return node
        if token.text == "[" and token.kind == "sign":
            return Node("list", "[]", self._list("]", depth), token.offset)
        raise ExpressionError(self._text, token.offset, f"{token.text or 'the end'!r} does not fit here")

    def _list(self, closing: str, depth: int) -> tuple[Node, ...]:
        items: list[Node] = []
        while not self._accept(closing):
            if items:
                self.expect(",")
            items.append(self.ternary(depth + 1))
        return tuple(items)


def _tokens(text: str) -> list[_Token]:
    out, offset = [], 0
    while offset < len(text):
        found = _TOKEN.match(text, offset)
        if found is None:
            raise ExpressionError(text, offset, f"{text[offset]!r} does not fit here")
        kind = next(name for name in ("space", "number", "string", "name", "sign") if found[name] is not None)
        if kind != "space":
            out.append(_Token(kind, found[0], offset))
        offset = found.end()
    return [*out, _Token("end", "", len(text))]
