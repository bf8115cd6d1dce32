"""What every kind of rule is and answers."""

from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Annotated, Any, ClassVar, Literal, NamedTuple

from pydantic import AfterValidator, Field

from dogana.core.decisions import Waiver
from dogana.core.document import Document, Slug
from dogana.core.expressions.program import Condition, names_in
from dogana.core.facts import Facts, Reading, in_the_future
from dogana.core.health.watches import Watch
from dogana.core.rollout import Plan
from dogana.core.rules.case import READ_LATELY, Case
from dogana.core.rules.findings import Evidence, Finding, Outcome, Seat
from dogana.core.strictness import Aspect, Difference, Order, lower
from dogana.core.time.forecast import Closing, Texture
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, Zoned
from dogana.core.traffic import Queued
from dogana.core.words import lasting, sentence, spoken, when


class Watched(NamedTuple):
    """One question to the metrics server."""

    environment: str
    query: str
    window: timedelta
    source: str | None = None


class Charted(NamedTuple):
    """A monitor as it is drawn along time."""

    name: str
    query: str
    """With `$environment` in it."""
    source: str | None
    at_most: float | None
    at_least: float | None


class Reference(NamedTuple):
    """Something that a rule names, and where in the rule: a JSON Pointer (RFC 6901)."""

    kind: Literal["group", "person", "calendar", "sender"]
    name: str
    pointer: str


Way = Literal["desk", "mail", "chat"]
"""Where somebody decides; by a token counts as the desk."""


class Reminders(NamedTuple):
    """When who is asked for a seat is reminded of it, and when others are told that it is open."""

    every: timedelta | None = None
    after: timedelta | None = None
    group: str | None = None


Bound = tuple[Literal["evidence", "origin", "runs", "before"], Any]
"""A part of what is shown, and plain JSON that a rule reads of it; of evidence its name."""


def _bound_by_name(facts: Facts, names: frozenset[str]) -> list[Bound]:
    """What variables of expressions bind an approval to, beyond what every approval is bound to."""
    out: list[Bound] = []
    if names & {"branches", "tags"} and facts.origin is not None and facts.origin.value is not None:
        out.append(("origin", facts.origin.value.plain()))
    if "runs" in names:
        out.append(("runs", dict(facts.runs)))
    if "leg_before" in names:
        out.append(("before", [leg.plain() for leg in facts.leg_before]))
    return out


def _as_a_rule(value: str | None) -> str | None:
    return None if value == "holds" else value


InProgress = Annotated[Literal["holds", "goes on"] | None, AfterValidator(_as_a_rule)]
"""Whether what closes holds the next step of what has departed; `holds` is the same as nothing."""


def steps_held(first: Any, second: Any) -> Iterator[Difference]:
    """In what two rules differ that close, for what has departed before."""
    if first.in_progress != second.in_progress:
        goes_on = second.in_progress is not None
        says = "steps of what departed before it " + ("go on" if goes_on else "are held")
        yield Difference(Order.LAXER if goes_on else Order.STRICTER, says)


Age = Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=365))]
_FRESH = lower("fresh", "a reading counts for {}")


