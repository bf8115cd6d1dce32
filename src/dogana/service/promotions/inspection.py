"""Inspecting, and moving a promotion on as far as its verdict lets it."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import Policy
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical, digest_bytes
from dogana.core.rules.findings import Outcome
from dogana.core.traffic import Queued
from dogana.core.words import listed, sentence
from dogana.service.actor import ENGINE, Actor
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.promotions.asking import checks_due
from dogana.service.promotions.going_in import begin
from dogana.service.promotions.grounds import Grounds, kept, present
from dogana.service.promotions.lookup import what
from dogana.service.promotions.outside_facts import Outside
from dogana.store import Session, documents, facts, promotions, schedule
from dogana.store.database import announce
from dogana.store.tables.promotions import PENDING, FindingChangeRow, PromotionRow, State


@dataclass(frozen=True, kw_only=True)
class Held:
    """A pending promotion that is locked, and what its inspection says now."""

    backend: Backend
    session: Session
    row: PromotionRow
    grounds: Grounds
    sheet: Sheet

    async def said(self, decision: Decision) -> "Held":
        """The same with one more word spoken, which is not written yet."""
        grounds = self.grounds.said(decision)
        return await replace(self, grounds=grounds, sheet=grounds.sheet(self.sheet.at)).in_turn()

    async def anew(self) -> "Held":
        """The same once something about it has changed."""
        return await hold(self.backend, self.session, self.row, Outside.known(self.grounds.facts))

    async def in_turn(self) -> "Held":
        """The same, with nothing else departing for its environment until the transaction ends, if it would.

        Two that go at once would each not see the other, and a limit for one would let in both. Whatever an
        inspection has to write is written after this, so that nobody waits here for who waits for them.
        """
        goes = self.sheet.verdict is Verdict.CLEARED and _goes_at_once(self.row)
        seen, here = self.grounds.turns, self.row.environment_id
        if not goes or seen is None:
            return self
        with self.session.no_autoflush:
            await promotions.lock_environment(self.session, here)
            if await facts.turns(self.session, here, seen.since) == seen.count:
                return self
            # Another had it since our record was read.
            read = await present(self.backend, self.session, self.row, Outside.known(self.grounds.facts))
        # The policy may be another as well.
        grounds = replace(read, decisions=self.grounds.under(read.policy).decisions)
        return replace(self, grounds=grounds, sheet=grounds.sheet(self.backend.clock()))


async def hold(backend: Backend, session: Session, row: PromotionRow, outside: Outside) -> Held:
    """Inspect a locked pending promotion now, from what our own record says in this transaction.

    Args:
        backend: the clock.
        session: the transaction, in which nothing was written yet that others may wait for.
        row: the promotion.
        outside: what the outside systems said.
    """
    return await (await hold_to_end(backend, session, row, outside)).in_turn()


async def hold_to_end(backend: Backend, session: Session, row: PromotionRow, outside: Outside) -> Held:
    """The same of one that does not depart, whatever the inspection says, but ends."""
    # Questions asked half way must not write what is half changed.
    with session.no_autoflush:
        return held_on(backend, session, row, await present(backend, session, row, outside))


def held_on(backend: Backend, session: Session, row: PromotionRow, grounds: Grounds) -> Held:
    """Inspect a locked pending promotion on grounds."""
    sheet = grounds.sheet(backend.clock())
    return Held(backend=backend, session=session, row=row, grounds=grounds, sheet=sheet)


async def _keep_facts(held: Held) -> None:
    """Keep with a promotion what it was inspected on."""
    row, divided = held.row, held.grounds.facts.divided
    if divided.digest == row.facts_digest:
        return
    had = await promotions.facts_parts(held.session, row)
    new = {digest: body.decode() for digest, body in divided.parts.items() if digest not in had}
    await documents.keep_parts(held.session, new, held.backend.clock())
    row.facts, row.facts_parts = divided.index.decode(), sorted(divided.parts)
    row.facts_digest = divided.digest
    change = held.grounds.facts.change.value
    if change is not None and change.digest not in had:
        row.ticket_keys = list(change.ticket_keys)


def _as_kept(
    some: dict[str, Facts | Decisions | Sheet | Policy],
) -> tuple[dict[str, str], list[tuple[str, str, str]]]:
    """Documents by their kinds: their digests, and what is to be stored of them, facts in their parts."""
    bodies: dict[str, bytes] = {}
    parts: dict[str, bytes] = {}
    for kind, document in some.items():
        if isinstance(document, Facts):
            bodies[kind] = document.divided.index
            parts |= document.divided.parts
        else:
            bodies[kind] = canonical(document)
    digests = {kind: digest_bytes(body) for kind, body in bodies.items()}
    rows = [(digests[kind], kind, body.decode()) for kind, body in bodies.items()]
    return digests, rows + [(digest, "part", body.decode()) for digest, body in parts.items()]


async def settle(held: Held, *, read_anew: bool = False) -> Sheet:
    """Write down what an inspection says, and clear, hold or depart the promotion accordingly.

    The inspection that lets it depart is made from what our own record says in its environment's turn.

    Args:
        held: the promotion and its inspection.
        read_anew: whether others were asked anew for it. Only then it is not due any more if it was.
    """
    session, row, grounds, sheet = held.session, held.row, held.grounds, held.sheet
    now = sheet.at
    await _keep_facts(held)
    if await _superseded(held):
        return sheet
    before = Sheet.model_validate(row.sheet) if row.sheet else None
    state = row.state
    row.sheet, row.brief = sheet.plain(), sheet.brief().plain()
    row.policy_id = grounds.policy_row.id
    soonest = row.facts_read_at + timedelta(seconds=held.backend.refresh)
    # Never at once: at the very instant of a change, what changes then lies ahead of it again and again.
    due_at = max(now + timedelta(seconds=0.2), min(sheet.next_change() or soonest, soonest))
    row.inspect_at = due_at if read_anew else min(row.inspect_at, due_at)
    if before is None or _differs(before, sheet):
        row.changed_at = now
    if before is not None:
        session.add_all(_changes(row.number, grounds, before, sheet))
    await _move_on(held, before)
    if row.changed_at == now or row.state != state:
        row.changed_at = row.tell_at = now
        announce(session, "promotion", [row.number])
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


async def _move_on(held: Held, before: Sheet | None) -> None:
    """Clear, hold again or depart a promotion as its sheet and its bundle say."""
    session, row, sheet = held.session, held.row, held.sheet
    own = cleared = sheet.verdict is Verdict.CLEARED
    if row.bundle_id is not None:
        others = [one for one in await promotions.bundled(session, row.bundle_id) if one is not row]
        if before is None or cleared != (before.verdict is Verdict.CLEARED):
            for other in others:
                await schedule.inspect_next_at(session, other.number, sheet.at)
        cleared = cleared and all(_cleared_by_itself(one) for one in others)
    if row.state == State.WAITING and cleared:
        row.state = State.CLEARED
        await record_on(held, ENGINE, Action.CLEAR, f"Cleared {what(row)}.")
    elif row.state == State.CLEARED and not cleared:
        row.state = State.WAITING
        says = f"Held {what(row)} again. {'Another of its bundle is held.' if own else sheet.sentence}"
        await record_on(held, ENGINE, Action.HOLD, says)
    if row.state == State.CLEARED and _goes_at_once(row):
        grounds = held.grounds
        traffic = grounds.facts.traffic
        # Of one service two never move into one place at once: the later goes when the first has come in.
        if not any(one.service == row.service_id and one.arrived_at is None for one in traffic):
            row.state, row.departed_at = State.MOVING, sheet.at
            await record_on(held, ENGINE, Action.DEPART, f"{what(row)} departed.")
            await begin(session, row, grounds)


def _goes_at_once(row: PromotionRow) -> bool:
    return row.environment.departs == "at once" and row.bundle_id is None


def _cleared_by_itself(row: PromotionRow) -> bool:
    return row.brief is not None and row.brief["verdict"] == Verdict.CLEARED


async def _superseded(held: Held) -> bool:
    """End a promotion that a newer one supersedes; its approvals end with it, none is carried over."""
    newer = _newer(held)
    if newer is None:
        return False
    ended = f"superseded by {newer.version}, promotion {newer.number}"
    says = f"{newer.version} superseded {what(held.row)}."
    await close(held, ENGINE, State.SUPERSEDED, ended=ended, action=Action.SUPERSEDE, says=says)
    return True


def _newer(held: Held) -> Queued | None:
    """The newer one for which a rule ends it."""
    unmet = {finding.rule for finding in held.sheet.findings if finding.outcome is Outcome.UNMET}
    barring = [rule for rule in held.grounds.policy.rules if rule.id in unmet]
    return next((newer for rule in barring if (newer := rule.superseding(held.grounds.facts))), None)


async def close(
    held: Held, actor: Actor, state: State, *, ended: str, action: Action, says: str, reason: str = ""
) -> None:
    """End a promotion before its departure, and with it the others of its bundle; record each."""
    session, row, at = held.session, held.row, held.sheet.at
    row.ended = sentence(ended)
    row.state, row.closed_at, row.changed_at, row.tell_at = state, at, at, at
    row.sheet = row.brief = None
    await record_on(held, actor, action, says, reason=reason)
    announce(session, "promotion", [row.number])
    await session.flush()
    if row.bundle_id is None:
        return
    together = f"{what(row)}, of the same bundle"
    for other in await promotions.bundled(session, row.bundle_id):
        if other.state in PENDING and other.facts_digest is None:
            close_unseen(session, ENGINE, other, at, f"withdrawn with {together}")
        elif other.state in PENDING:
            theirs = await kept(session, other, at)
            await close(
                replace(held, row=other, grounds=theirs, sheet=theirs.sheet(at)),
                ENGINE,
                State.WITHDRAWN,
                ended=f"withdrawn with {together}",
                action=Action.WITHDRAW,
                says=f"Withdrew {what(other)}: {what(row)} of the same bundle was {state}.",
            )


def close_unseen(session: Session, actor: Actor, row: PromotionRow, at: datetime, ended: str) -> None:
    """Withdraw a promotion that was never inspected: there is nothing it was decided on."""
    row.ended = sentence(ended)
    row.state, row.closed_at, row.changed_at = State.WITHDRAWN, at, at
    record(session, actor, Action.WITHDRAW, f"Withdrew {what(row)}: {ended}.", at, promotion=row)
    announce(session, "promotion", [row.number])


async def record_on(held: Held, actor: Actor, action: Action, says: str, *, reason: str = "") -> None:
    """Record a decision together with everything it was decided on, each stored under its digest."""
    await _keep_facts(held)
    sheet, row = held.sheet, held.row
    grounds = held.grounds
    digests, rows = _as_kept(
        {"facts": grounds.facts, "decisions": grounds.decisions, "policy": grounds.policy, "sheet": sheet}
    )
    # Of what is over, the documents are read by their digests; the row need not hold them a second time.
    if row.state not in PENDING:
        row.sheet_digest, row.facts, row.facts_parts = digests["sheet"], None, None
    await documents.keep(held.session, rows)
    on = {
        "policy": sheet.policy,
        "facts": sheet.facts,
        "decisions": sheet.decisions,
        "sheet": digests["sheet"],
    }
    details = {"verdict": sheet.verdict.value, "state": str(row.state)}
    if action is Action.CLEAR:
        names = [held.grounds.facts.name_of(s.taken_by) for s in sheet.seats() if s.taken_by]
        if names:
            details["seats"] = listed(names)
    record(held.session, actor, action, says, sheet.at, promotion=row, reason=reason, on=on, details=details)


def nothing_new(held: Held) -> bool:
    """Whether an inspection of what was inspected before finds all as it was, so that nothing follows."""
    row, grounds, sheet = held.row, held.grounds, held.sheet
    if row.sheet is None:
        return False
    cleared = sheet.verdict is Verdict.CLEARED
    return not (
        _differs(Sheet.model_validate(row.sheet), sheet)
        or set(grounds.facts.divided.parts) != set(row.facts_parts or ())
        or cleared != (row.state == State.CLEARED)
        or (cleared and _goes_at_once(row))
        or checks_due(grounds, sheet)
        or _newer(held) is not None
    )


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
