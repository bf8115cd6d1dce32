"""Compiling and evaluating expressions; one context serves every expression about one promotion."""

from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Annotated, Any

import cel
from pydantic import AfterValidator, Field

from dogana.core.expressions.checker import check_expression
from dogana.core.expressions.cost import Size, cost_of
from dogana.core.expressions.reader import Node, read_expression
from dogana.core.expressions.types import ANY, TIMESTAMP, VARIABLES, Type


class NotComputedError(Exception):
    """The expression has no value for these facts; the text says why."""


USUAL = {"files": Size(200, 60_000, 300), "commits": Size(100, 60_000, 2000)}
"""How large those of a change are taken to be when an expression is saved.

The facts tell when it is asked.
"""
OTHER = Size(100, 60_000, 2000)
"""How large any other list or text is taken to be."""


def _checked_against(names: Mapping[str, Type]) -> Callable[[str], str]:
    sizes = {name: USUAL.get(name, OTHER) for name in names}

    def check(text: str) -> str:
        check_expression(text, names)
        if cost_of(tree_of(text), sizes, OTHER).too_much:
            raise ValueError("it would take too long, or too much room, even for a change of a usual size")
        try:
            _compiled(text)
        except ValueError as exc:
            raise ValueError("cannot be compiled") from exc
        return text

    return check


_Text = Annotated[str, Field(min_length=1, max_length=2000)]
Condition = Annotated[_Text, AfterValidator(_checked_against(VARIABLES))]
"""CEL over the facts that gives true or false."""
OfContent = Annotated[_Text, AfterValidator(_checked_against({"content": ANY, "now": TIMESTAMP}))]
"""CEL over the content of one piece of evidence that gives true or false."""


@lru_cache(maxsize=4096)
def _compiled(text: str) -> Any:
    return cel.compile(text)


@lru_cache(maxsize=4096)
def tree_of(text: str) -> Node:
    """The tree of an expression, read once."""
    return read_expression(text)


@lru_cache(maxsize=4096)
def names_in(text: str) -> frozenset[str]:
    """The names an expression uses, those its macros bind included."""
    return frozenset(_compiled(text).variables())


@lru_cache(maxsize=4096)
def fields_asked_of(text: str, name: str) -> frozenset[str] | None:
    """The fields of a variable that an expression asks for by their names; None where it may ask for any."""
    fields: set[str] = set()
    return frozenset(fields) if _only_fields(tree_of(text), name, fields) else None


def _only_fields(node: Node, name: str, fields: set[str]) -> bool:
    """Whether a variable stands nowhere but before the names of fields, which are noted."""
    if node.kind in {"field", "index"} and (node.parts[0].kind, node.parts[0].text) == ("name", name):
        if node.kind == "field":
            fields.add(node.text)
            return True
        index = node.parts[1]
        fields.add(index.text[1:-1])
        return index.kind == "string" and "\\" not in index.text
    if node.kind == "name":
        return node.text != name
    return all(_only_fields(part, name, fields) for part in node.parts)


def refuse_too_much(text: str, sizes: Mapping[str, Size], other: Size) -> None:
    """See that a condition takes no longer than a tenth of a second and no more than 16 MiB.

    Args:
        text: the condition.
        sizes: how large what it may name is.
        other: how large any other list or text is that it may come upon.

    Raises:
        NotComputedError: when it might.
    """
    if cost_of(tree_of(text), sizes, other).too_much:
        raise NotComputedError("it would have to look at too many combinations")


def holds(text: str, context: Any) -> bool:
    """Whether a condition holds; what may take too long is refused before.

    Args:
        text: the condition.
        context: what it is evaluated in.

    Raises:
        NotComputedError: when a named field is absent, or a value does not fit.
    """
    try:
        value = _compiled(text).execute(context)
    except (RuntimeError, ValueError, TypeError, LookupError, ArithmeticError) as exc:
        raise NotComputedError(str(exc).split("\n", maxsplit=1)[0]) from exc
    if not isinstance(value, bool):
        raise NotComputedError(f"it gave {value!r}")
    return value


def context_of(variables: dict[str, Any]) -> Any:
    """What expressions are evaluated in; costs far more than an evaluation, so build it once."""
    return cel.Context(variables=variables)
