"""The base of every document that crosses an edge: frozen, and refusing keys it does not know."""

import ast
import inspect
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from functools import cache
from itertools import pairwise
from textwrap import dedent
from typing import Annotated, Any, Generic, Self, TypeVar

import msgspec
from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    GetJsonSchemaHandler,
    JsonValue,
    StringConstraints,
    TypeAdapter,
)
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

_FIRST_YEAR, _LAST_YEAR = 1970, 2199
_EXACT, _GREATEST = 2**53, 1.7976931348623157e308
SKEW = timedelta(minutes=5)
"""By how much another clock may run ahead of ours; what is dated later than that is from the future."""
_DEEPEST = 30
_PARTS = msgspec.json.Decoder(dict[str, msgspec.Raw])


def _docstrings(document: type[BaseModel]) -> dict[str, str]:
    """What stands below each field of a class and of those it is made from."""
    found: dict[str, str] = {}
    for one in reversed(document.__mro__):
        if issubclass(one, BaseModel) and one is not BaseModel:
            found |= _own_docstrings(one.__pydantic_generic_metadata__["origin"] or one)
    return found


@cache
def _own_docstrings(document: type[BaseModel]) -> dict[str, str]:
    (body,) = (
        one.body
        for one in ast.parse(dedent(inspect.getsource(document))).body
        if isinstance(one, ast.ClassDef)
    )
    return {
        field.target.id: inspect.cleandoc(said.value.value)
        for field, said in pairwise(body)
        if isinstance(field, ast.AnnAssign)
        and isinstance(field.target, ast.Name)
        and isinstance(said, ast.Expr)
        and isinstance(said.value, ast.Constant)
        and isinstance(said.value.value, str)
    }


class Document(BaseModel):
    """A frozen value with a canonical JSON form."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @classmethod
    def __get_pydantic_json_schema__(
        cls, core_schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> JsonSchemaValue:
        """The schema, in which fields are described by what stands below them.

        That is read when a schema is asked for: a process that needs none starts in two thirds of the time.
        """
        schema = handler(core_schema)
        properties, said = handler.resolve_ref_schema(schema).get("properties", {}), _docstrings(cls)
        for name, field in cls.model_fields.items():
            key = field.alias or name
            if name in said and key in properties:
                properties[key].setdefault("description", said[name])
        return schema

    def plain(self) -> dict[str, Any]:
        """The document as plain JSON values with the keys people write, absent options left out."""
        return self.model_dump(mode="json", exclude_none=True, by_alias=True)

    def in_pieces(self) -> dict[str, Any]:
        """The same for the serialiser, in which a large part may stand as the bytes it already has."""
        return self.plain()

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy; what was worked out of the original's fields and kept is not taken along."""
        copied = super().model_copy(update=update, deep=deep)
        for name in copied.__dict__.keys() - type(self).model_fields.keys():
            del copied.__dict__[name]
        return copied


def field_of(text: str, name: str) -> str | None:
    """The JSON of one field of a document's text, which is not read otherwise; None where it is absent."""
    found = _PARTS.decode(text).get(name)
    return None if found is None else bytes(found).decode()


Read = TypeVar("Read", bound=Document)


class InParts(Generic[Read]):
    """Reads documents of a kind from texts checked before they were kept, as far as they are looked at."""

    def __init__(self, kind: type[Read]) -> None:
        def missed(document: Document, name: str) -> Any:
            return self._missed(document, name)

        own = {"__getattr__": missed, "__module__": kind.__module__}
        self._kind: type[Read] = type(f"{kind.__name__}InParts", (kind,), own)
        self._fields = kind.model_fields
        self._readers: dict[str, tuple[str, TypeAdapter[Any]]] = {}

    def read(self, text: str) -> Read:
        """A document of a text.

        Raises:
            ValueError: for text that is not a JSON object; for a field that does not fit, at the latest once
                it is asked for.
        """
        document: Read = object.__new__(self._kind)
        document.__dict__["_parts"] = _PARTS.decode(text)
        return document

    def _missed(self, document: Document, name: str) -> Any:
        if name not in self._readers:
            self._readers[name] = self._reader(name)
        key, reader = self._readers[name]
        part = document.__dict__["_parts"].get(key)
        if part is None:
            default = reader.get_default_value()
            value = default.value if default else reader.validate_python(None)
        else:
            value = reader.validate_json(bytes(part))
        document.__dict__[name] = value
        return value

    def _reader(self, name: str) -> tuple[str, TypeAdapter[Any]]:
        if name not in self._fields:
            raise AttributeError(name)
        field = self._fields[name]
        annotated: Any = Annotated[field.annotation, field]
        return field.alias or name, TypeAdapter(annotated)


def with_examples(*examples: dict[str, Any]) -> ConfigDict:
    """The settings of a document whose schema shows some examples."""
    return ConfigDict(json_schema_extra={"examples": list(examples)})


def schema_of(document: type[Document]) -> dict[str, Any]:
    """The published JSON Schema (2020-12) of a document that has a format."""
    schema = document.model_json_schema(by_alias=True)
    said = schema["properties"]["format"]
    # Of several formats, what is written now is the default.
    name = said.get("const") or said["default"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$id": f"urn:{name}", **schema}


def in_our_time(value: datetime) -> datetime:
    """The time itself, once it is known to leave room for arithmetic on both sides.

    Raises:
        ValueError: before 1970 or after 2199.
    """
    if not _FIRST_YEAR <= value.year <= _LAST_YEAR:
        raise ValueError(f"the year must be from {_FIRST_YEAR} to {_LAST_YEAR}")
    return value


def _in_utc(value: datetime) -> datetime:
    if value.tzinfo is None:
        raise ValueError("an instant needs its offset from UTC, for example 2026-03-01T08:00:00Z")
    return value.astimezone(UTC)


def _as_utc(value: datetime) -> datetime:
    return _in_utc(in_our_time(value))


def _plain_number(value: float) -> float:
    if abs(value) > _GREATEST or value != value:  # noqa: PLR0124 - NaN alone is not itself
        raise ValueError("a number has an end")
    if abs(value) < _EXACT and value == int(value):
        return int(value)
    if isinstance(value, int) and Decimal(repr(float(value))) != value:
        raise ValueError("a whole number from 2^53 on is one that a double holds")
    return float(value)


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


FiniteNumber = Annotated[int | float, Field(allow_inf_nan=False), AfterValidator(_plain_number)]
"""A number as JSON carries it: whole below 2^53, else a double."""
Content = Annotated[dict[str, JsonValue], AfterValidator(_plain_values)]
"""Somebody else's JSON object, with such numbers."""
Instant = Annotated[datetime, AfterValidator(_as_utc)]
Moment = Annotated[datetime, AfterValidator(_in_utc)]
"""An instant that was worked out, and so may lie beyond what can be given."""
Count = Annotated[int, Field(ge=0, lt=2**53)]
"""A whole number that every JSON reader keeps exactly (RFC 8785)."""
SLUG = r"^[a-z0-9][a-z0-9-]{0,62}$"
Slug = Annotated[str, StringConstraints(pattern=SLUG)]
EnvironmentId = Annotated[
    str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,62}(/[a-z0-9][a-z0-9-]{0,62})?$")
]
"""A name such as `live-north`, or one made by a template, such as `preview/new-banner`."""
Digest = Annotated[str, StringConstraints(pattern=r"^sha256:[0-9a-f]{64}$")]
