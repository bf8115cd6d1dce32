"""Gathering facts, inspecting, and moving a promotion on as far as its verdict lets it."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from dogana.core.decisions import Decision, Decisions, Shown
from dogana.core.errors import ConflictError
from dogana.core.facts import Facts
from dogana.core.inspect.engine import case_of, inspect
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical, digest_bytes
from dogana.core.rules.base import Case, Outcome
from dogana.core.rules.pace import Pace
from dogana.core.words import listed, sentence
from dogana.service.access import ENGINE, Actor
from dogana.service.backend import Backend
from dogana.service.gathering import Outside, Question, gather, watched
from dogana.service.on_record import Shared, effective, facts_of, policy_in_force, shared
from dogana.service.places import stop_of
from dogana.service.record import record
from dogana.service.sources import note as note_sources
from dogana.store import Session, estate, promotions
from dogana.store.database import announce
from dogana.store.tables import PENDING, PolicyRow, PromotionRow, State
from dogana.store.workplace import FindingChangeRow


@dataclass(frozen=True, kw_only=True)
class Grounds:
    """What one inspection is made from."""

    policy_row: PolicyRow
    policy: Policy
    facts: Facts
    decisions: Decisions

    def sheet(self, at: datetime) -> Sheet:
        """Inspect."""
        return inspect(self.policy, self.facts, self.decisions, at)

    def case(self, sheet: Sheet) -> Case:
        """What the rules were asked about for a sheet."""
        return case_of(self.policy, self.facts, self.decisions, sheet.at)


def with_decision(grounds: Grounds, decision: Decision) -> Grounds:
    """The same grounds with one more word spoken."""
    return replace(grounds, decisions=Decisions(made=(*grounds.decisions.made, decision)))


async def grounds_of(session: Session, promotion: PromotionRow, at: datetime) -> Grounds:
    """Load what a pending promotion was inspected from.

    Raises:
        ConflictError: when it never was.
    """
    return await _grounds(session, promotion, await _facts_inspected(session, promotion), at)


async def _facts_inspected(session: Session, promotion: PromotionRow) -> Facts:
    facts = await facts_kept(session, promotion)
    if facts is None:
        raise ConflictError(f"Promotion {promotion.number} has not been inspected yet.")
    return facts


async def _grounds(session: Session, promotion: PromotionRow, facts: Facts, at: datetime) -> Grounds:
    policy_row = await policy_in_force(session, promotion.environment, at)
    made = [
        Decision.model_validate(
            {
                "action": row.action,
                "person": row.person_id,
                "on_behalf_of": row.on_behalf_of_id,
                "at": row.at,
                "comment": row.comment,
                "rule": row.rule,
                "until": row.until,
                "shown": Shown.model_validate(row.shown),
            }
        )
        for row in await promotions.decisions(session, promotion.number)
    ]
    policy = await effective(session, policy_row, at)
    others = {one.shown.policy for one in made} - {policy.digest}
    earlier = await promotions.documents(session, others)
    return Grounds(
        policy_row=policy_row,
        policy=policy,
        facts=facts,
        decisions=Decisions(made=tuple(made), earlier=earlier),
    )


async def keep_documents(
    session: Session, documents: dict[str, Facts | Decisions | Sheet | Policy]
) -> dict[str, str]:
    """Store documents' canonical texts by their kinds; the digests under which they are, by their kinds."""
    bodies = {kind: canonical(document) for kind, document in documents.items()}
    digests = {kind: digest_bytes(body) for kind, body in bodies.items()}
    await promotions.keep(session, [(digests[kind], kind, body.decode()) for kind, body in bodies.items()])
    return digests


async def refresh(backend: Backend, number: int, common: Shared | None = None) -> None:
    """Read a pending promotion's facts anew, inspect it again, and move it on.

    Args:
        backend: the outside.
        number: which promotion.
        common: what it has in common with others that are inspected now; read where None.
    """
    async with backend.database.transaction() as session:
        row = await promotions.get(session, number)
        if row is None or row.state not in PENDING:
            return
        known = await facts_kept(session, row)
        common = common or await shared(backend, session)
        question = await _question(session, row, common, backend.clock())
    outside = await gather(backend, question, known)
    async with backend.database.transaction() as session:
        row = await promotions.get(session, number, lock=True)
        if row is None or row.state not in PENDING:
            return
        row.facts_read_at = backend.clock()
        await note_sources(session, outside.read)
        first = row.sheet is None
        sheet = await advance(backend, session, row, outside, common)
        beside = first and any(finding.kind == "pace" for finding in sheet.findings)
    if beside:
        # In a transaction of its own: those rows are locked by inspections that wait for locks of this one.
        async with backend.database.transaction() as session:
            await promotions.make_due(
                session, backend.clock(), environment=row.environment_id, service=row.service_id
            )


async def facts_kept(session: Session, row: PromotionRow) -> Facts | None:
    """The facts a promotion was last inspected on; None before it ever was."""
    body = await promotions.document(session, row.facts_digest) if row.facts_digest else None
    return Facts.model_validate_json(body) if body else None


