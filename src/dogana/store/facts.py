"""What our own record says that promotions are inspected on, put together by the database in one statement.

The parts come as JSON under the names that the facts have for them, so that an inspection costs two
statements however many tables it looks at, and all of them are read at one instant. What many that wait for
one environment have in common comes once for all of them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from sqlalchemy import (
    ARRAY,
    BigInteger,
    BindParameter,
    ColumnElement,
    CompoundSelect,
    DateTime,
    Interval,
    Select,
    Text,
    and_,
    any_,
    bindparam,
    case,
    cast,
    false,
    func,
    literal_column,
    null,
    or_,
    select,
    union_all,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by, distinct_on
from sqlalchemy.ext.asyncio import AsyncSession
from sqlalchemy.orm import aliased

from dogana.store import landscape, promotions
from dogana.store.database import from_then
from dogana.store.tables.calendars import CalendarRow
from dogana.store.tables.checks import CheckRow
from dogana.store.tables.exchange import DeliveryRow, SenderRow
from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.landscape import ClosingRow, EnvironmentRow, ReportRow, ServiceRow
from dogana.store.tables.people import GroupRow, MembershipRow, PersonRow, StandInRow
from dogana.store.tables.policies import PolicyRow
from dogana.store.tables.promotions import (
    DecisionRow,
    PromotionRow,
    has_landed,
    is_on_its_way,
)
from dogana.store.tables.sign_offs import SignOffRow
from dogana.store.tables.sources import SourceRow

Query = Select[*tuple[Any, ...]]

Given = BindParameter[Any]
Of = ColumnElement[Any]
"""What is asked about: given, or that of the promotion or the place whose turn it is in the statement."""

_ASKED = aliased(PromotionRow, name="asked")
_PLACE = aliased(EnvironmentRow, name="place")


def _its(column: str) -> Of:
    """A column as text, so that a part finds it however deep it stands, and reads no other table for it."""
    return literal_column(column)


_AT = DateTime(timezone=True)


@dataclass(frozen=True, kw_only=True)
class OnRecord:
    """What the record says of some promotions at an instant, as JSON texts."""

    own: dict[int, str]
    """By promotion, an object of `waiting`, `evidence`, `checks`, `landings` (of the release, by
    environment), `troubles` (of the service, by environment) and `decisions`.
    """
    there: dict[str, str]
    """By environment, an object of `runs` (version by service), `traffic`, `closed_now` and `turns`."""


async def of_promotions(
    session: AsyncSession, numbers: Sequence[int], at: datetime, since: datetime, lately: datetime
) -> OnRecord:
    """What the record says about promotions and where they go.

    Args:
        session: the transaction.
        numbers: which ones; of those that there are not, nothing is said.
        at: when they are inspected.
        since: how far back departures for their environments count.
        lately: since when the turns of their environments are counted.
    """
    alone = len(numbers) == 1
    given = {"asked": numbers[0] if alone else list(numbers), "at": at, "since": since, "lately": lately}
    own: dict[int, str] = {}
    there: dict[str, str] = {}
    for number, environment, text in await session.execute(_of_promotions(alone=alone), given):
        if number is not None:
            own[number] = text
        else:
            there[environment] = text
    return OnRecord(own=own, there=there)


@cache
def _of_promotions(*, alone: bool) -> CompoundSelect[*tuple[Any, ...]]:
    """Put together once: that takes as long as the database does to answer it.

    One alone is compared as it is, so that the plan is kept (`store.database.among`).
    """
    asked: Given = bindparam("asked", type_=BigInteger if alone else ARRAY(BigInteger))
    own = _as_json(
        {
            "waiting": _rows(
                promotions.ends_of_queue(_its("asked.service_id"), _its("asked.environment_id"))
            ),
            "evidence": _rows(_evidence(_its("asked.release_id"))),
            "checks": _rows(_checks(_its("asked.number"))),
            "landings": _rows(_landings(_its("asked.release_id"))),
            "troubles": _rows(_troubles(_its("asked.service_id"))),
            "decisions": _rows(_decisions(_its("asked.number"))),
        }
    )
    here = _its("place.id")
    there = _as_json(
        {
            "runs": _map(landscape.runs(here), "service", "version"),
            "traffic": _rows(_traffic(here, bindparam("since", type_=_AT))),
            "closed_now": _rows(_closed(here, bindparam("at", type_=_AT))),
            "turns": _turns(here, bindparam("lately", type_=_AT)),
        }
    )
    which = _ASKED.number == asked if alone else _ASKED.number == any_(asked)
    goes_to = select(_ASKED.environment_id).where(which)
    return union_all(
        select(_ASKED.number.label("number"), null().label("environment"), own).where(which),
        select(null(), _PLACE.id, there).where(_PLACE.id.in_(goes_to)),
    )


async def turns(session: AsyncSession, environment: str, since: datetime) -> int:
    """How often something was let into an environment, or it was closed, since an instant."""
    given = {"environment": environment, "lately": since}
    return int(await session.scalar(_only_turns(), given) or 0)


@cache
def _only_turns() -> Query:
    return select(_turns(bindparam("environment"), bindparam("lately", type_=_AT)))


async def decisions(session: AsyncSession, promotion: int) -> str:
    """Every word spoken on a promotion, in order, as a JSON array."""
    return str(await session.scalar(_only_decisions(), {"promotion": promotion}))


@cache
def _only_decisions() -> Query:
    return select(cast(_rows(_decisions(bindparam("promotion"))), Text))


async def shared(session: AsyncSession, at: datetime, since: datetime) -> str:
    """What the record says that all promotions have in common, as JSON text.

    Args:
        session: the transaction.
        at: the instant at which calendars are late.
        since: stand-ins that had ended by then are left out.

    Returns:
        An object of `calendars`, `late_calendars`, `stand_ins`, `people`, `groups` and `services` (titles by
        id), and `coming` (the versions of policies that were not seen to be in force yet).
    """
    return str(await session.scalar(_shared(), {"at": at, "since": since}))


@cache
def _shared() -> Query:
    calendars = select(CalendarRow.id.label("name"), CalendarRow.document)
    # Durations stand there as ISO 8601 has them, which the database reads as well.
    given, every = (cast(SourceRow.settings[name].as_string(), Interval) for name in ("good_for", "every"))
    good_for = func.coalesce(given, func.greatest(cast("P1D", Interval), every + every))
    late = (
        select(SourceRow.settings["calendar"].as_string().label("name"), SourceRow.read_at)
        .where(
            SourceRow.kind == "calendar",
            or_(SourceRow.read_at.is_(None), SourceRow.read_at < bindparam("at", type_=_AT) - good_for),
        )
        .order_by(SourceRow.id)
    )
    stand_ins = (
        select(
            StandInRow.person_id.label("person"),
            StandInRow.stands_in_for_id.label("stands_in_for"),
            StandInRow.starts_at.label("start"),
            StandInRow.ends_at.label("end"),
        )
        .join(PersonRow, PersonRow.id == StandInRow.person_id)
        .where(StandInRow.ends_at > bindparam("since", type_=_AT), PersonRow.disabled_at.is_(None))
        .order_by(StandInRow.starts_at, StandInRow.id)
    )
    groups = (
        select(func.array_agg(aggregate_order_by(MembershipRow.group_id, MembershipRow.group_id)))
        # Who is disabled sits for nobody, and is known all the same: they may have written part of a change.
        .where(MembershipRow.person_id == PersonRow.id, PersonRow.disabled_at.is_(None))
        .scalar_subquery()
    )
    people = select(
        PersonRow.id,
        PersonRow.name,
        PersonRow.email,
        PersonRow.other_emails,
        func.coalesce(groups, literal_column("'{}'")).label("groups"),
    ).order_by(PersonRow.id)
    coming = (
        select(
            PolicyRow.environment_id.label("environment"),
            PolicyRow.version,
            PolicyRow.document,
            PolicyRow.in_force_from.label("at"),
        )
        .where(PolicyRow.started.is_(False), PolicyRow.in_force_from.is_not(None))
        .order_by(PolicyRow.in_force_from, PolicyRow.version)
    )
    in_common = _as_json(
        {
            "calendars": _map(calendars, "name", "document"),
            "late_calendars": _rows(late),
            "stand_ins": _rows(stand_ins),
            "people": _rows(people),
            "groups": _map(select(GroupRow.id, GroupRow.title), "id", "title"),
            "services": _map(select(ServiceRow.id, ServiceRow.title), "id", "title"),
            "coming": _rows(coming),
        }
    )
    return select(in_common)


def _traffic(environment: Of, since: Given) -> Query:
    """What departed for an environment since an instant, or is still on its way, the earliest first."""
    return (
        select(
            PromotionRow.service_id.label("service"),
            promotions.VERSION,
            PromotionRow.departed_at,
            PromotionRow.closed_at.label("arrived_at"),
        )
        .where(
            PromotionRow.environment_id == environment,
            or_(from_then(PromotionRow.departed_at, since), is_on_its_way),
        )
        .order_by(PromotionRow.departed_at, PromotionRow.number)
    )


def _turns(environment: Of, since: Given) -> Any:
    """Both only grow, and under the environment's lock alone: who finds as many has missed none."""
    departures = select(func.count()).where(
        PromotionRow.environment_id == environment, PromotionRow.departed_at > since
    )
    closings = select(func.count()).where(ClosingRow.environment_id == environment, ClosingRow.since > since)
    return departures.scalar_subquery() + closings.scalar_subquery()


