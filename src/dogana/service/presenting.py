"""From rows, sheets and grounds to what readers are given."""

import base64
import json
from collections.abc import Mapping, Sequence
from datetime import datetime

from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.rules.findings import Evidence, Finding, Outcome
from dogana.core.rules.standing import standing_rules
from dogana.core.words import counted, listed, when
from dogana.service.access import Actor, Right
from dogana.service.decisions import an_approval, may_sit, why_no_seat
from dogana.service.deployers import may_deploy
from dogana.service.grounds import Grounds
from dogana.service.places import taken_in_at
from dogana.service.rows import first_start_of, named
from dogana.service.views import (
    CheckpointView,
    ClosingView,
    Earlier,
    EntryView,
    FindingView,
    Lapsed,
    MyPart,
    Named,
    PolicyRef,
    Question,
    RuleOrigin,
    WaiverView,
)
from dogana.store.tables import (
    PENDING,
    CheckpointRow,
    ClosingRow,
    EntryRow,
    PromotionRow,
    State,
)
from dogana.store.workplace import FindingChangeRow


def policy_ref(grounds: Grounds, names: dict[str, str], baseline: str | None) -> PolicyRef:
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
        may_turn_back=pending and decides and refused is None and seated,
        may_retract=pending and decides and bool(mine),
        may_withdraw=pending
        and (decides or (row.requester_id == actor.id and Right.REQUEST in actor.rights)),
        may_depart=row.state == State.CLEARED and may_deploy(actor, row.environment),
        may_accept=row.state == State.HALTED and row.landed_artifacts is not None and decides,
        may_cancel=row.state == State.MOVING and decides,
        may_exchange=pending and row.requester_id == actor.id and Right.REQUEST in actor.rights,
        may_declare_urgent=pending
        and decides
        and row.kind == "ordinary"
        and grounds.policy.declares_urgent in actor.groups,
        lapsed=None if mine else _lapsed(actor, grounds, changes),
    )


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
    start = first_start_of(row, after)
    if start is None:
        return f"{first}; it stays closed for the next 14 days."
    if start == sheet.at:
        return f"{first}; time allows it now."
    return f"{first}; first start {when(start, grounds.policy.zone)}."


def _goes(row: PromotionRow, now: datetime) -> str:
    at = taken_in_at(row.environment, now)
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
    return FindingView(
        rule=finding.rule,
        kind=finding.kind,
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


def entry_view(row: EntryRow, place: int | None) -> EntryView:
    """One entry of the ledger."""
    body = json.loads(row.body)
    return EntryView(
        id=row.id,
        place=place,
        at=row.at,
        action=row.action,
        actor=Named(id=body["actor"]["id"], name=body["actor"]["name"]),
        way=body["actor"]["way"],
        says=body["says"],
        reason=body.get("reason", ""),
        promotion=row.promotion,
        environment=row.environment_id,
        service=row.service_id,
        version=body.get("version"),
        on=body.get("on", {}),
        details=body.get("details", {}),
    )


def question_view(row: EntryRow) -> Question:
    """A comment that names somebody, as they see it on their Desk."""
    entry = entry_view(row, None)
    if row.promotion is None:
        raise TypeError("comments are on promotions")
    return Question(promotion=row.promotion, by=entry.actor, text=entry.reason)


def checkpoint_view(row: CheckpointRow) -> CheckpointView:
    """The ledger as last signed."""
    lines = row.note.split("\n")
    return CheckpointView(
        size=row.size,
        root=base64.b64decode(lines[2]).hex(),
        signed_at=datetime.fromisoformat(lines[3]),
        note=row.note,
    )


def closing_view(row: ClosingRow, names: Mapping[str, str]) -> ClosingView:
    """An environment closed at once."""
    asked = row.opening_asked_by_id
    return ClosingView(
        id=row.id,
        environment=row.environment_id,
        since=row.since,
        until=row.until,
        reason=row.reason,
        by=named(row.by_id, names),
        opening_asked_by=named(asked, names) if asked else None,
        opened_at=row.opened_at,
    )
