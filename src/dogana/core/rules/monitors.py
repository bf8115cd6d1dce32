"""`monitors`: health now, of the target or of the leg before, against thresholds."""

from collections.abc import Sequence
from datetime import timedelta
from statistics import fmean
from typing import Annotated, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from dogana.core.document import Document, FiniteNumber, Slug
from dogana.core.facts import ENDLESS, Monitor, Series, in_the_future
from dogana.core.rules.base import Age, Charted, Rule, Watched
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import beyond, higher, keyed, lower, refuse_twice, same
from dogana.core.traffic import Sighting
from dogana.core.words import counted, lasting, listed, sentence, when

Judged = Literal["last", "mean", "worst"]


_NAMED = 2


class Threshold(Document):
    """One monitor and the limits it has to keep to."""

    name: str = Field(min_length=1, max_length=60)
    """What people call it."""
    query: str = Field(min_length=1, max_length=1000)
    """What the metrics source is asked; `$environment` stands for the environment."""
    source: Slug | None = None
    """Which source of metrics is asked; the first one set up when left out."""
    window: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=7))] = timedelta(minutes=10)
    """How far back it is looked at."""
    at_most: FiniteNumber | None = None
    """Its upper limit."""
    at_least: FiniteNumber | None = None
    """Its lower limit."""
    judged: Judged = "worst"
    """Which value of the window counts: the worst, the mean or the last."""
    least_data: int = Field(default=3, ge=1, le=2000)
    """How many values there must be."""

    @model_validator(mode="after")
    def _has_a_limit(self) -> Self:
        if self.at_most is None and self.at_least is None:
            raise ValueError("give at_most, at_least or both")
        return self

    def in_words(self) -> str:
        """`at most 5`."""
        parts = [f"at least {self.at_least}"] if self.at_least is not None else []
        parts += [f"at most {self.at_most}"] if self.at_most is not None else []
        return " and ".join(parts)

    def counting(self, series: Series) -> list[float]:
        """The values that the limits are held against."""
        if self.judged == "last":
            return [*(series.last or series.values[-1:])]
        if self.judged == "mean":
            return [fmean(series.values)]
        highest = [max(series.values)] if self.at_most is not None else []
        return highest + ([min(series.values)] if self.at_least is not None else [])

    def breach(self, series: Series) -> float | None:
        """The value that breaks a limit; None when none does."""
        for value in self.counting(series):
            over = self.at_most is not None and value > self.at_most
            under = self.at_least is not None and value < self.at_least
            if over or under:
                return value
        return None

    def summary(self) -> str:
        """Its limits in few words."""
        limits = [f"at most {self.at_most:g}"] if self.at_most is not None else []
        limits += [f"at least {self.at_least:g}"] if self.at_least is not None else []
        return f"{self.name} {listed(limits)}"


