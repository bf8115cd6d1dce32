"""`tickets`: the linked tickets have the status they should."""

from datetime import timedelta
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from dogana.core.facts import Facts, Ticket
from dogana.core.rules.base import Age, Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.strictness import higher, rank, same, within
from dogana.core.words import are, counted, listed, sentence

Status = Annotated[str, StringConstraints(min_length=1, max_length=60)]


class TicketsRule(Rule):
    """Which status the tickets named by the change must have."""

    heading = "Tickets"

    strictness = (
        within("status", "the status {}"),
        rank("which", ("any", "all"), "{} of the tickets"),
        higher("at_least", "at least {} named"),
        same("projects", "of the projects {}"),
        same("types", "of the types {}"),
        rank("unblocked", (False, True), "none blocked: {}"),
    )

    kind: Literal["tickets"]
    status: tuple[Status, ...] = Field(min_length=1, max_length=20)
    """Any of these will do."""
    which: Literal["all", "any"] = "all"
    """Every linked ticket, or at least one."""
    at_least: int = Field(default=1, ge=0, le=50)
    """How many tickets must be linked at all."""
    projects: tuple[Status, ...] = Field(default=(), max_length=20)
    """Only tickets of these projects count, by what their keys begin with; all when empty."""
    types: tuple[Status, ...] = Field(default=(), max_length=20)
    """Only tickets of these types count; all when empty."""
    unblocked: bool = False
    """None that counts may be blocked by one that is open."""
    fresh: Age = timedelta(minutes=15)
    """How old the tracker's answer may be before it counts as unknown."""

    def summary(self) -> str:
        """Its settings in few words."""
        return f"{self.which} {listed(self.status, 'or')}{', unblocked' if self.unblocked else ''}"

    def inspect(self, case: Case) -> Finding:
        """Unknown where the change or the tracker could not be read, or does not say all that is asked.

        Unmet names what is not so.
        """
        unread = self._unread(case)
        return unread or self._untyped(case.facts) or self._judge(case.facts)

    def _unread(self, case: Case) -> Finding | None:
        facts = case.facts
        if facts.change.value is None:
            return self.unknown(facts.change, "The change", case)
        if facts.tickets.value is None:
            return self.unknown(facts.tickets, sentence(facts.tickets.source).rstrip("."), case)
        answered = {ticket.key for ticket in facts.tickets.value}
        silent = [key for key in facts.change.value.ticket_keys if key not in answered]
        if silent:
            because = f"{sentence(facts.tickets.source).rstrip('.')} did not answer for {listed(silent)}."
            lines = [Evidence(label=key, value="no answer") for key in silent]
            return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=lines)
        return self.stale(facts.tickets, "The tracker", self.fresh, case)

    def _untyped(self, facts: Facts) -> Finding | None:
        """Where types are asked for and some ticket has none: whether it counts cannot be told."""
        untold = [
            one.key
            for one in facts.tickets.value or ()
            if self.types and one.status is not None and not one.kind and self._of_project(one)
        ]
        return self._untold(facts, f"of which type {listed(untold)} {are(len(untold))}") if untold else None

    def _untold(self, facts: Facts, what: str) -> Finding:
        evidence = [self._line(ticket) for ticket in facts.tickets.value or ()]
        because = f"The tracker does not say {what}."
        return self.finding(Outcome.UNKNOWN, because, settled_by="facts", evidence=evidence)

    def _judge(self, facts: Facts) -> Finding:
        tickets = [ticket for ticket in facts.tickets.value or () if self._counts(ticket)]
        evidence = [self._line(ticket) for ticket in tickets]
        wanted = listed(self.status, "or")
        if len(tickets) < self.at_least:
            commits = counted(len(facts.change.value.commits if facts.change.value else ()), "commit")
            named = counted(len(tickets), "ticket")
            because = sentence(f"{named} named in {commits}; at least {self.at_least} must be")
            return self.finding(Outcome.UNMET, because, settled_by="facts", evidence=evidence)
        wrong = [ticket for ticket in tickets if ticket.status not in self.status]
        if wrong and (self.which == "all" or len(wrong) == len(tickets)):
            return self.finding(
                Outcome.UNMET,
                f"{listed([_said(ticket) for ticket in wrong[:3]])}"
                f"{f', and {len(wrong) - 3} more' if len(wrong) > 3 else ''}; should be {wanted}.",  # noqa: PLR2004
                settled_by="facts",
                evidence=evidence,
            )
        blocked = [ticket for ticket in tickets if ticket.open_blockers]
        if self.unblocked and blocked:
            said = [f"{ticket.key} is blocked by {listed(ticket.open_blockers)}" for ticket in blocked]
            return self.finding(Outcome.UNMET, f"{listed(said)}.", settled_by="facts", evidence=evidence)
        untold = [ticket.key for ticket in tickets if ticket.blockers_told is False]
        if self.unblocked and untold:
            return self._untold(facts, f"what blocks {listed(untold)}")
        fine = [ticket.key for ticket in tickets if ticket.status in self.status]
        if not fine:
            return self.finding(Outcome.MET, "No ticket is named, and none has to be.")
        return self.finding(Outcome.MET, f"{listed(fine)} {are(len(fine))} {wanted}.", evidence=evidence)

    def _counts(self, ticket: Ticket) -> bool:
        """Whether it is of the projects and types asked for; one that nobody knows counts by its key."""
        of_type = not self.types or ticket.status is None or ticket.kind in self.types
        return of_type and self._of_project(ticket)

    def _of_project(self, ticket: Ticket) -> bool:
        project = ticket.key.rpartition("-")[0].upper()
        return not self.projects or project in {one.upper() for one in self.projects}

    def _line(self, ticket: Ticket) -> Evidence:
        title = f"{ticket.title}: " if ticket.title else ""
        return Evidence(
            label=ticket.key,
            value=f"{title}{ticket.status or 'no such ticket'}",
            wanted=None if ticket.status in self.status else listed(self.status, "or"),
            link=ticket.link,
        )


def _said(ticket: Ticket) -> str:
    if ticket.status is None:
        return f"{ticket.key} does not exist in the tracker"
    return f"{ticket.key} is {ticket.status}"
