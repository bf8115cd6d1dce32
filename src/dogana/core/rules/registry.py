"""Every rule kind, once. The policy's schema and its reference are derived from this list."""

from typing import Annotated

from pydantic import Field

from dogana.core.rules.condition import OwnCondition
from dogana.core.rules.evidence import Required
from dogana.core.rules.freeze import Freeze
from dogana.core.rules.hours import OpenHours
from dogana.core.rules.monitors import Health
from dogana.core.rules.needs import Needs
from dogana.core.rules.notice import Notice
from dogana.core.rules.origin import FromWhere
from dogana.core.rules.pace import Pace
from dogana.core.rules.prepared import Ready
from dogana.core.rules.reviewers import Reviewers
from dogana.core.rules.rollout import Rollout
from dogana.core.rules.sameness import Sameness
from dogana.core.rules.soak import Soak
from dogana.core.rules.tickets import Tickets
from dogana.core.rules.versions import Versions

AnyRule = Annotated[
    Reviewers
    | Freeze
    | OpenHours
    | Notice
    | Soak
    | Tickets
    | FromWhere
    | Sameness
    | Required
    | Health
    | Rollout
    | Pace
    | Versions
    | Needs
    | Ready
    | OwnCondition,
    Field(discriminator="kind"),
]
