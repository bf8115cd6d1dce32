"""`origin`: where the source revision has to stand in its repository."""

from datetime import timedelta
from fnmatch import fnmatchcase
from typing import Annotated, Literal, Self

from pydantic import BeforeValidator, Field, StringConstraints, model_validator

from dogana.core.change import Change, Commit, Origin
from dogana.core.facts import Facts, Reading
from dogana.core.rules.base import Age, Bound, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import higher, rank, within
from dogana.core.words import counted, listed, sentence

Pattern = Annotated[str, StringConstraints(pattern=r"^[0-9A-Za-z*?][0-9A-Za-z*?._/+-]{0,99}$")]
_SHOWN = 3
_SHORT = 8


class OriginRule(Rule):
    """On a branch, with a tag, signed, reviewed."""

    heading = "Origin"

    strictness = (
        within("branches", "from the branches {}"),
        within("tags", "with a tag {}"),
        rank("signed", (False, True), "a signed tag: {}"),
        rank("reviewed", (False, True), "every commit reviewed: {}"),
        higher("reviewers", "by reviewers who are {}"),
        rank("authors", ("anybody", "known"), "the authors may be {}"),
        rank("signed_commits", (False, True), "every commit signed: {}"),
    )

    kind: Literal["origin"]
    branches: tuple[Pattern, ...] = Field(default=(), max_length=20)
    """The revision is on one of these; `*` stands for anything: `release/*`."""
    tags: tuple[Pattern, ...] = Field(default=(), max_length=20)
    """A tag on the revision is one of these."""
    signed: bool = False
    """Such a tag carries a good signature."""
    reviewed: bool = False
    """Every commit names a reviewer who is not its author, as whoever wrote it says."""
    reviewers: Annotated[Literal["known"] | None, BeforeValidator(lambda value: value or None)] = None
    """Whether that reviewer must have an account here."""
    authors: Literal["anybody", "known"] = "anybody"
    """Whether everybody who wrote part of the change must have an account here."""
    signed_commits: bool = False
    """Every commit carries a good signature."""
    fresh: Age = timedelta(hours=1)
    """How old the look at the repository may be before it counts as unknown."""

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        asked = (self.branches, self.tags, self.signed, self.reviewed, self.signed_commits)
        if not any(asked) and self.authors == "anybody":
            raise ValueError("give branches, tags, signed, reviewed, signed_commits or authors")
        if self.reviewers and not self.reviewed:
            raise ValueError("reviewers are those of what is reviewed; give reviewed as well")
        return self

    def binds(self, facts: Facts) -> list[Bound]:
        """Where the revision stands."""
        read = facts.origin.value if facts.origin is not None else None
        return [*super().binds(facts), *([("origin", read.plain())] if read is not None else ())]

    def looks_at_origin(self) -> bool:
        """Always."""
        return True

    def looks_at_signatures(self) -> bool:
        """Where it asks for known ones."""
        return self.signed_commits

    def summary(self) -> str:
        """Its settings in few words."""
        parts = [f"on {listed(self.branches, 'or')}"] if self.branches else []
        parts += [f"tagged {listed(self.tags, 'or')}"] if self.tags else []
        parts += ["signed"] if self.signed else []
        known = " known here" if self.reviewers else ""
        parts += [f"every commit read by a second person{known}"] if self.reviewed else []
        return ", ".join(parts)

    def inspect(self, case: Case) -> Finding:
        """Unmet names what is missing; unknown where the repository could not be read."""
        origin, change = case.facts.origin, case.facts.change.value
        if origin is None or origin.value is None or change is None:
            return self._unread(case)
        return self._stale(origin, case) or self._judge(origin.value, change, case)

    def _unread(self, case: Case) -> Finding:
        facts = case.facts
        if facts.change.value is None:
            return self.unknown(facts.change, "The change", case)
        if facts.origin is None:
            return self.finding(
                Outcome.UNKNOWN, "Nobody has looked where the revision stands.", settled_by="facts"
            )
        return self.unknown(facts.origin, "The repository", case)

    def _stale(self, origin: Reading[Origin], case: Case) -> Finding | None:
        old = self.stale(origin, "The repository", self.fresh, case)
        return old or self.stale(case.facts.change, "The repository", self.fresh, case)

    def _judge(self, origin: Origin, change: Change, case: Case) -> Finding:
        facts = case.facts
        if self.signed_commits and not change.signatures_read:
            return self.finding(
                Outcome.UNKNOWN, "Nobody has looked at the commits' signatures.", settled_by="facts"
            )
        evidence = [
            Evidence(label="On branches", value=listed(origin.branches[:10]) or "none"),
            Evidence(
                label="Tags", value=listed([_tag(tag.name, tag.signed_by) for tag in origin.tags]) or "none"
            ),
        ]
        faults = [*self._branch_faults(origin), *self._tag_faults(origin)]
        if self.reviewed:
            faults += _commit_faults(facts.unreviewed, "no reviewer but the author")
        if self.reviewers == "known":
            faults += _commit_faults(facts.reviewed_by_strangers, "no reviewer who has an account here")
        if self.signed_commits:
            unsigned = tuple(one for one in change.commits if one.signed_by is None)
            faults += _commit_faults(unsigned, "nobody who signed, as far as signatures are known here")
        if self.authors == "known" and facts.strangers:
            strangers = [f"{one.name} ({one.email})" for one in facts.strangers]
            evidence += [Evidence(label="Has no account here", value=one) for one in strangers]
            more = [f"{len(strangers) - _SHOWN} more"] if len(strangers) > _SHOWN else []
            wrote = listed(strangers[:_SHOWN] + more)
            faults.append(f"part of it was written by {wrote}, of whom no account is known")
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
            known = " who is known here" if self.reviewers else ""
            parts.append(f"every commit reviewed by somebody else{known}")
        if self.signed_commits:
            parts.append("every commit signed")
        if self.authors == "known":
            parts.append("all who wrote it are known")
        return ", ".join(parts)


def _matching(names: tuple[str, ...] | list[str], patterns: tuple[str, ...]) -> list[str]:
    return [name for name in names if any(fnmatchcase(name, pattern) for pattern in patterns)]


def _tag(name: str, signed_by: str | None) -> str:
    return f"{name} (signed by {signed_by})" if signed_by else name


def _commit_faults(alone: tuple[Commit, ...], names: str) -> list[str]:
    if not alone:
        return []
    which = listed([f"{commit.revision[:_SHORT]} by {commit.author}" for commit in alone[:_SHOWN]])
    more = f" and {len(alone) - _SHOWN} more" if len(alone) > _SHOWN else ""
    verb = "names" if len(alone) == 1 else "name"
    return [f"{counted(len(alone), 'commit')} {verb} {names}: {which}{more}"]
