"""Every rule kind, once. The policy's schema and its reference are derived from this list."""

from typing import Annotated, get_args

from pydantic import Field

from dogana.core.rules.base import Rule
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
    | MonitorsRule
    | RolloutRule
    | ConditionRule,
    Field(discriminator="kind"),
]
"""In the order in which people read them."""

KINDS: tuple[type[Rule], ...] = get_args(get_args(AnyRule)[0])
HEADINGS = {get_args(kind.model_fields["kind"].annotation)[0]: kind.heading for kind in KINDS}
"""The kinds as headings."""
