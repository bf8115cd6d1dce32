"""`origin`: where the source revision has to stand in its repository."""

from datetime import timedelta
from fnmatch import fnmatchcase
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from dogana.core.facts import Commit, Origin
from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule
from dogana.core.rules.strictness import lower, rank, within
from dogana.core.words import counted, listed, sentence

Pattern = Annotated[str, StringConstraints(pattern=r"^[0-9A-Za-z*?][0-9A-Za-z*?._/+-]{0,99}$")]
_SHOWN = 3
_SHORT = 8


class FromWhere(Rule):
    """On a branch, with a tag, signed, reviewed."""

    strictness = (
        within("branches", "from the branches {}"),
        within("tags", "with a tag {}"),
        rank("signed", (False, True), "a signed tag: {}"),
        rank("reviewed", (False, True), "every commit reviewed: {}"),
        lower("fresh", "a look counts for {}"),
    )

    kind: Literal["origin"]
    branches: tuple[Pattern, ...] = Field(default=(), max_length=20)
    """The revision is on one of these; `*` stands for anything: `release/*`."""
    tags: tuple[Pattern, ...] = Field(default=(), max_length=20)
    """A tag on the revision is one of these."""
    signed: bool = False
    """Such a tag carries a good signature."""
    reviewed: bool = False
    """Every commit names a reviewer who is not its author."""
    fresh: Annotated[timedelta, Field(gt=timedelta(0))] = timedelta(hours=1)
    """How old the look at the repository may be before it counts as unknown."""

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        if not (self.branches or self.tags or self.signed or self.reviewed):
            raise ValueError("give branches, tags, signed or reviewed")
        return self

    def inspect(self, case: Case) -> Finding:
        """Unmet names what is missing; unknown where the repository could not be read."""
        facts = case.facts
        if facts.change.value is None:
            return self.unknown(facts.change, "The change", case)
        if facts.origin is None:
            return self.finding(
                Outcome.UNKNOWN, "Nobody has looked where the revision stands.", settled_by="facts"
            )
        if facts.origin.value is None:
            return self.unknown(facts.origin, "The repository", case)
        stale = self.stale(facts.origin, "The repository", self.fresh, case)
        if stale is not None:
            return stale
        origin = facts.origin.value
        evidence = [
            Evidence(label="On branches", value=listed(origin.branches[:10]) or "none"),
            Evidence(
                label="Tags", value=listed([_tag(tag.name, tag.signed_by) for tag in origin.tags]) or "none"
            ),
        ]
        faults = [*self._branch_faults(origin), *self._tag_faults(origin)]
        if self.reviewed:
            faults += _review_faults(facts.unreviewed)
        if faults:
            return self.finding(
                Outcome.UNMET, sentence(listed(faults)), settled_by="facts", evidence=evidence
            )
        return self.finding(Outcome.MET, sentence(self._met(origin)), evidence=evidence)

    def _branch_faults(self, origin: Origin) -> list[str]:
        if not self.branches or _matching(origin.branches, self.branches):
            return []
        on = f"on {listed(origin.branches[:_SHOWN])}" if origin.branches else "on no branch"
        return [f"the revision is {on}; it should be on {listed(self.branches, 'or')}"]

    def _tag_faults(self, origin: Origin) -> list[str]:
        if not self.tags and not self.signed:
            return []
        wanted = listed(self.tags, "or") or "any"
        tags = [tag for tag in origin.tags if _matching([tag.name], self.tags or ("*",))]
        if not tags:
            return [f"it carries no tag {wanted}"]
        if self.signed and not any(tag.signed_by for tag in tags):
            return [f"{listed([tag.name for tag in tags])} carries no signature that is known here"]
        return []

    def _met(self, origin: Origin) -> str:
        parts = []
        if self.branches:
            parts.append(f"on {listed(_matching(origin.branches, self.branches)[:_SHOWN])}")
        tags = [tag for tag in origin.tags if _matching([tag.name], self.tags or ("*",))]
        if self.tags or self.signed:
            parts.append(f"tagged {listed([_tag(tag.name, tag.signed_by) for tag in tags[:_SHOWN]])}")
        if self.reviewed:
            parts.append("every commit reviewed by somebody else")
        return ", ".join(parts)


def _matching(names: tuple[str, ...] | list[str], patterns: tuple[str, ...]) -> list[str]:
    return [name for name in names if any(fnmatchcase(name, pattern) for pattern in patterns)]


def _tag(name: str, signed_by: str | None) -> str:
    return f"{name} (signed by {signed_by})" if signed_by else name


def _review_faults(alone: tuple[Commit, ...]) -> list[str]:
    if not alone:
        return []
    which = listed([f"{commit.revision[:_SHORT]} by {commit.author}" for commit in alone[:_SHOWN]])
    more = f" and {len(alone) - _SHOWN} more" if len(alone) > _SHOWN else ""
    verb = "names" if len(alone) == 1 else "name"
    return [f"{counted(len(alone), 'commit')} {verb} no reviewer but the author: {which}{more}"]
