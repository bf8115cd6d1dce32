"""The types expressions know, and the variables they may name with their types."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel

from dogana.core.change import Commit, FileChange, SourceTag
from dogana.core.facts import Artifact, Landing, Place, Ticket
from dogana.core.rollout import Plan
from dogana.core.traffic import Deployment, Queued


@dataclass(frozen=True, slots=True)
class Type:
    """A type: a plain one by name, a list or map with what it holds, or a record with fields."""

    name: str
    of: "Type | None" = None
    fields: tuple[tuple[str, "Type"], ...] = ()

    def __str__(self) -> str:
        return f"{self.name} of {self.of}" if self.of else self.name

    def field(self, name: str) -> "Type | None":
        """The type of a record's field."""
        return dict(self.fields).get(name)


BOOL, INT, DOUBLE, STRING = Type("bool"), Type("int"), Type("double"), Type("string")
TIMESTAMP, DURATION, NULL, ANY = Type("timestamp"), Type("duration"), Type("null"), Type("any")
_PLAIN: dict[Any, Type] = {
    bool: BOOL,
    int: INT,
    float: DOUBLE,
    str: STRING,
    datetime: TIMESTAMP,
    timedelta: DURATION,
}


def list_of(inner: Type) -> Type:
    """A list."""
    return Type("list", inner)


def map_of(inner: Type) -> Type:
    """A map from strings."""
    return Type("map", inner)


def type_of(annotation: Any) -> Type:
    """The type of what a document's field holds; an absent value is the field's absence."""
    origin, inner = get_origin(annotation), get_args(annotation)
    if origin in (Union, UnionType, Annotated):
        return type_of(next(one for one in inner if one is not NoneType))
    if origin is Literal:
        return _PLAIN[type(inner[0])]
    if origin is tuple:
        return list_of(type_of(inner[0]))
    if origin is dict:
        return map_of(type_of(inner[1]))
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return record_of(annotation)
    return _PLAIN[annotation]


def record_of(model: type[BaseModel]) -> Type:
    """A document as a record."""
    fields = tuple((name, type_of(f.annotation)) for name, f in model.model_fields.items())
    return Type(model.__name__.lower(), fields=fields)


VARIABLES: dict[str, Type] = {
    "now": TIMESTAMP,
    "service": STRING,
    "version": STRING,
    "repository": STRING,
    "route": STRING,
    "kind": STRING,
    "plan": record_of(Plan),
    "branches": list_of(STRING),
    "tags": list_of(record_of(SourceTag)),
    "waiting": list_of(record_of(Queued)),
    "target": record_of(Place),
    "requester": STRING,
    "requested_at": TIMESTAMP,
    "artifacts": list_of(record_of(Artifact)),
    "commits": list_of(record_of(Commit)),
    "files": list_of(record_of(FileChange)),
    "authors": list_of(STRING),
    "ticket_keys": list_of(STRING),
    "tickets": list_of(record_of(Ticket)),
    "leg_before": list_of(record_of(Landing)),
    "runs": map_of(STRING),
    "traffic": list_of(record_of(Deployment)),
}
"""Everything an expression may name."""
