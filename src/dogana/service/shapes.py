"""What readers are given, as far as every room gives it."""

from collections.abc import Mapping
from functools import lru_cache

from pydantic import BaseModel, ConfigDict


class View(BaseModel):
    """A response."""

    model_config = ConfigDict(frozen=True, json_schema_serialization_defaults_required=True)


class Named(View):
    """Something with an id for links and a name for people."""

    id: str
    name: str


class ChangeOutcome(View):
    """What came of a change that may take a second person."""

    waits: int | None = None
    """The number under which it waits for one; None where it was made."""
    alone: bool = False
    """Whether it was made though nobody else could confirm it."""
    invitation: str | None = None
    """What somebody chooses their password with, to be handed over to them; shown once."""
    mailed: bool = False
    """Whether they are mailed it instead."""


@lru_cache(maxsize=4096)
def _named(id_: str, name: str) -> Named:
    """One and the same for all rows that name it: thousands of rows name few things."""
    return Named(id=id_, name=name)


def named(who: str, names: Mapping[str, str]) -> Named:
    """Somebody by their name, or by their id where it is not known."""
    return _named(who, names.get(who, who))
