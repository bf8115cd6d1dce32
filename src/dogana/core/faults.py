"""What is wrong with something that was sent: each fault of the validator as people would say it."""

import difflib
from collections.abc import Callable
from typing import Any

from dogana.core.document import SLUG
from dogana.core.time.weekly import WALL_TIME
from dogana.core.words import listed

_NO_DAY = "not a day: write it like 2026-12-24"
_NO_INSTANT = "not an instant: write it like 2026-12-24T18:00:00+01:00"
_NO_SPAN = "not a span of time: write PT2H for two hours, P3D for three days"
_REASONS = {
    "bool_parsing": "neither yes nor no",
    "bool_type": "neither yes nor no",
    "date_from_datetime_parsing": _NO_DAY,
    "date_parsing": _NO_DAY,
    "datetime_from_date_parsing": _NO_INSTANT,
    "datetime_parsing": _NO_INSTANT,
    "datetime_type": _NO_INSTANT,
    "dict_type": "not an object of keys and values",
    "extra_forbidden": "is not known here",
    "float_parsing": "not a number",
    "float_type": "not a number",
    "int_from_float": "not a whole number",
    "int_parsing": "not a whole number",
    "int_type": "not a whole number",
    "json_invalid": "not JSON",
    "list_type": "not a list",
    "missing": "has to be given",
    "model_attributes_type": "not an object of keys and values",
    "model_type": "not an object of keys and values",
    "string_too_short": "must not be left empty",
    "string_type": "not a text",
    "time_delta_parsing": _NO_SPAN,
    "time_delta_type": _NO_SPAN,
    "timezone_aware": "has to say its offset, such as +01:00 or Z",
    "tuple_type": "not a list",
    "union_tag_not_found": "has to say of which kind it is",
}
_SHAPES = {
    WALL_TIME: "not a time of day: write it like 07:30; 24:00 is the end of the day",
    SLUG: "small letters, figures and hyphens only",
}
_LONG = 60


def _kind(context: dict[str, Any]) -> str:
    known = [one.strip("'") for one in context["expected_tags"].split(", ")]
    near = difflib.get_close_matches(context["tag"], known, 1)
    meant = f"; was {near[0]} meant?" if near else f"; there are {listed(known)}"
    return f"no kind is called {context['tag']}{meant}"


_BY_CONTEXT: dict[str, Callable[[dict[str, Any]], str]] = {
    "enum": lambda found: f"is none of {found['expected'].replace(chr(39), '')}",
    "greater_than": lambda found: f"has to be more than {found['gt']}",
    "greater_than_equal": lambda found: f"has to be at least {found['ge']}",
    "less_than": lambda found: f"has to be less than {found['lt']}",
    "less_than_equal": lambda found: f"has to be at most {found['le']}",
    "literal_error": lambda found: f"has to be {found['expected'].replace(chr(39), '')}",
    "string_too_long": lambda found: f"longer than {found['max_length']} characters",
    "too_long": lambda found: f"more than {found['max_length']} of them",
    "too_short": lambda found: (
        "name at least one" if found["min_length"] == 1 else f"name at least {found['min_length']}"
    ),
    "union_tag_invalid": _kind,
}


def reason(error: Any) -> str:
    """A fault that Pydantic found, in words that go on after the name of the place.

    Args:
        error: one of `ValidationError.errors()`.
    """
    context = error.get("ctx", {})
    said = _REASONS.get(error["type"]) or _SHAPES.get(context.get("pattern"))
    if said:
        return said
    if error["type"] in _BY_CONTEXT:
        return _BY_CONTEXT[error["type"]](context)
    if error["type"] == "string_pattern_mismatch":
        shape = f" ({context['pattern']})" if len(context["pattern"]) < _LONG else ""
        return f"not as it has to be written{shape}"
    message: str = error["msg"]
    return message.removeprefix("Value error, ")
