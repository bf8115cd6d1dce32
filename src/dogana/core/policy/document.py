"""Policy document format 1, in JSON or YAML."""

import json
from collections import Counter
from datetime import timedelta
from functools import cached_property, lru_cache
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, ValidationInfo, field_validator, model_validator

from dogana.core.document import Document, Slug, schema_of
from dogana.core.faults import reason
from dogana.core.health.watches import Watch, without_doubles
from dogana.core.policy.text import UnreadableTextError, plain_of
from dogana.core.record.canonical import digest
from dogana.core.rollout import Plan
from dogana.core.rules.registry import AnyRule, with_zones, zones_may_be_left_out
from dogana.core.rules.standing import RESERVED
from dogana.core.time.windows import Zone, refuse_too_much

_LARGEST = 256 * 1024
_MOST_FAULTS = 50
_MOST_ZONES = 20


class SignOff(Document):
    """Who says, once a release has landed, that it is well there."""

    group: Slug
    """The group whose people confirm it, or close it with issues."""
    within: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=30))]
    """How long they have before they are reminded; that it is over says nothing."""


class Policy(Document):
    """What must be true before a release may enter one environment."""

    format: Literal["dogana.policy/1"]
    title: str = Field(min_length=1, max_length=120)
    zone: Zone
    """The IANA zone in which its sentences tell the time."""
    inherits: Slug | None = None
    """The class of environments whose policy is its baseline; it may add and tighten, never loosen."""
    closes: Slug | None = None
    """The group whose people may close it at once, without a second person, to an end they name."""
    declares_urgent: Slug | None = None
    """The group whose people may declare a promotion urgent; nobody when left out."""
    sign_off: SignOff | None = None
    """Who confirms what has landed; nobody is asked when left out."""
    rules: tuple[AnyRule, ...] = Field(default=(), max_length=100, validate_default=True)
    """In the order in which people should read them; an heir may have none of its own."""

    @model_validator(mode="before")
    @classmethod
    def _go_by_its_clock(cls, plain: Any) -> Any:
        return with_zones(plain)

    @model_validator(mode="after")
    def _distinct_ids(self) -> Self:
        twice = [rule for rule, n in Counter(rule.id for rule in self.rules).items() if n > 1]
        if twice:
            raise ValueError(f"two rules are called {twice[0]}")
        reserved = next((rule.id for rule in self.rules if rule.id in RESERVED), None)
        if reserved is not None:
            raise ValueError(f"no rule is called {reserved}; that stands for what holds without a policy")
        return self

    @model_validator(mode="after")
    def _can_be_told(self) -> Self:
        windows = [window for rule in self.rules for window in rule.own_windows()]
        refuse_too_much(window for window, _ in windows)
        zones = {zone for _, zone in windows}
        if len(zones) > _MOST_ZONES:
            raise ValueError(f"its windows go by the clocks of {len(zones)} zones; {_MOST_ZONES} are let in")
        return self

    @field_validator("rules")
    @classmethod
    def _asks_for_something(cls, rules: tuple[AnyRule, ...], info: ValidationInfo) -> tuple[AnyRule, ...]:
        if not rules and info.data.get("inherits") is None:
            raise ValueError("a policy without rules would let everything in")
        return rules

    def looks_at_origin(self) -> bool:
        """Whether any rule looks at where the revision stands in its repository."""
        return any(rule.looks_at_origin() for rule in self.rules)

    def looks_at_what_runs(self) -> bool:
        """Whether any rule asks what is seen to run."""
        return any(rule.looks_at_what_runs() for rule in self.rules)

    def looks_at_signatures(self) -> bool:
        """Whether any rule looks at who signed the commits."""
        return any(rule.looks_at_signatures() for rule in self.rules)

    def groups(self) -> list[tuple[str, str]]:
        """The groups it names beside its rules: a JSON Pointer (RFC 6901) and a name for each."""
        asked = self.sign_off.group if self.sign_off else None
        named = (
            ("/closes", self.closes),
            ("/declares_urgent", self.declares_urgent),
            ("/sign_off/group", asked),
        )
        return [(pointer, name) for pointer, name in named if name is not None]

    def watches(self) -> tuple[Watch, ...]:
        """What its rules have watched while a release goes in, the same thing once."""
        return without_doubles(watch for rule in self.rules for watch in rule.watches())

    def quickest_plan(self) -> Plan | None:
        """The quickest rollout that its rules let pass; None where they limit none."""
        return next((plan for rule in self.rules if (plan := rule.quickest_plan(self.rules))), None)

    def calendars(self) -> frozenset[str]:
        """The shared calendars its rules name."""
        return frozenset(name for rule in self.rules for name in rule.calendar_names())

    @cached_property
    def digest(self) -> str:
        """The digest of the canonical document."""
        return digest(self)


