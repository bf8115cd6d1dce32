"""Findings of a sheet, in words, with what one reader may do about them."""

from collections.abc import Sequence
from datetime import datetime
from typing import Literal

from pydantic import Field

from dogana.core.decisions import Shown
from dogana.core.document import Instant
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.rules.standing import standing_rules
from dogana.core.words import counted, listed, when
from dogana.service.actor import Actor, Right
from dogana.service.landscape.deployers import may_deploy
from dogana.service.landscape.stops import scheduled_departure
from dogana.service.promotions.decisions import an_approval, may_sit, why_no_seat
from dogana.service.promotions.grounds import Grounds
from dogana.service.shapes import Named, View, named
from dogana.service.views.rows import first_start_of
from dogana.store.tables.promotions import PENDING, FindingChangeRow, PromotionRow, State


class WaiverView(View):
    """A waiver of one rule, asked for or granted."""

    asked_by: Named
    asked_at: Instant
    granted_by: Named | None
    reason: str
    until: Instant


class FindingView(View):
    """One finding, as the dossier shows it."""

    rule: str
    kind: str
    title: str
    outcome: Outcome
    because: str
    settled_by: Literal["time", "people", "facts"] | None
    clears_at: Instant | None
    evidence: list[Evidence]
    history: list["Earlier"]
    """What it was before, the earliest first."""
    waivable_by: str | None
    """The group that may grant a waiver of it, by its title; None where it is never waived."""
    waiver: WaiverView | None
    may_ask: bool
    """Whether the viewer may ask for a waiver of it."""
    may_grant: bool
    """Whether the viewer may grant the one asked for."""
    may_revoke: bool
    """Whether the viewer may end it."""
    advisory: bool
    """Whether it is only shown."""
    may_ask_again: str | None
    """The outside check that the viewer may have asked again; None where there is none."""
    asked_since: "RuleOrigin | None"
    """Since when the rule asks for what it does; None where that is not known."""


class RuleOrigin(View):
    """The version of a policy in which a rule first asked for what it does."""

    environment: str
    version: int
    adopted_by: Named
    in_force_from: Instant


class Earlier(View):
    """What a finding was until an instant."""

    outcome: Outcome
    because: str
    until: Instant
    whose: Named | None
    """Whose approval it counted until then; None where the outcome itself changed."""


class ComingPolicy(View):
    """A policy that was adopted to hold from later on, and what it would make of a promotion now."""

    version: int
    baseline: str | None
    """The class of environments whose version it is, by its title; None for the environment's own."""
    at: Instant
    verdict: Verdict
    because: str


class PolicyRef(View):
    """The policy version an inspection used."""

    environment: str
    version: int
    title: str
    digest: str
    baseline: str | None
    """The class of environments it inherits from, by its title."""
    adopted_by: Named | None
    in_force_from: Instant | None
    coming: ComingPolicy | None
    """What holds next, for what still waits."""


class MyPart(View):
    """What the viewer can do here, and what it would bring about."""

    shown: Shown
    may_approve: bool
    why_not: str | None
    sits_for: Named | None
    """Whom the viewer would stand in for."""
    effect: str | None
    """What an approval by the viewer would bring about, in words."""
    comment_needed: bool
    """Whether an approval must say why."""
    by_mail: bool
    """Whether a seat that is open to the viewer may be taken by a link in a mail."""
    may_turn_back: bool
    may_retract: bool
    may_withdraw: bool
    """Whether the viewer may also set its start."""
    may_depart: bool
    may_cancel: bool
    """Whether the viewer may order what moves back."""
    may_declare_urgent: bool
    may_exchange: bool
    """Whether the viewer may put another release in its place."""
    lapsed: "Lapsed | None"


class Lapsed(View):
    """An approval of the viewer that counts no longer."""

    given_at: Instant
    at: Instant
    """Since when it does not count."""
    because: str
    changes: list[str] = Field(default_factory=list)
    """Each single thing that differs from what it was given on."""


def policy_ref(
    grounds: Grounds, names: dict[str, str], baseline: str | None, coming: ComingPolicy | None
) -> PolicyRef:
    """Which policy version an inspection used."""
    row = grounds.policy_row
    adopter = row.adopter_id
    return PolicyRef(
        environment=row.environment_id,
        version=row.version,
        title=grounds.policy.title,
        digest=row.digest,
        baseline=baseline,
        adopted_by=named(adopter, names) if adopter else None,
        in_force_from=row.in_force_from,
        coming=coming,
    )


def my_part(
    row: PromotionRow,
    actor: Actor,
    grounds: Grounds,
    sheet: Sheet,
    changes: Sequence[FindingChangeRow],
) -> MyPart:
    """What somebody can do about a promotion, and what it would bring about."""
    pending = row.state in PENDING
    decides = Right.DECIDE in actor.rights
    mine = [s for s in sheet.seats() if s.taken_by == actor.id]
    given = an_approval(sheet, actor)
    refused = may_sit(grounds, actor) if given.on_behalf_of is None else None
    seated = bool(mine) or any(s.open_to(actor.id) for s in sheet.seats() if s.taken_by is None)
    why_not: str | None = None
    if not pending:
        why_not = f"It waits no longer: it is {row.state}."
    elif not decides:
        why_not = "Only approvers decide on promotions."
    elif mine:
        why_not = f"You have taken the seat of {mine[0].label}."
    elif refused:
        why_not = refused
    elif not seated:
        why_not = why_no_seat(sheet, grounds)
    return MyPart(
        shown=sheet.shown,
        may_approve=why_not is None,
        why_not=why_not,
        sits_for=Named(id=given.on_behalf_of, name=grounds.facts.name_of(given.on_behalf_of))
        if given.on_behalf_of and why_not is None
        else None,
        effect=_effect(row, actor, grounds, sheet) if why_not is None else None,
        comment_needed=any(rule.needs_comment() for rule in grounds.policy.rules),
        by_mail=why_not is None and _by_mail(actor, grounds, sheet),
        may_turn_back=pending and decides and refused is None and seated,
        may_retract=pending and decides and bool(mine),
        may_withdraw=pending
        and (decides or (row.requester_id == actor.id and Right.REQUEST in actor.rights)),
        may_depart=row.state == State.CLEARED and may_deploy(actor, row.environment),
        may_cancel=row.state == State.MOVING and decides,
        may_exchange=pending and row.requester_id == actor.id and Right.REQUEST in actor.rights,
        may_declare_urgent=pending
        and decides
        and row.kind == "ordinary"
        and grounds.policy.declares_urgent in actor.groups,
        lapsed=None if mine else _lapsed(actor, grounds, changes),
    )


