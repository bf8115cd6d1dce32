"""Who lets go and reports: those an environment names, and of them whoever holds the clearance."""

from pydantic import Field

from dogana.core.document import Count, Document, Slug
from dogana.core.errors import ForbiddenError
from dogana.service.actor import Actor, Right
from dogana.store import Session, secrets
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.promotions import PromotionRow


class Deployers(Document):
    """Who may let promotions go into an environment, and report on them."""

    people: tuple[Slug, ...] = Field(default=(), max_length=200)
    groups: tuple[Slug, ...] = Field(default=(), max_length=50)
    tokens: tuple[Count, ...] = Field(default=(), max_length=200)
    """Tokens by their numbers; somebody with such a token need not be named otherwise."""

    def name(self, actor: Actor) -> bool:
        """Whether somebody is among them."""
        return (
            actor.id in self.people
            or bool(actor.groups & set(self.groups))
            or (actor.token is not None and actor.token in self.tokens)
        )

    def include(self, others: "Deployers | None") -> bool:
        """Whether all that others name are among them; where None do, whoever may deploy at all is named."""
        return others is not None and (
            set(others.people) <= set(self.people)
            and set(others.groups) <= set(self.groups)
            and set(others.tokens) <= set(self.tokens)
        )


def may_deploy(actor: Actor, environment: EnvironmentRow) -> bool:
    """Whether somebody may let go into an environment and report there.

    Whoever may at all, where it names none.
    """
    named = Deployers.model_validate(environment.deployers) if environment.deployers else None
    return Right.DEPLOY in actor.rights and (named is None or named.name(actor))


def must_deploy(actor: Actor, environment: EnvironmentRow) -> None:
    """See that somebody may.

    Raises:
        ForbiddenError: when they may not.
    """
    actor.must(Right.DEPLOY)
    if not may_deploy(actor, environment):
        raise ForbiddenError(f"{environment.title} names who deploys there; you are not among them.")


async def must_hold(session: Session, actor: Actor, row: PromotionRow) -> None:
    """See that somebody holds the clearance of a promotion, or held it last.

    Raises:
        ForbiddenError: when somebody else does, or nobody has asked for it.
    """
    must_deploy(actor, row.environment)
    clearance = await secrets.last_clearance(session, row.number)
    if clearance is None:
        raise ForbiddenError("Nobody holds its clearance; ask for that first, by letting it depart.")
    if clearance.holder_id != actor.id:
        raise ForbiddenError("Only who holds its clearance may report on it.")
