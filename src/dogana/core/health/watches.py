"""What a release is watched by while it goes in, as a policy writes it."""

from collections.abc import Iterable
from datetime import timedelta
from http import HTTPStatus
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Discriminator, Field, Tag, TypeAdapter, model_validator

from dogana.core.document import Document, FiniteNumber, Slug
from dogana.core.strictness import Aspect, higher, lower, same
from dogana.core.words import lasting

Query = Annotated[str, Field(min_length=1, max_length=1000)]
Portion = Annotated[FiniteNumber, Field(gt=0, lt=1)]


class _Watch(Document):
    """What all kinds have in common."""

    aspects: ClassVar[tuple[Aspect, ...]] = ()
    counted: ClassVar[bool] = True
    """Whether it is sure with a probability."""
    in_shares: ClassVar[bool] = False
    """Whether its limit is a share of requests."""
    compared: ClassVar[bool] = False
    """Whether the newcomer is held against the incumbent."""

    name: Slug
    confidence: Annotated[float, Field(ge=0.5, lt=1)] = 0.95
    """How probable it is that a healthy release is never called breached, however often one looks, and that a
    bad one is not called within."""
    every: Annotated[timedelta, Field(ge=timedelta(seconds=1), le=timedelta(hours=1))] | None = None
    """How often it is looked at; every ten seconds when left out."""

    source: Slug | None = None
    """Which source of metrics is asked; the first one set up when left out."""

    def in_words(self) -> str:
        """Its limit: `at most 1 % fail`."""
        raise NotImplementedError


class ShareWatch(_Watch):
    """The share of requests that are bad, from two counters."""

    aspects = (same("bad", "bad is {}"), same("all", "all is {}"), lower("at_most", "the limit is {}"))

    in_shares = True

    kind: Literal["share"]
    bad: Query
    """What counts the bad ones; `$environment`, `$service` and `$version` stand for themselves."""
    all: Query
    """What counts all."""
    at_most: Portion
    """The share that is let in."""

    def in_words(self) -> str:
        """Its limit in words."""
        return f"at most {percent(self.at_most)} bad"


class ComparedShareWatch(_Watch):
    """The share of requests that are bad, beside that of the release it takes the place of."""

    aspects = (
        same("bad", "bad is {}"),
        same("all", "all is {}"),
        lower("ratio", "the ratio is {}"),
        lower("margin", "the margin is {}"),
    )

    compared = True

    kind: Literal["compared share"]
    bad: Query
    """What counts the bad ones; asked with `$version` as the newcomer's, and again as the incumbent's."""
    all: Query
    """What counts all."""
    ratio: Annotated[FiniteNumber, Field(gt=0, le=100)] = 1
    """How many times the incumbent's share is let in."""
    margin: Annotated[FiniteNumber, Field(ge=0, le=0.5)] = 0
    """What is let in beyond that."""

    def in_words(self) -> str:
        """Its limit in words."""
        beyond = f" and {percent(self.margin)}" if self.margin else ""
        return f"at most {self.ratio:g} times the incumbent's share{beyond}"


class QuantileWatch(_Watch):
    """A quantile, from a histogram's buckets."""

    aspects = (
        same("buckets", "the buckets are {}"),
        same("quantile", "the quantile is {}"),
        lower("at_most", "the limit is {}"),
    )

    kind: Literal["quantile"]
    buckets: Query
    """The histogram's cumulative buckets, with their edges as `le`."""
    quantile: Portion
    at_most: Annotated[FiniteNumber, Field(gt=0)]
    """The limit, in the unit of the edges."""

    def in_words(self) -> str:
        """Its limit in words."""
        return f"{percent(self.quantile)} within {self.at_most:g}"


class ComparedQuantileWatch(_Watch):
    """A quantile, beside that of the release it takes the place of."""

    aspects = (
        same("buckets", "the buckets are {}"),
        same("quantile", "the quantile is {}"),
        lower("ratio", "the ratio is {}"),
    )

    compared = True

    kind: Literal["compared quantile"]
    buckets: Query
    """The histogram's cumulative buckets; asked with `$version` as the newcomer's and as the incumbent's."""
    quantile: Portion
    ratio: Annotated[FiniteNumber, Field(gt=0, le=100)] = 1
    """How many times the incumbent's quantile is let in."""

    def in_words(self) -> str:
        """Its limit in words."""
        return f"{percent(self.quantile)} within {self.ratio:g} times what the incumbent takes"