def _by_mail(actor: Actor, grounds: Grounds, sheet: Sheet) -> bool:
    lets = {rule.id for rule in grounds.policy.rules if rule.may_be_taken("mail")}
    return any(seat.rule in lets and seat.open_to(actor.id) for seat in sheet.seats())


def _lapsed(actor: Actor, grounds: Grounds, changes: Sequence[FindingChangeRow]) -> Lapsed | None:
    """The viewer's approval that stood once and was not taken back."""
    given = next((one for one in grounds.decisions.approvals() if one.person == actor.id), None)
    last = next((one for one in reversed(changes) if one.person_id == actor.id), None)
    if given is None or last is None or last.at < given.at:
        return None
    return Lapsed(given_at=given.at, at=last.at, because=last.because)


def _effect(row: PromotionRow, actor: Actor, grounds: Grounds, sheet: Sheet) -> str:
    """What an approval by the actor would bring about, found by inspecting as if it had been given."""
    after = grounds.said(an_approval(sheet, actor)).sheet(sheet.at)
    if after.verdict is Verdict.CLEARED:
        return f"Yours is the last word it waits for: it clears and {_goes(row, sheet.at)}."
    vacant = [seat for seat in after.seats() if seat.taken_by is None]
    remains = counted(len(vacant), "seat")
    first = f"After yours {remains} {'remains' if len(vacant) == 1 else 'remain'} open"
    if any(f.settled_by == "facts" and f.holds_it for f in after.findings):
        return f"{first}; a fact still stands in its way."
    start = first_start_of(row, after.forecast)
    if start is None:
        return f"{first}; it stays closed for the next 14 days."
    if start == sheet.at:
        return f"{first}; time allows it now."
    return f"{first}; first start {when(start, grounds.policy.zone)}."


def _goes(row: PromotionRow, now: datetime) -> str:
    at = scheduled_departure(row.environment, now)
    if at is not None:
        return f"{row.environment.title} takes it in {when(at, row.environment.zone)}"
    return "departs at once" if row.environment.departs == "at once" else "its deployer may take it in"


def finding_view(
    finding: Finding,
    row: PromotionRow,
    actor: Actor,
    grounds: Grounds,
    changes: Sequence[FindingChangeRow],
    asked_since: RuleOrigin | None,
) -> FindingView:
    """One finding, with who could settle it and what somebody may do about a waiver of it."""
    facts, waiver = grounds.facts, finding.waiver
    rules = (*grounds.policy.rules, *standing_rules(facts, row.changed_at))
    rule = next((rule for rule in rules if rule.id == finding.rule), None)
    group = rule.waivable if rule else None
    decides = row.state in PENDING and Right.DECIDE in actor.rights
    asks = row.state in PENDING and Right.COMMENT in actor.rights
    return FindingView(
        rule=finding.rule,
        kind=finding.kind,
        may_ask_again=finding.check if asks else None,
        title=finding.title,
        outcome=finding.outcome,
        because=finding.because,
        settled_by=finding.settled_by,
        clears_at=finding.clears_at,
        evidence=[*finding.evidence, *_who_may_sit(finding, facts)],
        history=[
            Earlier(
                outcome=Outcome(change.was),
                because=change.because,
                until=change.at,
                whose=Named(id=change.person_id, name=facts.name_of(change.person_id))
                if change.person_id
                else None,
            )
            for change in changes
            if change.rule == finding.rule
        ],
        waivable_by=facts.groups.get(group, group) if group else None,
        waiver=WaiverView(
            asked_by=Named(id=waiver.asked_by, name=facts.name_of(waiver.asked_by)),
            asked_at=waiver.asked_at,
            granted_by=Named(id=waiver.granted_by, name=facts.name_of(waiver.granted_by))
            if waiver.granted_by
            else None,
            reason=waiver.reason,
            until=waiver.until,
        )
        if waiver
        else None,
        may_ask=decides and group is not None and waiver is None and finding.outcome.stands_in_the_way,
        may_grant=decides and actor.id in finding.may_grant,
        may_revoke=decides and waiver is not None,
        asked_since=asked_since,
        advisory=finding.advisory,
    )


def _who_may_sit(finding: Finding, facts: Facts) -> list[Evidence]:
    """For each kind of seat that is open now, the people who could take it."""
    out: dict[str, str] = {}
    for seat in finding.seats:
        through = [
            f"{facts.name_of(who)} for {facts.name_of(other)}"
            for who, others in seat.through.items()
            for other in others
        ]
        who = [*map(facts.name_of, seat.may_take), *through]
        if seat.taken_by is None and who:
            out[seat.label] = f"open to {listed(who, 'or')}"
    return [Evidence(label=label, value=value) for label, value in out.items()]
