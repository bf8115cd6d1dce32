"""What stands and moves where a promotion would go, besides itself; part of its facts."""

from dogana.core.document import Count, Document, Instant, Slug


class Deployment(Document):
    """A release that departed for the target environment lately."""

    service: Slug
    version: str
    departed_at: Instant
    arrived_at: Instant | None = None
    """When it landed or was taken back; absent while it is on its way."""


QUEUE_ENDS = 10
"""Of how many that were asked for first, and of how many last, one that waits with them is told."""


class Queued(Document):
    """Another promotion of the same service that waits for the target."""

    number: Count
    version: str
    requested_at: Instant


class Closed(Document):
    """An environment that somebody closed at once."""

    since: Instant
    until: Instant
    """Not included."""
    reason: str
    by: str
    """Who closed it, by name."""


class Prepared(Document):
    """That a deployer has everything built, backed up and staged."""

    at: Instant
    by: str
    """Who reported it, by name."""


class RouteLimit(Document):
    """What an urgent route says of the release."""

    route: str
    """What the route is called."""
    against: str | None = None
    """Why it does not let the release in; absent where it does."""
    unknown: str | None = None
    """Why that could not be told."""
    waivable: Slug | None = None
    """The group that may let it in all the same."""


class Sighting(Document):
    """What the service said last that it is, somewhere."""

    environment: Slug
    title: str
    read_at: Instant | None = None
    """Absent where nobody ever looked."""
    told_by: str | None = None
    """Who or what said so, in words."""
    differs: str | None = None
    """In what it is not what landed there last; absent while it is, or is not known."""
    unknown: str | None = None
    """Why it is not known what runs."""