class Rule(Document):
    """One condition of a policy."""

    heading: ClassVar[str]
    """The kind as a heading, in words."""
    texture: ClassVar[Texture | None] = None
    asks_people: ClassVar[bool] = False
    """Whether it has seats that people take."""
    depends_on_others: ClassVar[bool] = False
    """Whether what it says of a promotion depends on which others wait."""
    strictness: ClassVar[tuple[Aspect, ...]] = ()
    """In which aspects two rules of the kind are compared."""

    id: Slug
    """Names the rule in findings and in the record; unique in the policy."""
    title: str = Field(min_length=1, max_length=120)
    """What it asks for, in words."""
    when: Condition | None = None
    """CEL over the facts; where it is false the rule does not concern the promotion."""

    waivable: Slug | None = None
    """The group that may grant a waiver of it; nobody when left out."""
    advisory: bool = False
    """Weakens protection: it is shown, recorded and measured, and holds nothing."""
    fresh: Age | None = None
    """How old what it looks at may be before it counts as unknown; an hour for conditions when left out."""

    def expressions(self) -> tuple[str, ...]:
        """Every expression the rule holds."""
        return () if self.when is None else (self.when,)

    def binds(self, facts: Facts) -> list[Bound]:
        """What it reads of the facts that an approval is bound to, beyond what every approval is.

        Clocks, traffic, monitors, readiness and who is who never bind. What could not be read is left out.
        """
        return _bound_by_name(facts, frozenset[str]().union(*map(names_in, self.expressions())))

    def summary(self) -> str:
        """The settings that matter most, in the few words that fit a cell; empty where there is none."""
        return ""

    def refers_to(self) -> list[Reference]:
        """What it names that has to be there."""
        out = [Reference("calendar", name, "") for name in self.calendar_names()]
        return [Reference("group", self.waivable, "/waivable"), *out] if self.waivable is not None else out

    def may_be_taken(self, way: str) -> bool:
        """Whether a seat of the rule may be taken by a way other than the desk."""
        return way not in {"mail", "chat"}

    def reminds(self) -> Reminders:
        """When people are reminded of its seats; never where it does not say."""
        return Reminders()

    def calendar_names(self) -> tuple[str, ...]:
        """The shared calendars it names."""
        return ()

    def watched(self, target: str, before: Sequence[str]) -> list[Watched]:
        """What the metrics server has to be asked for it.

        Args:
            target: the environment that a promotion is for.
            before: the environments of the leg before.
        """
        del target, before
        return []

    def looks_at_origin(self) -> bool:
        """Whether it looks at where the revision stands in its repository."""
        return bool(frozenset[str]().union(*map(names_in, self.expressions())) & {"branches", "tags"})

    def looks_at_signatures(self) -> bool:
        """Whether it looks at who signed the commits."""
        return False

    def open_ahead(self) -> timedelta:
        """How much open time it asks for ahead of a start."""
        return timedelta(0)

    def needs_comment(self) -> bool:
        """Whether who takes one of its seats has to say why."""
        return False

    def excluded(self, facts: Facts) -> frozenset[str] | None:
        """Who may not take its seats, whoever they are; None where that is not known."""
        del facts
        return frozenset()

    def holds_next_step(self) -> bool:
        """Whether what it closes holds the next step of what has departed already."""
        return True

    def watches(self) -> tuple[Watch, ...]:
        """What it has watched while a release goes in."""
        return ()

    def quickest_plan(self, rules: Sequence["Rule"]) -> Plan | None:
        """The quickest rollout that it and its like among others let pass; None where it limits none."""
        del rules
        return None

    def superseding(self, facts: Facts) -> Queued | None:
        """The newer promotion that ends the one it is asked about; None when none does."""
        del facts
        return None

    def outside_check(self) -> str | None:
        """The outside system that it has asked about the promotion; None where it asks none."""
        return None

    def asks_anew(self, facts: Facts, at: datetime) -> bool:
        """Whether that has to be asked, or asked again."""
        del facts, at
        return False

    def looks_at_what_runs(self) -> bool:
        """Whether it asks what is seen to run."""
        return False

    def charted(self) -> list[Charted]:
        """The monitors it has that can be drawn along time."""
        return []

    def closed(self, calendars: Mapping[str, Calendar], horizon: Interval) -> list[Closing]:
        """What it closes in a stretch of time, for whoever may not pass."""
        del calendars, horizon
        return []

    def frozen_at(self, at: datetime, calendars: Mapping[str, Calendar]) -> tuple[list[str], datetime | None]:
        """The names of the closed times that are on at an instant, and when it opens, if within 400 days."""
        del calendars
        return [], at

    def own_windows(self) -> tuple[Zoned, ...]:
        """The windows it holds itself, with their zones."""
        return ()

    @abstractmethod
    def inspect(self, case: Case) -> Finding:
        """The rule's finding for a case it concerns."""

    def finding_for(self, case: Case) -> Finding:
        """The rule's finding for any case."""
        found = self._waived_or_not(case)
        return found.model_copy(update={"advisory": True}) if self.advisory else found

    def _concerns(self, case: Case) -> tuple[bool | None, str]:
        if self.when is None:
            return True, ""
        old = case.too_old(self.when, self.fresh or READ_LATELY)
        return (None, old) if old else case.ask(self.when)

    def _waived_or_not(self, case: Case) -> Finding:
        concerns, why = self._concerns(case)
        if concerns is None:
            found = self.finding(
                Outcome.UNKNOWN,
                sentence(f"it cannot be told whether this rule applies: {why}"),
                settled_by="facts",
                evidence=[Evidence(label="When", value=str(self.when))],
            )
        elif not concerns:
            return self.finding(
                Outcome.NOT_APPLICABLE,
                "Does not concern this promotion.",
                evidence=[Evidence(label="When", value=str(self.when))],
            )
        else:
            found = self.inspect(case)
        if self.waivable is None or not found.outcome.stands_in_the_way:
            return found
        if self.id in case.waivers:
            return self._waived(found, case.waivers[self.id], case)
        waiver = case.waivers_asked.get(self.id)
        if waiver is None or case.at >= waiver.until:
            return found
        could = [
            person.id
            for person in case.facts.people
            if not case.why_no_waiver(self, waiver.model_copy(update={"granted_by": person.id}))
        ]
        return found.model_copy(update={"waiver": waiver, "may_grant": tuple(sorted(could))})

    def _waived(self, found: Finding, waiver: Waiver, case: Case) -> Finding:
        asked, granted = case.facts.name_of(waiver.asked_by), case.facts.name_of(waiver.granted_by or "")
        until = when(waiver.until, case.zone)
        waived = self.finding(
            Outcome.WAIVED,
            f"Waived until {until}, asked for by {asked} and granted by {granted}: {sentence(waiver.reason)}",
            holds_until=waiver.until,
            evidence=[Evidence(label="Without the waiver", value=found.because), *found.evidence],
        )
        return waived.model_copy(update={"waiver": waiver})

    def compared(self, other: "Rule") -> list[Difference]:
        """In what another rule of the kind differs, and whether it is stricter or laxer there.

        One that is only shown asks for nothing, whatever its settings.
        """
        if self.advisory or other.advisory:
            if self.advisory and other.advisory:
                return []
            if other.advisory:
                return [Difference(Order.LAXER, "is only shown")]
            return [Difference(Order.STRICTER, "holds; it was only shown")]
        return self.differing(other)

    def differing(self, other: "Rule") -> list[Difference]:
        """What kinds of rules add to when they are compared."""
        out = [difference for aspect in self.strictness for difference in aspect(self, other)]
        if self.when != other.when:
            if self.when is None:
                out.append(Difference(Order.LAXER, f"applies only where {other.when}"))
            elif other.when is None:
                out.append(Difference(Order.STRICTER, f"applies always, not only where {self.when}"))
            else:
                out.append(
                    Difference(Order.INCOMPARABLE, f"applies where {other.when}, not where {self.when}")
                )
        out += _FRESH(self, other)
        if self.waivable != other.waivable:
            was, now = spoken(self.waivable or ""), spoken(other.waivable or "")
            if not was:
                out.append(Difference(Order.LAXER, f"may be waived by {now}"))
            elif not now:
                out.append(Difference(Order.STRICTER, f"may not be waived; {was} could"))
            else:
                out.append(Difference(Order.INCOMPARABLE, f"may be waived by {now} instead of {was}"))
        return out

    def closings(self, case: Case, horizon: Interval) -> list[Closing]:
        """The stretches of the horizon that this rule closes whatever people do."""
        del case, horizon
        return []

    def finding(
        self,
        outcome: Outcome,
        because: str,
        *,
        settled_by: Literal["time", "people", "facts"] | None = None,
        clears_at: datetime | None = None,
        holds_until: datetime | None = None,
        evidence: Sequence[Evidence] = (),
        seats: Sequence[Seat] = (),
    ) -> Finding:
        """A finding of this rule."""
        return Finding(
            rule=self.id,
            kind=str(getattr(self, "kind", "")),
            title=self.title,
            outcome=outcome,
            because=because,
            settled_by=settled_by,
            clears_at=clears_at,
            holds_until=holds_until,
            evidence=tuple(evidence),
            seats=tuple(seats),
        )

    def at_first_leg(self, case: Case) -> Finding | None:
        """The finding of a rule about the leg before where there is none; None elsewhere."""
        if case.facts.leg_before:
            return None
        target = case.facts.target.title
        return self.finding(Outcome.NOT_APPLICABLE, f"{target} is the first leg; nothing comes before it.")

    def stale(self, reading: Reading[Any], what: str, fresh: timedelta, case: Case) -> Finding | None:
        """The finding when a reading is older than it may be; None when it is fresh enough."""
        age = case.at - reading.read_at
        if in_the_future(reading.read_at, case.at):
            return self.finding(
                Outcome.UNKNOWN,
                f"{what} was read {when(reading.read_at, case.zone)}, which has not come yet.",
                settled_by="facts",
                evidence=[Evidence(label="Source", value=reading.source)],
            )
        if age <= fresh:
            return None
        return self.finding(
            Outcome.UNKNOWN,
            f"{what} was last read {lasting(age)} ago; a reading counts for {lasting(fresh)}.",
            settled_by="facts",
            evidence=[Evidence(label="Source", value=reading.source)],
        )

    def unknown(self, reading: Reading[Any], what: str, case: Case) -> Finding:
        """The finding when a reading holds no value."""
        age = lasting(case.at - reading.read_at)
        return self.finding(
            Outcome.UNKNOWN,
            f"{what} could not be read: {reading.unknown or 'nothing came back'}.",
            settled_by="facts",
            evidence=[
                Evidence(label="Source", value=reading.source),
                Evidence(label="Last tried", value=f"{age} ago"),
            ],
        )
