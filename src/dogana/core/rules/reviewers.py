"""`reviewers`: seats that distinct people must take; the requester and the authors are excluded."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from dogana.core.document import Document, Slug
from dogana.core.facts import Facts, Person
from dogana.core.people.matching import seat_people
from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule, Seat
from dogana.core.words import counted, lasting, listed, number, sentence, when


class Places(Document):
    """Seats of one sort: for a group or for named people."""

    group: Slug | None = None
    """Anybody of this group may take the seat."""
    people: tuple[Slug, ...] = Field(default=(), max_length=50)
    """Or one of these people."""
    count: int = Field(default=1, ge=1, le=20)
    """How many such seats, each for somebody else."""

    @model_validator(mode="after")
    def _for_somebody(self) -> Self:
        if (self.group is None) == (not self.people):
            raise ValueError("give a group or people, one of the two")
        return self

    def label(self, facts: Facts) -> str:
        """Who is asked, in words."""
        if self.group is not None:
            return facts.groups.get(self.group, self.group)
        return listed([facts.name_of(person) for person in self.people], "or")

    def admits(self, person: Person) -> bool:
        """Whether somebody belongs to those asked."""
        return self.group in person.groups if self.group is not None else person.id in self.people


class Reviewers(Rule):
    """Who must agree. Seats of the whole policy are taken by distinct people."""

    kind: Literal["reviewers"]
    seats: tuple[Places, ...] = Field(min_length=1, max_length=20)
    """The places to fill; an empty list would ask for nothing and is refused."""
    let_requester_decide: bool = False
    """Weakens protection: the requester may take a seat."""
    let_authors_decide: bool = False
    """Weakens protection: somebody who wrote part of the change may take a seat."""
    in_order: bool = False
    """The seats of one line open only when those of the lines before are filled."""
    lasts: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=365))] | None = None
    """How long an approval counts, ISO 8601; for good when left out."""
    comment: Literal["optional", "required"] = "optional"
    """Whether an approval must say why."""

    def excluded(self, facts: Facts) -> frozenset[str]:
        """The people who may not decide on this promotion."""
        out: set[str] = set()
        if not self.let_requester_decide:
            out.add(facts.requester)
        if not self.let_authors_decide:
            out |= facts.authors()
        return frozenset(out)

    def inspect(self, case: Case) -> Finding:
        """Met when every seat of the rule is taken."""
        seats = [seat for seat in seating(case) if seat.rule == self.id]
        vacant = [seat for seat in seats if seat.taken_by is None]
        evidence = [
            Evidence(label=seat.label, value=case.facts.name_of(seat.taken_by))
            for seat in seats
            if seat.taken_by
        ]
        evidence += _not_counted(self, case)
        if not vacant:
            names = listed([case.facts.name_of(s.taken_by) for s in seats if s.taken_by])
            return self.finding(Outcome.MET, f"Approved by {names}.", evidence=evidence, seats=seats)
        asked = listed(list(dict.fromkeys(seat.label for seat in vacant)), "then" if self.in_order else "and")
        if len(seats) == 1:
            because = f"one seat is open: {asked}"
        elif len(vacant) == len(seats):
            because = f"{'both' if len(seats) == 2 else 'all ' + number(len(seats))} seats are open: {asked}"  # noqa: PLR2004
        else:
            verb = "is" if len(vacant) == 1 else "are"
            because = f"{number(len(vacant))} of {counted(len(seats), 'seat')} {verb} open: {asked}"
        if any(not seat.may_take and not seat.later for seat in vacant):
            nobody = listed([seat.label for seat in vacant if not seat.may_take and not seat.later])
            because += f". Nobody is left who may decide for {nobody}"
        return self.finding(
            Outcome.PENDING, sentence(because), settled_by="people", evidence=evidence, seats=seats
        )


def _not_counted(rule: Reviewers, case: Case) -> list[Evidence]:
    """Whose approval lapsed, and who of those asked may not decide."""
    facts = case.facts
    lines = [
        Evidence(
            label=f"{facts.name_of(a.person)}'s approval lapsed",
            value=f"{listed(case.changed_since(a))} changed since",
        )
        for a in case.decisions.approvals()
        if case.changed_since(a)
    ]
    if rule.lasts is not None:
        lines += [
            Evidence(
                label=f"{facts.name_of(a.person)}'s approval ended",
                value=f"given {when(a.at, case.zone)}, it counts for {lasting(rule.lasts)}",
            )
            for a in case.approvals
            if a.at + rule.lasts <= case.at
        ]
    barred = rule.excluded(facts)
    for person in facts.people:
        if person.id in barred and any(places.admits(person) for places in rule.seats):
            why = "who asked" if person.id == facts.requester else "who wrote part of it"
            lines.append(Evidence(label="May not decide", value=f"{person.name}, {why}"))
    return lines


@dataclass(frozen=True)
class _Place:
    """One seat before anybody sits: its rule, for whom it is, and how many lines come before it."""

    rule: Reviewers
    places: Places
    line: int


def seating(case: Case) -> list[Seat]:
    """Every seat of the policy, filled as far as the standing approvals can fill them.

    Distinct people across all rules: nobody reaches two seats, and nobody who could sit elsewhere keeps
    a seat from the only person left for it. Where they are in order, a line opens once those before are full.
    """
    seats = [
        _Place(rule, places, line)
        for rule in case.concerned
        if isinstance(rule, Reviewers)
        for line, places in enumerate(rule.seats)
        for _ in range(places.count)
    ]
    known = {person.id: person for person in case.facts.people}
    approved = {a.person: a.at for a in case.approvals if a.person in known}

    def counts(n: int, given_at: datetime) -> bool:
        lasts = seats[n].rule.lasts
        return lasts is None or case.at < given_at + lasts

    opened = _opened(seats, {})
    while True:
        taken = seat_people(
            {
                who: [n for n in _seats_for(known[who], seats, case.facts) if n in opened and counts(n, at)]
                for who, at in approved.items()
            }
        )
        wider = opened | _opened(seats, taken)
        if wider == opened:
            break
        opened = wider
    possible = {
        person.id: _seats_for(person, seats, case.facts)
        for person in case.facts.people
        if person.id not in taken.values()
    }
    return [
        Seat(
            rule=seat.rule.id,
            number=n,
            label=seat.places.label(case.facts),
            taken_by=taken.get(n),
            taken_at=approved[taken[n]] if n in taken else None,
            may_take=tuple(sorted(p for p, mine in possible.items() if n in mine))
            if n in opened and n not in taken
            else (),
            later=n not in opened,
        )
        for n, seat in enumerate(seats)
    ]


def _opened(seats: Sequence[_Place], taken: Mapping[int, str]) -> frozenset[int]:
    """The seats that somebody may sit in now: all, but for those whose turn has not come."""
    return frozenset(
        n
        for n, seat in enumerate(seats)
        if not seat.rule.in_order
        or all(
            m in taken for m, other in enumerate(seats) if other.rule is seat.rule and other.line < seat.line
        )
    )


def _seats_for(person: Person, seats: Sequence[_Place], facts: Facts) -> list[int]:
    return [
        n
        for n, seat in enumerate(seats)
        if seat.places.admits(person) and person.id not in seat.rule.excluded(facts)
    ]