class LevelWatch(_Watch):
    """A gauge that has to be inside its limits at so many of the last looks; claims no probability."""

    aspects = (
        same("query", "asks {}"),
        lower("at_most", "the limit is {}"),
        higher("at_least", "at least {}"),
        higher("inside", "{} of the last looks are inside", by=lambda value: value or 0),
        same("looks", "the last {} looks count"),
    )
    counted = False

    kind: Literal["level"] | None = None
    query: Query
    at_most: FiniteNumber | None = None
    """Its upper limit."""
    at_least: FiniteNumber | None = None
    """Its lower limit."""
    looks: Annotated[int, Field(ge=1, le=100)] | None = None
    """How many of the last looks count; three when left out."""
    inside: Annotated[int, Field(ge=1, le=100)] | None = None
    """How many of them must be inside; all when left out."""

    @model_validator(mode="after")
    def _has_a_limit(self) -> Self:
        if self.at_most is None and self.at_least is None:
            raise ValueError("give at_most, at_least or both")
        if self.inside is not None and self.inside > self.looked_at:
            raise ValueError("no more looks can be inside than are looked at")
        return self

    @property
    def looked_at(self) -> int:
        """How many looks count."""
        return self.looks or 3

    @property
    def must_be_inside(self) -> int:
        """How many of them must be inside."""
        return self.inside or self.looked_at

    def in_words(self) -> str:
        """Its limit in words."""
        limits = [f"at least {self.at_least:g}"] if self.at_least is not None else []
        limits += [f"at most {self.at_most:g}"] if self.at_most is not None else []
        return f"{' and '.join(limits)} at {self.must_be_inside} of {self.looked_at} looks"


class ProbeWatch(_Watch):
    """Requests of our own to an address of the environment; those that fail count as a share."""

    aspects = (
        same("address", "asks {}"),
        same("status", "the status is {}"),
        lower("within", "an answer takes at most {}"),
        same("holds", "the answer holds {}"),
        same("pointer", "looks at {}"),
        lower("at_most", "the limit is {}"),
    )

    in_shares = True

    kind: Literal["probe"]
    address: Annotated[str, Field(min_length=8, max_length=1000, pattern=r"^https?://")]
    """Where to ask; `$environment` and `$version` stand for themselves."""
    status: Annotated[int, Field(ge=100, le=599)] = HTTPStatus.OK.value
    """What it has to answer with."""
    within: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(seconds=30))] = timedelta(seconds=5)
    """How long that may take."""
    holds: Annotated[str, Field(min_length=1, max_length=1000)] | None = None
    """What must stand in the answer, or be what the pointer points to."""
    pointer: Annotated[str, Field(max_length=500, pattern=r"^(/.*)?$")] | None = None
    """Where in a JSON answer to look (RFC 6901)."""
    at_most: Portion = 0.05
    """The share of probes that may fail."""

    def in_words(self) -> str:
        """Its limit in words."""
        return f"at most {percent(self.at_most)} of probes fail or take longer than {lasting(self.within)}"


def _kind(written: Any) -> str:
    kind = written.get("kind") if isinstance(written, dict) else getattr(written, "kind", None)
    return kind if isinstance(kind, str) else "level"


Watch = Annotated[
    Annotated[ShareWatch, Tag("share")]
    | Annotated[ComparedShareWatch, Tag("compared share")]
    | Annotated[QuantileWatch, Tag("quantile")]
    | Annotated[ComparedQuantileWatch, Tag("compared quantile")]
    | Annotated[LevelWatch, Tag("level")]
    | Annotated[ProbeWatch, Tag("probe")],
    Discriminator(_kind),
]
"""One thing that is watched; a level where no kind is given."""


WATCHES: TypeAdapter[tuple[Watch, ...]] = TypeAdapter(tuple[Watch, ...])
"""Reads some of them."""


def without_doubles(watches: Iterable[Watch]) -> tuple[Watch, ...]:
    """What several rules watch: the same thing once, and of two that are called alike the second numbered."""
    found: dict[str, Watch] = {}
    for watch in watches:
        name, number = watch.name, 1
        while name in found and found[name].model_copy(update={"name": watch.name}) != watch:
            number += 1
            name = f"{watch.name}-{number}"
        found[name] = watch.model_copy(update={"name": name})
    return tuple(found.values())


def percent(share: float) -> str:
    """`1.5 %`."""
    return f"{share * 100:.3g} %"