def _closed(environment: Of, at: Given) -> Query:
    return (
        select(ClosingRow.since, ClosingRow.until, ClosingRow.reason, PersonRow.name.label("by"))
        .join(PersonRow, PersonRow.id == ClosingRow.by_id)
        .where(
            ClosingRow.environment_id == environment, ClosingRow.until > at, ClosingRow.opened_at.is_(None)
        )
        .order_by(ClosingRow.id)
    )


def _evidence(release: Of) -> Query:
    """The latest evidence of each name that came with a release, by when it says that it was made."""
    came_last = func.max(ReportRow.id).over(partition_by=ReportRow.name)
    return (
        select(
            ReportRow.name,
            ReportRow.kind,
            ReportRow.produced_at,
            ReportRow.sent_by.label("by"),
            ReportRow.sender_id.label("sender"),
            ReportRow.made_by.label("maker"),
            ReportRow.unknown,
            func.nullif(came_last > ReportRow.id, false()).label("overtaken"),
            ReportRow.content,
            ReportRow.link,
        )
        .where(ReportRow.release_id == release)
        .ext(distinct_on(ReportRow.name))
        .order_by(ReportRow.name, ReportRow.produced_at.desc(), ReportRow.id.desc())
    )


def _checks(promotion: Of) -> Query:
    """What each outside check was asked last about a promotion, and what came of it."""
    return (
        select(
            CheckRow.name.label("check"),
            SenderRow.title,
            CheckRow.about,
            CheckRow.asked_at,
            DeliveryRow.reason.label("trouble"),
            CheckRow.result,
            CheckRow.reason,
            CheckRow.link,
            CheckRow.until,
            CheckRow.answered_at,
            CheckRow.by_id.label("by"),
        )
        .outerjoin(SenderRow, SenderRow.id == CheckRow.name)
        .outerjoin(
            DeliveryRow,
            and_(DeliveryRow.entry_id == CheckRow.entry_id, DeliveryRow.subscriber_id == CheckRow.name),
        )
        .where(CheckRow.promotion == promotion)
        .ext(distinct_on(CheckRow.name))
        .order_by(CheckRow.name, CheckRow.entry_id.desc())
    )


