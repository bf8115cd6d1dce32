"""What one look at a monitor found, as it is kept."""

from typing import Annotated

from pydantic import Field

from dogana.core.document import Document, Instant, Slug
from dogana.core.health.counters import Answer
from dogana.core.rollout import ALL


class Arm(Document):
    """What the metrics source answered about one of two releases; which queries there are says the watch."""

    bad: Answer | None = None
    all: Answer | None = None
    buckets: Answer | None = None
    level: Answer | None = None


class Look(Document):
    """One look at one monitor."""

    at: Instant
    """The time that the source gave its answers for."""
    monitor: Slug
    share: Annotated[int, Field(ge=0, le=ALL)] | None = None
    """Percent that the newcomer gets, as the deployer reported last."""
    candidate: Arm = Arm()
    incumbent: Arm = Arm()
    failed: Annotated[str, Field(max_length=300)] | None = None
    """Of a probe: how it failed; empty where it did not."""
    unknown: Annotated[str, Field(min_length=1, max_length=300)] | None = None
    """Why nothing could be read."""
