"""`versions`: which versions are let in, and no going back except by a rollback."""

from typing import Annotated, Literal

from pydantic import AfterValidator

from dogana.core.facts import Facts
from dogana.core.rules.base import Bound, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import higher, lower, rank
from dogana.core.versions import Version, a_version

AVersion = Annotated[str, AfterValidator(a_version)]


class VersionsRule(Rule):
    """A range of versions, by Semantic Versioning."""

    heading = "Versions"

    strictness = (
        higher("at_least", "from {}", Version),
        lower("below", "below {}", Version),
        rank("going_back", ("allowed", "refused"), "going back is {}"),
    )

    kind: Literal["versions"]
    at_least: AVersion | None = None
    """The first version let in."""
    below: AVersion | None = None
    """The first version not let in any more."""
    going_back: Literal["refused", "allowed"] = "refused"
    """Whether an older version than the one that runs may enter; a rollback always may."""

    def binds(self, facts: Facts) -> list[Bound]:
        """Which version of the service runs there."""
        return [*super().binds(facts), ("runs", {facts.service: facts.runs.get(facts.service)})]

    def summary(self) -> str:
        """Its settings in few words."""
        return f"going back {self.going_back}"

    def inspect(self, case: Case) -> Finding:
        """Unmet outside the range, when older than what runs, or when it is no version.

        Unknown where what runs is none: nobody can say whether that would be going back.
        """
        asked = case.facts.version
        runs = case.facts.runs.get(case.facts.service)
        evidence = [Evidence(label=f"Runs in {case.facts.target.title}", value=runs or "nothing yet")]
        back = self.going_back == "allowed" or case.facts.kind == "rollback"
        because = self._against(asked, None if back else runs, case.facts.target.title)
        if because is not None:
            return self.finding(Outcome.UNMET, because, settled_by="facts", evidence=evidence)
        if runs is not None and not back and not _comparable(runs):
            because = f"{runs}, which runs in {case.facts.target.title}, cannot be compared with {asked}."
            return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=evidence)
        since = f", after {runs}" if runs else ""
        return self.finding(Outcome.MET, f"{asked} is let in{since}.", evidence=evidence)

    def _against(self, asked: str, runs: str | None, where: str) -> str | None:
        try:
            version = Version(asked)
        except ValueError as exc:
            return f"{exc}."
        if self.at_least is not None and version < Version(self.at_least):
            return f"{asked} is older than {self.at_least}, the first version let in."
        if self.below is not None and version >= Version(self.below):
            return f"{asked} is not below {self.below}."
        if runs is not None and _older(version, runs):
            return f"{asked} is older than {runs}, which runs in {where}; going back takes a rollback."
        return None


def _comparable(version: str) -> bool:
    try:
        Version(version)
    except ValueError:
        return False
    return True


def _older(version: Version, runs: str) -> bool:
    try:
        return version < Version(runs)
    except ValueError:
        return False
