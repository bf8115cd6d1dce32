"""Facts in parts: put together again they are what they were, and nothing can be put in another's place."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import PEOPLE, facts

from dogana.core import parts
from dogana.core.facts import Facts
from dogana.core.record.canonical import canonical, digest, digest_bytes
from dogana.core.time.windows import Calendar
from dogana.core.traffic import Deployment

AT = datetime(2026, 3, 1, 23, 30, tzinfo=UTC)


def departures(*hours: int, name: str = "taps") -> tuple[dict, ...]:
    return tuple(
        {"service": name, "version": f"1.{n}", "departed_at": (AT + timedelta(hours=n)).isoformat()}
        for n in sorted(hours)
    )


some_facts = st.builds(
    lambda runs, hours, names, coming, first: facts(
        runs=runs,
        traffic=departures(*hours),
        people=tuple({"id": n, "name": n.title(), "email": f"{n}@x.example"} for n in sorted(names)),
        next_policies=[
            {"at": AT + timedelta(days=n), "environment": "live", "version": n, "document": "{}"}
            for n in range(1, coming + 1)
        ]
        or None,
        format="dogana.facts/1" if first else "dogana.facts/2",
    ),
    st.dictionaries(st.sampled_from("abc"), st.text(max_size=5), max_size=3),
    st.sets(st.integers(-700, 40), max_size=6),
    st.sets(st.sampled_from(["ilse", "noor", "marco"])),
    st.integers(0, 2),
    st.booleans(),
)


def texts(of: Facts) -> tuple[str, dict[str, str]]:
    return of.divided.index.decode(), {name: body.decode() for name, body in of.divided.parts.items()}


@given(some_facts)
def test_in_parts_and_together_again_they_are_the_same(known):
    """To the byte, under the same digest; and each part is what its digest says."""
    index, bodies = texts(known)
    text = parts.checked(index, bodies)
    assert text == canonical(known).decode()
    again = Facts.model_validate_json(text)
    assert (again, again.digest) == (known, known.digest)
    assert parts.named(index) == bodies.keys()
    assert digest_bytes(index.encode()) == known.digest


@given(some_facts)
def test_the_first_format_is_kept_whole_under_the_digest_it_always_had(known):
    """What was decided on it replays."""
    first = known.model_copy(update={"format": "dogana.facts/1"})
    assert first.digest == digest(first)
    assert texts(first) == (canonical(first).decode(), {})


@given(some_facts, st.data())
def test_a_part_that_is_missing_or_another_is_never_taken_for_it(known, data):
    """Nor is one left out silently."""
    index, bodies = texts(known)
    if not bodies:
        return
    name = data.draw(st.sampled_from(sorted(bodies)))
    lost = {other: body for other, body in bodies.items() if other != name}
    with pytest.raises(parts.MissingPartError, match="not kept"):
        parts.checked(index, lost)
    with pytest.raises(parts.MissingPartError, match="was changed"):
        parts.checked(index, {**bodies, name: bodies[name] + " "})


def test_what_is_read_again_and_says_the_same_makes_no_new_part():
    """A new time stands in the index alone; one more departure makes one more part."""
    first = facts(traffic=departures(-60, -40, -3))
    later = first.model_copy(
        update={
            "change": first.change.model_copy(update={"read_at": AT + timedelta(days=1)}),
            "tickets": first.tickets.model_copy(update={"read_at": AT + timedelta(days=1)}),
        }
    )
    assert later.digest != first.digest
    assert later.divided.parts == first.divided.parts
    more = Facts.model_validate({**first.plain(), "traffic": departures(-60, -40, -3, -1)})
    assert len(more.divided.parts.keys() - first.divided.parts.keys()) == 1


def test_what_an_index_holds_of_a_reading_is_when_and_from_where():
    """And why there is nothing, where there is nothing."""
    unread = facts(tickets={"source": "tracker", "read_at": AT.isoformat(), "unknown": "it is down"})
    said = json.loads(unread.divided.index)
    assert said["tickets"] == {
        "source": "tracker",
        "read_at": "2026-03-01T23:30:00Z",
        "unknown": "it is down",
    }
    assert said["change"]["value"] in unread.divided.parts


MOVED = tuple(Deployment.model_validate(one) for one in departures(-40, -2, 3, 30))


@given(
    st.lists(
        st.tuples(
            st.lists(st.sampled_from(["feasts", "storms"]), max_size=2, unique=True),
            st.permutations([0, 1]),
            st.lists(st.integers(0, 4), max_size=3, unique=True),
            st.sets(st.sampled_from(MOVED)),
            st.permutations(["taps", "pumps"]),
        ),
        min_size=2,
        max_size=6,
    )
)
def test_what_facts_have_in_common_is_none_others(asked):
    """The very objects may stand under another name, in another order, or with fewer beside them."""
    window = {"name": "x", "from": "2026-03-10T10:00", "until": "2026-03-10T18:00"}
    calendars = [
        Calendar.model_validate({"title": title, "zone": "UTC", "windows": [window]}) for title in ("A", "B")
    ]
    for names, order, who, moved, services in asked:
        given = {name: calendars[n] for name, n in zip(names, order, strict=False)}
        known = facts().model_copy(
            update={"calendars": given, "people": tuple(PEOPLE[n] for n in who), "format": "dogana.facts/2"}
            | {"traffic": tuple(one for one in MOVED if one in moved)}
            | {
                name: dict(zip(services, ("1.0", "2.0"), strict=True))
                for name in ("runs", "services", "groups")
            }
        )
        alone = Facts.model_validate_json(canonical(known))
        assert (known.divided.index, known.divided.parts) == (alone.divided.index, alone.divided.parts)
