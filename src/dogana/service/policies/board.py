"""The policy board: every rule of every environment beside each other, drafts, and what they would change."""

import asyncio
from collections.abc import Mapping, Sequence
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import NotFoundError
from dogana.core.policy.comparison import compared
from dogana.core.policy.difference import differences
from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.inheritance import inherited
from dogana.core.policy.text import text_of
from dogana.core.record.canonical import canonical
from dogana.core.rules.registry import HEADINGS
from dogana.core.strictness import Order
from dogana.core.words import lasting, spoken
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.policies.in_force import in_force_of_each, next_of
from dogana.service.shapes import Named, View
from dogana.store import Session, landscape, people, policies
from dogana.store.tables.landscape import EnvironmentRow, RouteRow
from dogana.store.tables.policies import PolicyRow

_COMPARED_HERE = 8000
"""How many bytes two policies may take together to be held beside each other at once."""


class CellRule(View):
    """One rule in a cell."""

    id: str
    title: str
    setting: str
    baseline: bool
    """Whether it comes from the baseline."""


class Cell(View):
    """What one environment asks for in rules of one kind."""

    environment: str
    rules: list[CellRule]
    laxer: list[str]
    """Where it asks for less than the leg before, in words."""


class BoardRow(View):
    """One kind of rule across the environments."""

    kind: str
    name: str
    cells: list[Cell]


class BoardColumn(View):
    """One environment, or a class of them."""

    environment: Named
    zone: str
    """Its clock, by which its policy's times are told."""
    version: int | None
    adopted_by: str | None
    in_force_from: Instant | None
    baseline: Named | None
    """The class of environments whose policy it adds to."""
    signs_off: str | None
    """Who says how it is, once something has landed there, and within what time; in words."""
    draft: int | None
    """A later version that waits to be adopted."""
    draft_by: Named | None
    coming: int | None
    """The next version that is adopted already, and comes into force by itself."""
    coming_at: Instant | None
    source: str
    """The document as YAML, to write a new version from."""
    draft_source: str | None


class Board(View):
    """Rules down, environments across in the order of the route, classes of environments last."""

    columns: list[BoardColumn]
    rows: list[BoardRow]