def _landings(release: Of) -> Query:
    """The last landing of a release in each environment, and when the next one landed there."""
    landed = (
        select(
            PromotionRow.environment_id.label("environment"),
            PromotionRow.service_id,
            PromotionRow.landed_at,
            PromotionRow.landed_artifacts.label("artifacts"),
            case((SignOffRow.issues.is_(None), SignOffRow.said_at)).label("confirmed_at"),
            SignOffRow.issues,
        )
        .outerjoin(SignOffRow, SignOffRow.promotion == PromotionRow.number)
        .where(PromotionRow.release_id == release, has_landed)
        .ext(distinct_on(PromotionRow.environment_id))
        .order_by(PromotionRow.environment_id, PromotionRow.landed_at.desc(), PromotionRow.number.desc())
        .subquery()
    )
    replaced_at = (
        select(func.min(PromotionRow.landed_at))
        .where(
            PromotionRow.service_id == landed.c.service_id,
            PromotionRow.environment_id == landed.c.environment,
            has_landed,
            PromotionRow.landed_at > landed.c.landed_at,
        )
        .scalar_subquery()
    )
    return select(
        landed.c.environment,
        landed.c.landed_at,
        landed.c.artifacts,
        landed.c.confirmed_at,
        landed.c.issues,
        replaced_at.label("replaced_at"),
    )


def _troubles(service: Of) -> Query:
    """Where something is known to go wrong with a service, and when the last that did was over."""
    return (
        select(
            IncidentRow.environment_id.label("environment"),
            func.bool_or(IncidentRow.resolved_at.is_(None)).label("on"),
            func.max(IncidentRow.resolved_at).label("over_at"),
        )
        .where(IncidentRow.service_id == service)
        .group_by(IncidentRow.environment_id)
    )


def _decisions(promotion: Of) -> Query:
    """Every word spoken on a promotion, in order."""
    return (
        select(
            DecisionRow.action,
            DecisionRow.person_id.label("person"),
            DecisionRow.on_behalf_of_id.label("on_behalf_of"),
            DecisionRow.at,
            DecisionRow.comment,
            DecisionRow.rule,
            DecisionRow.until,
            DecisionRow.shown,
        )
        .where(DecisionRow.promotion == promotion)
        .order_by(DecisionRow.id)
    )


def _rows(query: Any) -> Any:
    """The rows of a query in their order, as a JSON array of objects."""
    rows = query.subquery("as_row")
    return (
        select(func.coalesce(func.json_agg(literal_column("as_row")), literal_column("'[]'::json")))
        .select_from(rows)
        .scalar_subquery()
    )


def _map(query: Any, key: str, value: str) -> Any:
    """One column of a query by another, as a JSON object."""
    rows = query.subquery("as_row")
    return (
        select(func.coalesce(func.json_object_agg(rows.c[key], rows.c[value]), literal_column("'{}'::json")))
        .select_from(rows)
        .scalar_subquery()
    )


def _as_json(parts: Mapping[str, Any]) -> Any:
    pairs: list[Any] = []
    for name, part in parts.items():
        pairs += [literal_column(f"'{name}'"), part]
    return cast(func.json_build_object(*pairs), Text)
