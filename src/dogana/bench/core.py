"""`dogana bench core`: inspection, forecast, "open now?" and matching beside their floors."""

import itertools
import random
import resource
from collections.abc import Callable, Iterator
from datetime import UTC, timedelta
from functools import partial
from typing import Any
from zoneinfo import ZoneInfo

import cel

from dogana.bench.cases import AT, WINDOWS, decisions, freeze, full_facts, full_policy
from dogana.bench.measure import Measured, side_by_side
from dogana.core.change import Change
from dogana.core.document import Document
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect, look_ahead
from dogana.core.people.matching import seat_people
from dogana.core.time.windows import windows_on

_YEAR = timedelta(days=366)
_A_WEEK = timedelta(weeks=1)


def run() -> Iterator[Measured]:
    """Every figure, one after the other."""
    yield from _inspections()
    yield _forecast()
    yield _open_now()
    yield _matching()


def _inspections() -> Iterator[Measured]:
    """One inspection: of facts inspected before, of readings just made, of a change just read; no parsing."""
    policy, facts = full_policy(), full_facts()
    spoken = decisions(policy, facts)
    seconds = itertools.count()
    fields = _thirty_fields()
    programs = [cel.compile(f'number_{n % 9} < 100 && text_{n % 9} != "none"') for n in range(15)]

    def new_readings() -> Facts:
        return Facts.model_construct(**_fields(facts))

    def new_change() -> Facts:
        change = facts.change.value
        anew = Change.model_construct(**_fields(change)) if change else None
        reading = facts.change.model_copy(update={"value": anew})
        return Facts.model_construct(**_fields(facts) | {"change": reading})

    def floor() -> object:
        context = cel.Context(variables=fields)
        return [program.execute(context) for program in programs]

    def inspected(given: Callable[[], Facts]) -> object:
        return inspect(policy, given(), spoken, AT + timedelta(seconds=next(seconds)))

    cases: tuple[tuple[str, Callable[[], Facts], float | None], ...] = (
        ("inspection of known facts", lambda: facts, 8),
        ("inspection of new readings about a known change", new_readings, 20),
        ("inspection of a new change", new_change, None),
    )
    for name, given, limit in cases:
        yield side_by_side(
            name,
            partial(inspected, given),
            floor,
            "15 compiled two-clause expressions, with one context of 30 fields built",
            limit,
        )


def _fields(document: Document) -> dict[str, Any]:
    """What it is made of, without what was worked out of that."""
    return {name: getattr(document, name) for name in type(document).model_fields}


def _thirty_fields() -> dict[str, Any]:
    """What a context holds: texts, numbers, instants, lists and a few records."""
    fields: dict[str, Any] = {f"text_{n}": f"some text of a field, {n}" for n in range(10)}
    fields |= {f"number_{n}": n for n in range(10)}
    fields |= {f"instant_{n}": AT + timedelta(hours=n) for n in range(4)}
    fields |= {f"list_{n}": [f"entry {m}" for m in range(8)] for n in range(3)}
    fields |= {f"records_{n}": [{"name": f"record {m}", "size": m} for m in range(4)] for n in range(3)}
    return fields


def _forecast() -> Measured:
    """A year ahead with 500 windows, of which 100 recur every week."""
    policy, facts = freeze(), full_facts()
    spoken = decisions(policy, facts)
    rome = ZoneInfo("Europe/Rome")
    starts = [window.starting for window in WINDOWS if window.starting is not None]
    six = timedelta(hours=6)

    def floor() -> object:
        out = []
        local = AT.astimezone(rome).replace(tzinfo=None)
        for start in starts:
            at = start + (local - start) // _A_WEEK * _A_WEEK
            while at < local + _YEAR:
                out.append(
                    (
                        at.replace(tzinfo=rome).astimezone(UTC),
                        (at + six).replace(tzinfo=rome).astimezone(UTC),
                    )
                )
                at += _A_WEEK
        return out

    return side_by_side(
        "forecast over 366 days, 500 windows",
        lambda: look_ahead(policy, facts, spoken, AT, horizon=_YEAR),
        floor,
        "a plain expansion of the 100 that recur, with zoneinfo",
        1.5,
        calls=2,
    )


def _open_now() -> Measured:
    """Whether 500 windows are on, each asked and none expanded."""
    zoned = [(window, "Europe/Rome") for window in WINDOWS]
    rome = ZoneInfo("Europe/Rome")
    spans = [
        (
            start.replace(tzinfo=rome).astimezone(UTC),
            (start + timedelta(hours=6)).replace(tzinfo=rome).astimezone(UTC),
        )
        for start in (window.starting or window.from_ for window in WINDOWS)
        if start is not None
    ]
    return side_by_side(
        "open now, 500 windows",
        lambda: windows_on(zoned, AT),
        lambda: [start <= AT < end for start, end in spans],
        "500 comparisons of instants already known",
    )


def _matching() -> Measured:
    """40 seats, 400 people."""
    from scipy.sparse import csr_array  # noqa: PLC0415 - seconds to load, and wanted here alone
    from scipy.sparse.csgraph import maximum_bipartite_matching  # noqa: PLC0415

    made = random.Random(40400)  # noqa: S311 - the same every time
    eligible = {f"p{n}": sorted(made.sample(range(40), made.randrange(1, 6))) for n in range(400)}
    rows = [n for n, seats in enumerate(eligible.values()) for _ in seats]
    columns = [seat for seats in eligible.values() for seat in seats]
    graph = csr_array(([1] * len(rows), (rows, columns)), shape=(400, 40))
    return side_by_side(
        "matching of 400 people to 40 seats",
        lambda: seat_people(eligible),
        lambda: maximum_bipartite_matching(graph, perm_type="column"),
        "one SciPy bipartite matching of that size",
        5,
    )


def memory(inspections: int) -> dict[str, int]:
    """The largest resident size in KiB after a tenth of some inspections and after all of them."""
    policy, facts = full_policy(), full_facts(commits=3, files=5)
    spoken = decisions(policy, facts)
    plain = _fields(facts)
    early = 0
    for n in range(inspections):
        known = Facts.model_construct(**plain | {"version": f"1.{n}.0"})
        inspect(policy, known, spoken, AT + timedelta(seconds=n))
        if n == inspections // 10:
            early = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    late = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return {"inspections": inspections, "after_a_tenth_kib": early, "after_all_kib": late}
