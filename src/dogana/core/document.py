"""The base of every document that crosses an edge: frozen, and refusing keys it does not know."""

from collections.abc import Mapping
from datetime import UTC, datetime
from functools import cache
from typing import Annotated, Any, Self, TypeVar

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, JsonValue, StringConstraints, TypeAdapter
from pydantic.fields import FieldInfo
from pydantic_core import from_json

_FIRST_YEAR, _LAST_YEAR = 1970, 2199
_FINEST, _EXACT = 0.0001, 2**53
_DEEPEST = 30


class Document(BaseModel):
    """A frozen value with a canonical JSON form."""

    model_config = ConfigDict(frozen=True, extra="forbid", use_attribute_docstrings=True)

    def plain(self) -> dict[str, Any]:
        """The document as plain JSON values with the keys people write, absent options left out."""
        return self.model_dump(mode="json", exclude_none=True, by_alias=True)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy; what was worked out of the original's fields and kept is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied


Read = TypeVar("Read", bound=Document)


def read_in_parts(kind: type[Read], text: str) -> Read:
    """A document from a text that was checked before it was kept: each field is read when first asked for.

    Raises:
        ValueError: for text that is not a JSON object; for a field that does not fit, once it is asked for.
    """
    parts = from_json(text, cache_strings="keys")
    if not isinstance(parts, dict):
        raise ValueError("not a JSON object")  # noqa: TRY004 - it is the text that is wrong
    document: Read = object.__new__(_in_parts(kind))
    document.__dict__["_parts"] = parts
    return document


@cache
def _in_parts(kind: type[Read]) -> type[Read]:
    fields: dict[str, tuple[FieldInfo, TypeAdapter[Any]]] = {
        name: (field, TypeAdapter(Annotated[(field.annotation, field)]))  # type: ignore[arg-type]
        for name, field in kind.model_fields.items()
    }

    def read(self: Document, name: str) -> Any:
        if name not in fields:
            raise AttributeError(name)
        field, adapter = fields[name]
        parts, key = self.__dict__["_parts"], field.alias or name
        value = (
            adapter.validate_python(parts[key])
            if key in parts
            else field.get_default(call_default_factory=True)
        )
        self.__dict__[name] = value
        return value

    return type(f"{kind.__name__}InParts", (kind,), {"__getattr__": read, "__module__": kind.__module__})


def with_examples(*examples: dict[str, Any]) -> ConfigDict:
    """The settings of a document whose schema shows some examples."""
    return ConfigDict(json_schema_extra={"examples": list(examples)})


def schema_of(document: type[Document]) -> dict[str, Any]:
    """The published JSON Schema (2020-12) of a document that has a format."""
    schema = document.model_json_schema(by_alias=True)
    name = schema["properties"]["format"]["const"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": f"urn:{name}", **schema}


def in_our_time(value: datetime) -> datetime:
    """The time itself, once it is known to leave room for arithmetic on both sides.

    Raises:
        ValueError: before 1970 or after 2199.
    """
    if not _FIRST_YEAR <= value.year <= _LAST_YEAR:
        raise ValueError(f"the year must be from {_FIRST_YEAR} to {_LAST_YEAR}")
    return value


def _as_utc(value: datetime) -> datetime:
    if value.tzinfo is None:
        raise ValueError("an instant needs its offset from UTC, for example 2026-03-01T08:00:00Z")
    return in_our_time(value).astimezone(UTC)


def _plain_number(value: float) -> float:
    if abs(value) < _EXACT and value == int(value):
        return int(value)
    if not _FINEST <= abs(value) < _EXACT:
        raise ValueError(f"a number is 0 or from {_FINEST} to 2^53, with either sign")
    return value


def _plain_values(value: Any, depth: int = 0) -> Any:
    if depth > _DEEPEST:
        raise ValueError(f"nested deeper than {_DEEPEST}")
    if isinstance(value, float) or (isinstance(value, int) and not isinstance(value, bool)):
        return _plain_number(value)
    if isinstance(value, dict):
        if not all(isinstance(key, str) and key.isascii() for key in value):
            raise ValueError("keys are ASCII text")
        return {key: _plain_values(inner, depth + 1) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [_plain_values(inner, depth + 1) for inner in value]
    return value


Number = Annotated[int | float, Field(allow_inf_nan=False), AfterValidator(_plain_number)]
"""A number that every serialiser writes alike (RFC 8785): not finer than 0.0001, not beyond 2^53."""
Content = Annotated[dict[str, JsonValue], AfterValidator(_plain_values)]
"""Somebody else's JSON object, with such numbers."""
Instant = Annotated[datetime, AfterValidator(_as_utc)]
Count = Annotated[int, Field(ge=0, lt=2**53)]
"""A whole number that every JSON reader keeps exactly (RFC 8785)."""
Slug = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,62}$")]
EnvironmentId = Annotated[
    str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,62}(/[a-z0-9][a-z0-9-]{0,62})?$")
]
"""A name such as `live-north`, or one made by a template, such as `preview/new-banner`."""
Digest = Annotated[str, StringConstraints(pattern=r"^sha256:[0-9a-f]{64}$")]
