"""Who wrote a change, by whatever address, against a plain reading of the same."""

from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import AT, facts, policy, reading, words

from dogana.core.change import Author, Change, Commit
from dogana.core.facts import Person
from dogana.core.inspect.engine import inspect

NAMES = ("ann", "bo", "cy", "dee", "eve")
SEAT = {"kind": "reviewers", "seats": [{"group": "desk"}]}
DRESSED = (str, str.upper, str.title, lambda address: f"  {address}\t", lambda address: f"{address.upper()} ")


def addresses(name: str) -> tuple[str, ...]:
    """By which somebody writes: at work, at home, long ago."""
    return tuple(f"{name}@{at}.example" for at in ("work", "home", "old"))


@st.composite
def everybody(draw):
    """People with one address or several, none shared, each written in its own way."""
    out = []
    for name in NAMES:
        first, *others = [draw(st.sampled_from(DRESSED))(one) for one in addresses(name)]
        kept = draw(st.integers(0, 2))
        given = {"id": name, "name": name.title(), "email": first, "other_emails": tuple(others[:kept])}
        out.append(Person.model_validate(given | {"groups": ("desk",)}))
    return tuple(out)


writers = st.builds(
    lambda name, which, dress: (name, which, dress(addresses(name)[which])),
    st.sampled_from([*NAMES, "moss", "fern"]),
    st.integers(0, 2),
    st.sampled_from(DRESSED),
)
commits = st.lists(
    st.tuples(writers, st.lists(writers, max_size=2), st.lists(writers, max_size=2)), max_size=4
)


def change_of(written) -> dict:
    made = tuple(
        Commit(
            revision=f"c{n}",
            author=by[0].title(),
            author_email=by[2],
            subject="Work",
            at=AT,
            co_authors=tuple(Author(name=one[0].title(), email=one[2]) for one in also),
            reviewed_by=tuple(one[2] for one in read),
        )
        for n, (by, also, read) in enumerate(written)
    )
    change = Change(revision="c", commits=made, files=(), ticket_keys=("CW-1",))
    return reading(change).model_dump()


def known_by(person: Person, which: int) -> bool:
    return which == 0 or which <= len(person.other_emails)


@given(everybody(), commits)
def test_authors_are_all_who_wrote_any_of_it(people, written):
    """However an address is written; who has no account is a stranger, each named once."""
    found = facts(people=people, change=change_of(written))
    wrote = {(name, which) for by, also, _ in written for name, which, _ in (by, *also)}
    by_id = {one.id: one for one in people}
    ours = {name for name, which in wrote if name in by_id and known_by(by_id[name], which)}
    others = {
        addresses(name)[which]
        for name, which in wrote
        if name not in by_id or not known_by(by_id[name], which)
    }
    assert found.author_ids == ours
    assert sorted(one.email.strip().lower() for one in found.strangers) == sorted(others)


@given(everybody(), commits, st.sampled_from(NAMES))
def test_no_author_takes_a_seat_by_another_address(people, written, who):
    """Whoever did not write any of it does, unless they asked for it."""
    known = facts(people=people, change=change_of(written), requester="nobody")
    made = policy(SEAT)
    verdict = inspect(made, known, words(made, known, who), AT).verdict
    assert (verdict == "cleared") is (who not in known.author_ids)


@given(everybody(), commits)
def test_a_commit_is_reviewed_by_somebody_else_alone(people, written):
    """Naming oneself as one's own reviewer, by whichever address, or one's co-author, counts for nothing."""
    known = facts(people=people, change=change_of(written))
    by_id = {one.id: one for one in people}

    def same(one, other) -> bool:
        ours = one[0] in by_id and all(known_by(by_id[one[0]], which) for which in (one[1], other[1]))
        return one[:2] == other[:2] or (one[0] == other[0] and ours)

    alone = {
        f"c{n}"
        for n, (by, also, read) in enumerate(written)
        if all(any(same(one, author) for author in (by, *also)) for one in read)
    }
    assert {one.revision for one in known.unreviewed} == alone
