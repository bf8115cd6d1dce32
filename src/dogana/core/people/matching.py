"""Maximum matching of people to seats by augmenting paths (Kuhn 1955, Berge 1957)."""

from collections.abc import Mapping, Sequence


def seat_people(eligible: Mapping[str, Sequence[int]]) -> dict[int, str]:
    """Seat as many people as can sit, each in one seat.

    Args:
        eligible: for each person, in the order in which they spoke, the seats they could take, best first.
            Earlier people keep a seat for good: a later one can move them, never unseat them, and moves
            nobody while a seat is free.

    Returns:
        Who sits in which seat. No assignment fills more seats, and no seat once filled is emptied.
    """
    taken: dict[int, str] = {}
    lost: set[int] = set()

    def moved(person: str, tried: set[int]) -> bool:
        for seat in eligible[person]:
            if seat not in tried:
                tried.add(seat)
                if seat not in taken or moved(taken[seat], tried):
                    taken[seat] = person
                    return True
        return False

    most = len({seat for seats in eligible.values() for seat in seats})
    for person, seats in eligible.items():
        if len(taken) == most:
            break
        for seat in seats:
            if seat not in taken:
                taken[seat] = person
                break
        else:
            tried = set(lost)
            if not moved(person, tried):
                lost = tried  # no later search gets through what a failed one went through
    return taken


def reachable(
    wanted: Sequence[int], taken: Mapping[int, str], eligible: Mapping[str, Sequence[int]]
) -> frozenset[int]:
    """The free seats that would be filled if somebody came who could take some seats, others moving for them.

    Args:
        wanted: the seats the newcomer could take, free or not.
        taken: who sits where.
        eligible: the seats that those who sit could take.
    """
    seen, ahead, free = set(wanted), list(wanted), set()
    while ahead:
        seat = ahead.pop()
        if seat not in taken:
            free.add(seat)
            continue
        further = [other for other in eligible[taken[seat]] if other not in seen]
        seen.update(further)
        ahead += further
    return frozenset(free)
