"""The rollout plan: by which shares a release goes in, and what watches over it."""

from datetime import timedelta
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document, Slug
from dogana.core.words import lasting

ALL = 100
Share = Annotated[int, Field(ge=1, le=ALL)]
Hold = Annotated[timedelta, Field(ge=timedelta(0), le=timedelta(days=14))]
OnBreach = Literal["halt", "roll back"]
WithoutData = Literal["go on", "halt", "roll back"]
OnIncident = Literal["go on", "halt", "roll back"]


class Step(Document):
    """One step: the share that gets the new release, and how long it stays at that."""

    share: Share
    """Percent."""
    hold: Hold = timedelta(0)
    by: Literal["person"] | None = None
    """Who lets it go on from here; the program does where nobody is named."""


class Plan(Document):
    """The steps in order, up to all; what happens when a watched monitor leaves its limit or falls silent."""

    steps: tuple[Step, ...] = Field(min_length=1, max_length=100)
    watch: tuple[Slug, ...] = Field(default=(), max_length=2000)
    """Which of the policy's watches stay on, by name."""
    on_breach: OnBreach = "halt"
    without_data: WithoutData = "halt"
    on_incident: OnIncident | None = None
    """What an incident of the service there brings about; it stands still when left out."""

    steps_by: Literal["deployer"] | None = None
    """A deployer that steps by itself is watched, halted and taken back; left out, it follows orders."""

    @model_validator(mode="after")
    def _rises_to_all(self) -> Self:
        shares = [step.share for step in self.steps]
        if shares != sorted(set(shares)) or shares[-1] != ALL:
            raise ValueError("shares rise from step to step, and the last is 100")
        if self.steps_by is not None and any(step.by for step in self.steps):
            raise ValueError("where a deployer steps by itself no person lets it go on")
        return self

    @property
    def in_steps(self) -> bool:
        """Whether there is anything to it but all at once."""
        return len(self.steps) > 1 or bool(self.watch)

    def in_words(self) -> str:
        """`5 % for 30 min, 50 % for 1 h, then all`."""
        *before, _ = self.steps
        if not before:
            return "all at once"
        shares = (
            f"{step.share} % for {lasting(step.hold)}"
            + (" and until somebody lets it go on" if step.by else "")
            for step in before
        )
        return ", ".join(shares) + ", then all"


AT_ONCE = Plan(steps=(Step(share=ALL),))
