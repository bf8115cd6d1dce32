"""The base of every document that crosses an edge: frozen, and refusing keys it does not know."""

from datetime import UTC, datetime
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

_FIRST_YEAR, _LAST_YEAR = 1970, 2199


class Document(BaseModel):
    """A frozen value with a canonical JSON form."""

    model_config = ConfigDict(frozen=True, extra="forbid", use_attribute_docstrings=True)

    def plain(self) -> dict[str, Any]:
        """The document as plain JSON values, absent options left out."""
        return self.model_dump(mode="json", exclude_none=True)


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


Instant = Annotated[datetime, AfterValidator(_as_utc)]
Count = Annotated[int, Field(ge=0, lt=2**53)]
"""A whole number that every JSON reader keeps exactly (RFC 8785)."""
Slug = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,62}$")]
Digest = Annotated[str, StringConstraints(pattern=r"^sha256:[0-9a-f]{64}$")]
