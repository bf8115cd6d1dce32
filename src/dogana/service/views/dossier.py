"""The file of one promotion: its sheet, who may do what, what changed since."""

from dogana.core.change import Author, Change, Origin
from dogana.core.document import Instant
from dogana.core.facts import Artifact, Landing, Reading, Report, Ticket
from dogana.core.policy.document import policy_of
from dogana.core.rollout import AT_ONCE
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.delivery.acceptance import landed_otherwise
from dogana.service.delivery.course import other_bytes
from dogana.service.landscape.stops import skipped
from dogana.service.promotions.grounds import Grounds, decided_on, last_said, present, sheet_of
from dogana.service.promotions.lookup import found_with_facts
from dogana.service.promotions.outside_facts import Outside
from dogana.service.promotions.own_record import recorded, shared
from dogana.service.promotions.refreshing import refresh
from dogana.service.promotions.rescheduling import may_let_go_earlier
from dogana.service.shapes import Named, View, named
from dogana.service.views import presence
from dogana.service.views.changes import Counts, first_lines_of, first_of
from dogana.service.views.changes_since import since_approval
from dogana.service.views.findings import FindingView, MyPart, PolicyRef, finding_view, my_part, policy_ref
from dogana.service.views.going import with_last_words
from dogana.service.views.ledger import EntryView, entry_view
from dogana.service.views.provenance import coming_policy, rule_origins
from dogana.service.views.rows import Row, row_view
from dogana.store import Session, landscape, ledger, promotions, secrets, views
from dogana.store.tables.promotions import PENDING, PromotionRow, State


class FileView(View):
    """The file a report was read from."""

    name: str
    size: int
    digest: str


_MOST_ENTRIES = 500


class OtherBytesView(View):
    """One artifact that landed otherwise than it was cleared."""

    name: str
    cleared: str | None
    """Its digest; None where there was no such artifact."""
    landed: str | None
    """Its digest; None where it did not land."""


class LandedView(View):
    """What landed in the place of what was cleared."""

    digest: str
    """Of all that landed: what one accepts."""
    others: list[OtherBytesView]
    asked_by: Named | None
    """Who asked for these very bytes to be accepted."""
    asked_at: Instant | None
    reason: str
    may_accept: bool
    """Whether the viewer may ask for them to be accepted or, where somebody else has, accept them."""


class Dossier(View):
    """One promotion's whole file."""

    at: Instant
    row: Row
    note: str
    plan: str
    """How it is to go in, in words."""
    repository: str
    change: Reading[Change]
    """Of its commits and files the first hundreds; more are read page by page."""
    counts: Counts
    strangers: list[Author]
    """Who wrote part of it, and has no account here."""
    clearance_live: bool
    """Whether somebody holds a clearance of it that is good."""
    tickets: Reading[tuple[Ticket, ...]]
    origin: Reading[Origin] | None
    evidence: list[Report]
    """Of what it lists the first hundred lines; all of it is in its file."""
    files: dict[str, FileView]
    """The files of the evidence that came as files, by its name."""
    artifacts: list[Artifact]
    leg_before: list[Landing]
    authors: list[Named]
    findings: list[FindingView]
    policy: PolicyRef
    mine: MyPart
    landed: LandedView | None
    """What it is halted for, where something else landed than was cleared."""
    looking: list[Named]
    """Who else has it open."""
    not_before: Instant | None
    """The start that a person set."""
    put_off_by: str | None
    """The approver who set it, by name; None where who asked for the promotion did."""
    may_let_go_earlier: bool
    """Whether the viewer may let it go before that."""
    missing_in: list[str]
    """Where an urgent fix that has landed is still missing, by title."""
    course: list[EntryView]
    """The last entries about it, the first of them first."""
    course_is_whole: bool
    """Whether those are all; the others stand in the ledger."""


async def dossier(backend: Backend, actor: Actor, number: int) -> Dossier:
    """One promotion's whole file; what still waits is inspected as it is read."""
    actor.must(Right.READ)
    while True:
        async with backend.database.transaction() as session:
            promotion = await found_with_facts(session, number)
            if not promotion.unseen:
                return await _dossier(backend, session, actor, promotion)
        for one in promotion.unseen:
            await refresh(backend, one)