class MonitorsRule(Rule):
    """Healthy now."""

    heading = "Health"

    strictness = (
        beyond("looks_at", "looks at {}"),
        higher("no_drift", "nothing else running than landed: {}"),
        keyed(
            "watch",
            "name",
            (
                same("query", "asks {}"),
                same("source", "of {}"),
                same("window", "over {}"),
                same("judged", "by the {} value"),
                lower("at_most", "at most {}"),
                higher("at_least", "at least {}"),
                higher("least_data", "at least {} values"),
            ),
        ),
    )

    kind: Literal["monitors"]
    of: Literal["target", "leg before", "both"] = "target"
    """Which environments have to be healthy."""
    watch: tuple[Threshold, ...] = Field(default=(), max_length=20)
    """Every one of them has to keep to its limits."""
    no_drift: Annotated[Literal[True] | None, BeforeValidator(lambda value: value or None)] = None
    """Whether what landed last in those environments has to be what is seen to run there."""
    fresh: Age = timedelta(minutes=5)
    """How old a reading may be before it counts as unknown."""

    @model_validator(mode="after")
    def _distinct_names(self) -> Self:
        refuse_twice([one.name for one in self.watch], "monitors")
        if not self.watch and not self.no_drift:
            raise ValueError("give watch, no_drift or both")
        return self

    def looks_at_what_runs(self) -> bool:
        """Where it asks for no drift."""
        return self.no_drift is True

    def summary(self) -> str:
        """Its settings in few words."""
        asked = [one.summary() for one in self.watch] + (["no drift"] if self.no_drift else [])
        return f"{self.of}: {listed(asked)}"

    def inspect(self, case: Case) -> Finding:
        """Unmet names what is out of its limits; unknown what is unread, old, or too little."""
        titles = self.environments(case)
        evidence: list[Evidence] = []
        unknown: dict[str, list[str]] = {}
        unmet: list[str] = []
        for environment, title in titles.items():
            for threshold in self.watch:
                label = f"{threshold.name}, {title}"
                series, why = self._read(threshold, environment, case)
                if series is None:
                    unknown.setdefault(why, []).append(f"{threshold.name} in {title}")
                    evidence.append(
                        Evidence(label=label, value=f"not known: {why}", wanted=threshold.in_words())
                    )
                    continue
                breach = threshold.breach(series)
                shown = breach if breach is not None else threshold.counting(series)[0]
                wanted = threshold.in_words()
                many = f"{threshold.judged} of {len(series.values)} in {lasting(threshold.window)}"
                value = f"{_in_words(shown)} ({many})"
                evidence.append(
                    Evidence(label=label, value=value, wanted=wanted if breach is not None else None)
                )
                if breach is not None:
                    unmet.append(f"{threshold.name} in {title} is {_in_words(breach)}, should be {wanted}")
        if self.no_drift:
            self._look_at_what_runs(titles, case, evidence, unknown, unmet)
        if unmet:
            return self.finding(Outcome.UNMET, sentence(listed(unmet)), settled_by="facts", evidence=evidence)
        if unknown:
            because = sentence("; ".join(f"{_few(what)}: {why}" for why, what in unknown.items()))
            return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=evidence)
        kept = counted(len(self.watch), "monitor")
        verb = "keeps to its limits" if len(self.watch) == 1 else "keep to their limits"
        good = [f"{kept} {verb} in {listed(list(titles.values()))}"] if self.watch else []
        good += [f"what landed runs in {listed(list(titles.values()))}"] if self.no_drift else []
        because = sentence(listed(good))
        return self.finding(Outcome.MET, because, evidence=evidence)

    @property
    def looks_at(self) -> tuple[str, ...]:
        """The places whose health counts."""
        return ("leg before", "target") if self.of == "both" else (self.of,)

    def environments(self, case: Case) -> dict[str, str]:
        """The environments looked at, with their titles."""
        target = {case.facts.target.id: case.facts.target.title}
        before = {leg.environment: leg.title for leg in case.facts.leg_before}
        if self.of == "target" or not before:
            return target
        return before if self.of == "leg before" else before | target

    def watched(self, target: str, before: Sequence[str]) -> list[Watched]:
        """Each of its monitors where it looks."""
        chosen = {"target": [target], "leg before": before or [target], "both": [*before, target]}[self.of]
        return [
            Watched(environment, t.query, t.window, t.source) for environment in chosen for t in self.watch
        ]

    def _look_at_what_runs(
        self,
        titles: dict[str, str],
        case: Case,
        evidence: list[Evidence],
        unknown: dict[str, list[str]],
        unmet: list[str],
    ) -> None:
        seen = {one.environment: one for one in case.facts.sightings or ()}
        for environment, title in titles.items():
            if environment == case.facts.target.id and case.facts.service not in case.facts.runs:
                continue  # Nothing has landed there yet, so nothing can be other than that.
            one = seen.get(environment)
            why = _unsure(one, self.fresh, case)
            label = f"what runs in {title}"
            if one is not None and one.differs is not None:
                unmet.append(f"in {title} {one.differs}")
                evidence.append(Evidence(label=label, value=one.differs, wanted="what landed there last"))
            elif why is not None:
                unknown.setdefault(why, []).append(label)
                evidence.append(Evidence(label=label, value=f"not known: {why}"))
            else:
                said = f", as {one.told_by} says" if one and one.told_by else ""
                evidence.append(Evidence(label=label, value=f"what landed there last{said}"))

    def charted(self) -> list[Charted]:
        """Each of its monitors."""
        return [Charted(t.name, t.query, t.source, t.at_most, t.at_least) for t in self.watch]

    def _read(self, threshold: Threshold, environment: str, case: Case) -> tuple[Series | None, str]:
        """What a monitor showed; or None and why it cannot be judged."""
        found = _asked(case.facts.monitors, threshold, environment)
        if found is None:
            return None, "nobody has asked the metrics server yet"
        reading = found.reading
        if reading.value is None:
            return None, reading.unknown or "nothing came back"
        if in_the_future(reading.read_at, case.at):
            return None, f"dated {when(reading.read_at, case.zone)}, which has not come yet"
        if case.at - reading.read_at > self.fresh:
            return None, f"last read {lasting(case.at - reading.read_at)} ago"
        many = len(reading.value.values)
        if many < threshold.least_data:
            return (
                None,
                f"{counted(many, 'value')} in {lasting(threshold.window)}, {threshold.least_data} are needed",
            )
        return reading.value, ""


def _unsure(one: Sighting | None, fresh: timedelta, case: Case) -> str | None:
    """Why it is not known what runs somewhere; None where it is."""
    if one is None or one.read_at is None:
        return "nobody looks what runs there"
    if one.unknown is not None:
        return one.unknown
    if in_the_future(one.read_at, case.at):
        return f"dated {when(one.read_at, case.zone)}, which has not come yet"
    old = case.at - one.read_at
    return f"last seen {lasting(old)} ago" if old > fresh else None


def _in_words(value: float) -> str:
    """Four significant places at most after the point; what has no end is said as that."""
    if abs(value) >= ENDLESS:
        return "without end" if value > 0 else "without end, below"
    return f"{value:.4f}".rstrip("0").rstrip(".") if abs(value) >= 1 or not value else f"{value:.4g}"


def _asked(monitors: Sequence[Monitor], threshold: Threshold, environment: str) -> Monitor | None:
    wanted = (environment, threshold.query, threshold.window, threshold.source)
    return next(
        (one for one in monitors if (one.environment, one.query, one.window, one.source) == wanted), None
    )


def _few(names: list[str]) -> str:
    """Names, or how many there are where a sentence would not bear them; the evidence has each."""
    return listed(names) if len(names) <= _NAMED else f"{len(names)} monitors are not known"
