"""Maximum matching of people to seats by augmenting paths (Kuhn 1955, Berge 1957)."""

from collections.abc import Mapping, Sequence


def seat_people(eligible: Mapping[str, Sequence[int]]) -> dict[int, str]:
    """Seat as many people as can sit, each in one seat.

    Args:
        eligible: for each person, in the order in which they spoke, the seats they could take, best first.
            Earlier people keep a seat for good: a later one can move them, never unseat them.

    Returns:
        Who sits in which seat. No assignment fills more seats.
    """
    taken: dict[int, str] = {}
    lost: set[int] = set()

    def find(person: str, tried: set[int]) -> bool:
        for seat in eligible[person]:
            if seat in tried or seat in lost:
                continue
            tried.add(seat)
            if seat not in taken or find(taken[seat], tried):
                taken[seat] = person
                return True
        return False

    for person in eligible:
        tried: set[int] = set()
        if not find(person, tried):
            lost |= tried  # no later search gets through what a failed one went through
    return taken