class PolicyError(ValueError):
    """The document is not a policy; `faults` has a JSON Pointer and a sentence for each reason."""

    def __init__(self, faults: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{pointer or '/'}: {reason}" for pointer, reason in faults))
        self.faults = faults

    def __reduce__(self) -> tuple[type, tuple[list[tuple[str, str]]]]:
        """So that it comes whole from another process."""
        return type(self), (self.faults,)


def read_policy(document: str | dict[str, Any]) -> Policy:
    """Read a policy from JSON or YAML text, or from plain values.

    Raises:
        PolicyError: with the place and the reason of every fault; the fiftieth is the last that is named.
    """
    text = document if isinstance(document, str) else json.dumps(document)
    if len(text.encode(errors="replace")) > _LARGEST:
        raise PolicyError([("", f"larger than {_LARGEST // 1024} KiB")])
    if isinstance(document, dict):
        return policy_from(document)
    try:
        return policy_from(plain_of(text))
    except UnreadableTextError as exc:
        raise PolicyError([("", str(exc))]) from exc


def policy_from(plain: Any) -> Policy:
    """Check plain values as a policy.

    Raises:
        PolicyError: with the place and the reason of every fault.
    """
    try:
        return Policy.model_validate(plain)
    except ValidationError as exc:
        errors = exc.errors(include_url=False)
        above = {e["loc"][:n] for e in errors for n in range(len(e["loc"]))}
        told = [e for e in errors if not _follows(e, above)]
        faults = [
            (_pointer(e["loc"], plain), _called(e["loc"], plain) + reason(e)) for e in told[:_MOST_FAULTS]
        ]
        if len(told) > _MOST_FAULTS:
            faults.append(("", f"and {len(told) - _MOST_FAULTS} more faults"))
        raise PolicyError(faults) from exc


@lru_cache(maxsize=256)
def policy_of(text: str) -> Policy:
    """A policy from its stored text; versions never change, so each is read once."""
    return Policy.model_validate_json(text)


@lru_cache(maxsize=1)
def policy_schema() -> dict[str, Any]:
    """The published JSON Schema (2020-12)."""
    return zones_may_be_left_out(schema_of(Policy))


def _pointer(loc: tuple[int | str, ...], plain: Any) -> str:
    """A JSON Pointer (RFC 6901) to a fault; the discriminator's own steps are left out."""
    out, here = [], plain
    for step in loc:
        if isinstance(here, dict) and step not in here and here.get("kind") == step:
            continue
        out.append(str(step).replace("~", "~0").replace("/", "~1"))
        if isinstance(here, dict):
            here = here.get(step)
        elif isinstance(here, list) and isinstance(step, int) and step < len(here):
            here = here[step]
    return "".join(f"/{step}" for step in out)


def _called(loc: tuple[int | str, ...], plain: Any) -> str:
    """The id of the rule in which a fault lies, to stand before it: a place in a list says little."""
    match plain, loc:
        case {"rules": [*rules]}, ("rules", int(n), *_) if n < len(rules):
            rule = rules[n]
            return f"{rule['id']}: " if isinstance(rule, dict) and isinstance(rule.get("id"), str) else ""
    return ""


def _follows(error: Any, above: set[tuple[int | str, ...]]) -> bool:
    """Whether a list is only too short because its items were refused; `above` is where faults lie below."""
    return error["type"] == "too_short" and error["loc"] in above
