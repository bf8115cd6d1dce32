"""Every rule kind, once. The policy's schema and its reference are derived from this list."""

from typing import Annotated, Any, get_args

from pydantic import Field

from dogana.core.rules.base import Rule
from dogana.core.rules.check import CheckRule
from dogana.core.rules.condition import ConditionRule
from dogana.core.rules.evidence import EvidenceRule
from dogana.core.rules.freeze import FreezeRule
from dogana.core.rules.hours import HoursRule
from dogana.core.rules.monitors import MonitorsRule
from dogana.core.rules.needs import NeedsRule
from dogana.core.rules.notice import NoticeRule
from dogana.core.rules.origin import OriginRule
from dogana.core.rules.pace import PaceRule
from dogana.core.rules.prepared import PreparedRule
from dogana.core.rules.reviewers import ReviewersRule
from dogana.core.rules.rollout import RolloutRule
from dogana.core.rules.sameness import SamenessRule
from dogana.core.rules.soak import SoakRule
from dogana.core.rules.tickets import TicketsRule
from dogana.core.rules.versions import VersionsRule

AnyRule = Annotated[
    ReviewersRule
    | HoursRule
    | FreezeRule
    | NoticeRule
    | SoakRule
    | PaceRule
    | TicketsRule
    | OriginRule
    | VersionsRule
    | SamenessRule
    | NeedsRule
    | PreparedRule
    | EvidenceRule
    | CheckRule
    | MonitorsRule
    | RolloutRule
    | ConditionRule,
    Field(discriminator="kind"),
]
"""In the order in which people read them."""

KINDS: tuple[type[Rule], ...] = get_args(get_args(AnyRule)[0])
HEADINGS = {get_args(kind.model_fields["kind"].annotation)[0]: kind.heading for kind in KINDS}
"""The kinds as headings."""
_BY_THE_CLOCK = {
    get_args(kind.model_fields["kind"].annotation)[0]: kind.__name__
    for kind in KINDS
    if "zone" in kind.model_fields and kind.model_fields["zone"].is_required()
}
"""Kinds that go by a clock, with the names of their classes."""


def with_zones(plain: Any) -> Any:
    """A policy's plain values, in which each rule that goes by a clock and names none has the policy's."""
    match plain:
        case {"zone": str(zone), "rules": [*rules]}:
            return {**plain, "rules": [_with_zone(rule, zone) for rule in rules]}
    return plain


def _with_zone(rule: Any, zone: str) -> Any:
    match rule:
        case {"kind": str(kind)} if kind in _BY_THE_CLOCK and "zone" not in rule:
            return {**rule, "zone": zone}
    return rule


def zones_may_be_left_out(schema: dict[str, Any]) -> dict[str, Any]:
    """The schema of policies as they are written: what such a rule leaves out is filled in."""
    for name in _BY_THE_CLOCK.values():
        one = schema["$defs"][name]
        one["required"] = [key for key in one["required"] if key != "zone"]
    return schema