async def board(backend: Backend, actor: Actor) -> Board:
    """Every policy in force, beside each other."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        names = await people.names(session)
        in_force = await policies.in_force_everywhere(session, now)
        held = in_force_of_each(in_force)
        environments, before = in_order(await landscape.routes(session))
        classes = [one for one in await landscape.classes(session) if one.id not in before]
        latest = await policies.latest_everywhere(session)
        coming = next_of(await policies.coming(session, now))
        shown = [*environments, *classes]
        titles = {one.id: one.title for one in shown}
        columns = [
            _column(
                one,
                in_force.get(one.id),
                latest.get(one.id),
                coming.get(one.id),
                titles,
                names,
                _signs_off(held.get(one.id)),
            )
            for one in shown
        ]
    own = {name: policy_of(row.document) for name, row in in_force.items()}
    in_order_ = [(one.id, held.get(one.id), held.get(before.get(one.id) or "")) for one in shown]
    return Board(columns=columns, rows=await asyncio.to_thread(_board_rows, in_order_, own))


def _board_rows(
    environments: Sequence[tuple[str, Policy | None, Policy | None]], own: Mapping[str, Policy]
) -> list[BoardRow]:
    """The kinds of rules by environment; each comes with its policy and that of the leg before."""
    laxer = {name: _laxer(earlier, policy) for name, policy, earlier in environments}
    rows = []
    for kind, title in HEADINGS.items():
        cells = [
            Cell(
                environment=name,
                rules=[
                    CellRule(
                        id=rule.id,
                        title=rule.title,
                        setting=rule.summary(),
                        baseline=all(rule.id != mine.id for mine in own[name].rules),
                    )
                    for rule in (policy.rules if policy else ())
                    if rule.kind == kind
                ],
                laxer=laxer[name].get(kind, []),
            )
            for name, policy, _ in environments
        ]
        if any(cell.rules for cell in cells):
            rows.append(BoardRow(kind=kind, name=title, cells=cells))
    return rows


async def compare(backend: Backend, old: Policy | None, new: Policy) -> tuple[Order, list[str]]:
    """How strict one is beside the other, and in what they differ; long ones beside the event loop."""
    if old is None:
        return Order.STRICTER, []
    if sum(len(canonical(one)) for one in (old, new)) <= _COMPARED_HERE:
        return compare_here(old, new)
    return await backend.pool.run(compare_here, old, new)


def compare_here(old: Policy, new: Policy) -> tuple[Order, list[str]]:
    """How strict the second of two policies is beside the first, and in what it differs."""
    return compared(old, new).order, differences(old, new)


async def in_full(session: Session, policy: Policy, now: datetime) -> Policy:
    """A document with what its baseline in force asks for."""
    if policy.inherits is None:
        return policy
    baseline = await policies.in_force(session, policy.inherits, now)
    return inherited(policy_of(baseline.document), policy) if baseline else policy


def in_order(routes: list[RouteRow]) -> tuple[list[EnvironmentRow], dict[str, str | None]]:
    """Environments in the order of the standard routes, and for each the one it is held against."""
    environments: list[EnvironmentRow] = []
    before: dict[str, str | None] = {}
    for route in sorted(routes, key=lambda one: (one.lets_in is not None, one.id)):
        for leg in route.legs:
            if leg.environment_id in before:
                continue
            earlier = [one for one in route.legs if one.position == leg.position - 1]
            before[leg.environment_id] = earlier[0].environment_id if earlier else None
            environments.append(leg.environment)
    return environments, before


def _laxer(before: Policy | None, policy: Policy | None) -> dict[str, list[str]]:
    """In what a policy asks for less than another, by kind of rule."""
    out: dict[str, list[str]] = {}
    if before is not None and policy is not None:
        for line in compared(before, policy).rules:
            if line.order is Order.LAXER:
                out.setdefault(line.kind, []).append(line.says.replace(f" ({Order.LAXER})", ""))
    return out


def _signs_off(policy: Policy | None) -> str | None:
    asked = policy.sign_off if policy is not None else None
    return f"{spoken(asked.group)} sign off within {lasting(asked.within)}" if asked is not None else None


def _column(
    environment: EnvironmentRow,
    row: PolicyRow | None,
    latest: PolicyRow | None,
    coming: PolicyRow | None,
    titles: Mapping[str, str],
    names: Mapping[str, str],
    signs_off: str | None,
) -> BoardColumn:
    draft = latest if latest is not None and latest.in_force_from is None else None
    document = policy_of(row.document) if row else None
    baseline = document.inherits if document else None
    return BoardColumn(
        environment=Named(id=environment.id, name=environment.title),
        zone=environment.zone,
        version=row.version if row else None,
        adopted_by=names.get(row.adopter_id or "") if row else None,
        in_force_from=row.in_force_from if row else None,
        baseline=Named(id=baseline, name=titles.get(baseline, baseline)) if baseline else None,
        signs_off=signs_off,
        draft=draft.version if draft else None,
        coming=coming.version if coming is not None else None,
        coming_at=coming.in_force_from if coming is not None else None,
        draft_by=Named(id=draft.author_id, name=names[draft.author_id]) if draft else None,
        source=_source(row) if row else "",
        draft_source=_source(draft) if draft else None,
    )


def _source(row: PolicyRow) -> str:
    """As its author wrote it, comments and order too; made from the document where it came as values."""
    return row.written or source_of(policy_of(row.document))


def source_of(policy: Policy) -> str:
    """A policy as people write it: YAML, without what is left at its default."""
    plain = policy.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    first = ("id", "kind", "title")
    rules = [
        {key: rule[key] for key in sorted(rule, key=lambda k: first.index(k) if k in first else 9)}
        for rule in plain.pop("rules", [])
    ]
    return text_of({**plain, "rules": rules})


class Changes(View):
    """What one version of a policy changed against another."""

    version: int
    since: int | None
    order: Order
    differences: list[str]


async def changes(
    backend: Backend, actor: Actor, environment: str, version: int, since: int | None
) -> Changes:
    """What a version changed against an earlier one; against the one before it where none is named.

    Raises:
        NotFoundError: when there is no such version.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await policies.version(session, environment, version)
        before = since if since is not None else version - 1
        old = await policies.version(session, environment, before)
    if row is None or (old is None and before > 0):
        raise NotFoundError(f"There is no version {version if row is None else before} of that policy.")
    new = policy_of(row.document)
    if old is None:
        return Changes(version=version, since=None, order=Order.STRICTER, differences=["The first version."])
    order, differs = await compare(backend, policy_of(old.document), new)
    return Changes(version=version, since=before, order=order, differences=differs)
