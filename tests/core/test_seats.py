"""Seats against a judge that tries every assignment."""

from hypothesis import given
from hypothesis import strategies as st

from dogana.core.people.matching import seat_people

people = st.dictionaries(
    st.sampled_from("abcdef"), st.lists(st.integers(0, 4), unique=True, max_size=5), max_size=6
)


def fullest(eligible: dict[str, list[int]], taken: frozenset[int] = frozenset()) -> int:
    """The most people any assignment seats, by trying all."""
    if not eligible:
        return 0
    (_, seats), *rest = eligible.items()
    others = dict(rest)
    skipped = fullest(others, taken)
    return max([skipped, *(1 + fullest(others, taken | {s}) for s in seats if s not in taken)])


@given(people)
def test_no_assignment_seats_more_people(eligible):
    """Nobody keeps a seat from the only person left for it, and each person sits once, where they may."""
    taken = seat_people(eligible)
    assert len(taken) == fullest(eligible)
    assert len(set(taken.values())) == len(taken)
    assert all(seat in eligible[person] for seat, person in taken.items())


@given(people, st.sampled_from("xyz"), st.lists(st.integers(0, 4), unique=True, max_size=5))
def test_a_later_word_never_unseats_an_earlier_one(eligible, newcomer, seats):
    """Somebody may be moved to another seat, never out."""
    before = set(seat_people(eligible).values())
    assert before <= set(seat_people({**eligible, newcomer: seats}).values())