async def _question(session: Session, row: PromotionRow, common: Shared, now: datetime) -> Question:
    here, service = row.environment, row.release.service
    policy = await effective(session, await policy_in_force(session, here, now), now)
    runs_here = await estate.running(session, service.id, here)
    return Question(
        sources=common.sources,
        repository=common.sources.repository(service.repository, tuple(service.paths)),
        base=runs_here.revision if runs_here else None,
        revision=row.release.revision,
        names=f"{row.note} {row.asked_revision}",
        watched=watched(policy, here.id, [one.id for one in stop_of(row).before()]),
        origin_matters=policy.looks_at_origin() or bool((row.route.lets_in or {}).get("branches")),
        signatures_matter=policy.looks_at_signatures(),
    )


async def see_inspected(backend: Backend, number: int) -> None:
    """Inspect a promotion and its bundle now if they were taken in a moment ago, so that one can decide."""
    async with backend.database.transaction() as session:
        row = await promotions.get(session, number)
        together = await promotions.bundled(session, row.bundle_id) if row and row.bundle_id else [row]
    for one in together:
        if one is not None and one.facts_digest is None:
            await refresh(backend, one.number)


async def advance(
    backend: Backend,
    session: Session,
    row: PromotionRow,
    outside: Outside | None = None,
    common: Shared | None = None,
) -> Sheet:
    """Inspect a locked pending promotion now, and clear, hold or depart it as its verdict says.

    The inspection that lets it depart is the one made in the same transaction, from what our own record says
    then.

    Args:
        backend: the outside.
        session: the transaction.
        row: the promotion.
        outside: what the outside systems said; what they said last where None.
        common: what it has in common with others; read where None.
    """
    now = backend.clock()
    with session.no_autoflush:
        await promotions.lock_environment(session, row.environment_id)
        grounds = await _present(backend, session, row, outside, common)
    sheet = grounds.sheet(now)
    if await _superseded(session, row, grounds, sheet):
        return sheet
    before = Sheet.model_validate(row.sheet) if row.sheet else None
    state = row.state
    row.sheet = sheet.plain()
    row.policy_id = grounds.policy_row.id
    soonest = row.facts_read_at + timedelta(seconds=backend.refresh)
    row.due_at = max(now + timedelta(seconds=0.2), min(sheet.next_change() or soonest, soonest))
    if before is None or _differs(before, sheet):
        row.changed_at = now
    if before is not None:
        session.add_all(_changes(row.number, grounds, before, sheet))
    await _move_on(session, row, grounds, sheet, before)
    if row.changed_at == now or row.state != state:
        row.changed_at = now
        await announce(session, "promotion", [row.number])
    await session.flush()
    return sheet


def _changes(number: int, grounds: Grounds, before: Sheet, after: Sheet) -> list[FindingChangeRow]:
    """What the findings were until now, and whose approvals count no longer though nobody took them back."""
    was = {finding.rule: finding for finding in before.findings}
    out = [
        FindingChangeRow(
            promotion=number,
            rule=finding.rule,
            at=after.at,
            was=was[finding.rule].outcome,
            because=was[finding.rule].because,
        )
        for finding in after.findings
        if finding.rule in was and was[finding.rule].outcome is not finding.outcome
    ]
    seated = {seat.taken_by for seat in after.seats()}
    case, given = grounds.case(after), {one.person: one for one in grounds.decisions.approvals()}
    for seat in before.seats():
        approval = given.get(seat.taken_by or "")
        if approval is not None and approval.person not in seated:
            changed = case.changed_since(approval)
            because = f"{listed(changed)} changed" if changed else "it counts no longer than the policy says"
            out.append(
                FindingChangeRow(
                    promotion=number,
                    rule=seat.rule,
                    at=after.at,
                    was=Outcome.MET,
                    because=sentence(because),
                    person_id=approval.person,
                )
            )
    return out


async def _present(
    backend: Backend, session: Session, row: PromotionRow, outside: Outside | None, common: Shared | None
) -> Grounds:
    now = backend.clock()
    if outside is None:
        outside = Outside.known(await _facts_inspected(session, row))
    facts = await facts_of(session, row, outside, common or await shared(backend, session), now)
    if facts.digest != row.facts_digest:
        row.facts_digest = (await keep_documents(session, {"facts": facts}))["facts"]
    return await _grounds(session, row, facts, now)