async def _dossier(
    backend: Backend, session: Session, actor: Actor, promotion: promotions.WithFacts
) -> Dossier:
    row, number, now = promotion.row, promotion.row.number, backend.clock()
    common = await shared(session, now)
    names = common.names
    if row.state in PENDING:
        known, read = last_said(row, promotion.facts), await recorded(backend, session, [number], common)
        grounds = await present(backend, session, row, known, read)
        sheet = grounds.sheet(now)
    elif row.sheet is None and row.sheet_digest is None:
        at = row.closed_at or now
        unread = Outside.unread(at, "it ended before it was inspected")
        read = await recorded(backend, session, [number], common)
        grounds = await present(backend, session, row, unread, read)
        sheet = grounds.sheet(at)
    else:
        sheet = await sheet_of(session, row)
        grounds = await decided_on(session, row, sheet)
    facts, changes = grounds.facts, await views.finding_changes(session, number)
    origins = await rule_origins(session, grounds, sheet.at, names)
    baseline = await _baseline(session, grounds)
    coming = coming_policy(grounds, now, baseline) if row.state in PENDING else None
    course = await ledger.course(session, number, _MOST_ENTRIES + 1)
    mine = my_part(row, actor, grounds, sheet, changes)
    if mine.lapsed is not None:
        since = await since_approval(session, course, actor, grounds)
        lapsed = mine.lapsed.model_copy(update={"changes": since})
        mine = mine.model_copy(update={"lapsed": lapsed})
    live = await secrets.live_clearance(session, number) if row.state == State.MOVING else None
    brief = row_view(row, actor, names, now, sheet.brief())
    (shown,) = await with_last_words(session, [brief], names, now)
    return Dossier(
        at=now,
        row=shown,
        note=row.note,
        plan=(facts.plan or AT_ONCE).in_words(),
        repository=facts.repository,
        change=first_of(facts.change),
        counts=Counts(
            commits=len(facts.change.value.commits) if facts.change.value else 0,
            files=len(facts.change.value.files) if facts.change.value else 0,
        ),
        strangers=list(facts.strangers),
        clearance_live=live is not None and live.used_at is None,
        tickets=facts.tickets,
        origin=facts.origin,
        evidence=[first_lines_of(one) for one in facts.evidence],
        files=await _files(session, row),
        artifacts=list(facts.artifacts),
        leg_before=list(facts.leg_before),
        authors=[Named(id=p, name=facts.name_of(p)) for p in sorted(facts.author_ids or ())],
        findings=[finding_view(f, row, actor, grounds, changes, origins.get(f.rule)) for f in sheet.findings],
        policy=policy_ref(grounds, names, baseline, coming),
        mine=mine,
        landed=_landed(row, actor, grounds),
        looking=(await presence.lookers(backend, session, actor, [number])).get(number, []),
        not_before=row.not_before,
        put_off_by=named(row.put_off_by_id, names).name if row.put_off_by_id else None,
        may_let_go_earlier=may_let_go_earlier(row, actor, grounds, now),
        missing_in=[one.title for one in await skipped(session, row)] if row.state == State.LANDED else [],
        course=[entry_view(entry, index) for entry, index in course[-_MOST_ENTRIES:]],
        course_is_whole=len(course) <= _MOST_ENTRIES,
    )


def _landed(row: PromotionRow, actor: Actor, grounds: Grounds) -> LandedView | None:
    found = landed_otherwise(row, grounds.decisions)
    if found is None:
        return None
    asked, facts = found.asked, grounds.facts
    return LandedView(
        digest=found.digest,
        others=[
            OtherBytesView.model_validate(one._asdict())
            for one in other_bytes(facts.artifacts, found.artifacts)
        ],
        asked_by=Named(id=asked.person, name=facts.name_of(asked.person)) if asked else None,
        asked_at=asked.at if asked else None,
        reason=asked.comment if asked else "",
        may_accept=Right.DECIDE in actor.rights
        and not grounds.may_have_part(actor.id)
        and (asked is None or asked.person != actor.id),
    )


async def _files(session: Session, row: PromotionRow) -> dict[str, FileView]:
    found = await landscape.report_files(session, row.release.id)
    return {
        name: FileView(name=file.name, size=file.size, digest=file.digest) for name, file in found.items()
    }


async def _baseline(session: Session, grounds: Grounds) -> str | None:
    name = policy_of(grounds.policy_row.document).inherits
    environment = await landscape.environment(session, name) if name else None
    return environment.title if environment else None
