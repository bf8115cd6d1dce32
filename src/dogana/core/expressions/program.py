"""Compiling and evaluating expressions; one context serves every expression about one promotion."""

from functools import lru_cache
from typing import Annotated, Any

import cel
from pydantic import AfterValidator, Field

from dogana.core.expressions.checker import check_expression


class NotComputedError(Exception):
    """The expression has no value for these facts; the text says why."""


def _checked(text: str) -> str:
    check_expression(text)
    try:
        _compiled(text)
    except ValueError as exc:
        raise ValueError("cannot be compiled") from exc
    return text


Condition = Annotated[str, Field(min_length=1, max_length=2000), AfterValidator(_checked)]


@lru_cache(maxsize=4096)
def _compiled(text: str) -> Any:
    return cel.compile(text)


def names_in(text: str) -> frozenset[str]:
    """The names an expression uses, those its macros bind included."""
    return frozenset(_compiled(text).variables())


def holds(text: str, context: Any) -> bool:
    """Whether a condition holds.

    Raises:
        NotComputedError: when a field that was named is absent, or a value does not fit.
    """
    try:
        value = _compiled(text).execute(context)
    except (RuntimeError, ValueError, TypeError, KeyError) as exc:
        raise NotComputedError(str(exc).split("\n", maxsplit=1)[0]) from exc
    if not isinstance(value, bool):
        raise NotComputedError(f"it gave {value!r}")
    return value


def context_of(variables: dict[str, Any]) -> Any:
    """What expressions are evaluated in; costs far more than an evaluation, so build it once."""
    return cel.Context(variables=variables)