async def _move_on(
    session: Session, row: PromotionRow, grounds: Grounds, sheet: Sheet, before: Sheet | None
) -> None:
    """Clear, hold again or depart a promotion as its sheet and its bundle say."""
    own = cleared = sheet.verdict is Verdict.CLEARED
    if row.bundle_id is not None:
        others = [one for one in await promotions.bundled(session, row.bundle_id) if one is not row]
        if before is None or cleared != (before.verdict is Verdict.CLEARED):
            for other in others:
                await promotions.postpone(session, other.number, sheet.at)
        cleared = cleared and all(_cleared_by_itself(one) for one in others)
    if row.state == State.WAITING and cleared:
        row.state = State.CLEARED
        await record_on(session, ENGINE, "clear", f"Cleared {what(row)}.", row, grounds, sheet)
    elif row.state == State.CLEARED and not cleared:
        row.state = State.WAITING
        says = f"Held {what(row)} again. {'Another of its bundle is held.' if own else sheet.sentence}"
        await record_on(session, ENGINE, "hold", says, row, grounds, sheet)
    if row.state == State.CLEARED and row.environment.departs == "at once" and row.bundle_id is None:
        occupied = await promotions.moving(session, row.service_id, row.environment_id)
        if occupied is None:
            row.state, row.departed_at = State.MOVING, sheet.at
            await record_on(session, ENGINE, "depart", f"{what(row)} departed.", row, grounds, sheet)


def _cleared_by_itself(row: PromotionRow) -> bool:
    return row.sheet is not None and row.sheet["verdict"] == Verdict.CLEARED


async def _superseded(session: Session, row: PromotionRow, grounds: Grounds, sheet: Sheet) -> bool:
    """End a promotion that a newer one supersedes; its approvals end with it, none is carried over."""
    rules = {rule.id: rule for rule in grounds.policy.rules if isinstance(rule, Pace)}
    barring = [f.rule for f in sheet.findings if f.rule in rules and f.outcome is Outcome.UNMET]
    newer = next((n for rule in barring if (n := rules[rule].superseding(grounds.facts))), None)
    if newer is None:
        return False
    ended = f"superseded by {newer.version}, promotion {newer.number}"
    says = f"{newer.version} superseded {what(row)}."
    await close(
        session, ENGINE, row, State.SUPERSEDED, grounds, sheet, ended=ended, action="supersede", says=says
    )
    return True


async def close(
    session: Session,
    actor: Actor,
    row: PromotionRow,
    state: State,
    grounds: Grounds,
    sheet: Sheet,
    *,
    ended: str,
    action: str,
    says: str,
    reason: str = "",
) -> None:
    """End a promotion before its departure, and with it the others of its bundle; record each."""
    row.ended = sentence(ended)
    row.state, row.closed_at, row.changed_at, row.sheet = state, sheet.at, sheet.at, sheet.plain()
    await record_on(session, actor, action, says, row, grounds, sheet, reason=reason)
    await announce(session, "promotion", [row.number])
    await session.flush()
    if row.bundle_id is None:
        return
    for other in await promotions.bundled(session, row.bundle_id):
        if other.state in PENDING and other.facts_digest is None:
            await close_unseen(
                session, ENGINE, other, sheet.at, f"withdrawn with {what(row)}, of the same bundle"
            )
        elif other.state in PENDING:
            theirs = await grounds_of(session, other, sheet.at)
            await close(
                session,
                ENGINE,
                other,
                State.WITHDRAWN,
                theirs,
                theirs.sheet(sheet.at),
                ended=f"withdrawn with {what(row)}, of the same bundle",
                action="withdraw",
                says=f"Withdrew {what(other)}: {what(row)} of the same bundle was {state}.",
            )


async def close_unseen(session: Session, actor: Actor, row: PromotionRow, at: datetime, ended: str) -> None:
    """Withdraw a promotion that was never inspected: there is nothing it was decided on."""
    row.ended = sentence(ended)
    row.state, row.closed_at, row.changed_at = State.WITHDRAWN, at, at
    await record(session, actor, "withdraw", f"Withdrew {what(row)}: {ended}.", at, promotion=row)
    await announce(session, "promotion", [row.number])


def what(row: PromotionRow) -> str:
    """A promotion in words: `Leak watch 4.2.0 into Live north`."""
    return f"{row.release.service.title} {row.release.version} into {row.environment.title}"


async def record_on(
    session: Session,
    actor: Actor,
    action: str,
    says: str,
    row: PromotionRow,
    grounds: Grounds,
    sheet: Sheet,
    *,
    reason: str = "",
) -> None:
    """Record a decision together with everything it was decided on, each stored under its digest."""
    kept = await keep_documents(
        session, {"decisions": grounds.decisions, "policy": grounds.policy, "sheet": sheet}
    )
    on = {
        "policy": sheet.policy,
        "facts": sheet.facts,
        "decisions": sheet.decisions,
        "sheet": kept["sheet"],
    }
    details = {"verdict": sheet.verdict.value, "state": str(row.state)}
    if action == "clear":
        names = [grounds.facts.name_of(s.taken_by) for s in sheet.seats() if s.taken_by]
        if names:
            details["seats"] = listed(names)
    await record(session, actor, action, says, sheet.at, promotion=row, reason=reason, on=on, details=details)


def _differs(before: Sheet, after: Sheet) -> bool:
    """Whether anything but the passing of time is different."""

    def gist(sheet: Sheet) -> object:
        return (
            sheet.verdict,
            sheet.sentence,
            [(f.rule, f.outcome, f.seats) for f in sheet.findings],
            sheet.shown,
        )

    return gist(before) != gist(after)
