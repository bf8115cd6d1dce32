"""What runs where, from what has landed; and when something else is seen to run."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.drift import (
    FromAddress,
    FromMetric,
    NonsenseError,
    Seen,
    address_of,
    drift,
    read_answer,
    read_labels,
)
from dogana.core.estate import Happened, Landing, estate_at, landing_of, legs_before
from dogana.core.facts import Report
from dogana.core.findings import SEVERITIES, Accepted, gravity, takes_two
from dogana.core.parts_list import part_changes

START = datetime(2026, 3, 2, tzinfo=UTC)
ARTIFACT = {"name": "portal.tar.gz", "digest": "sha256:" + "a" * 64}


def landings() -> st.SearchStrategy[list[Landing]]:
    one = st.builds(
        lambda n, service, environment, version, minute: Landing(
            promotion=n,
            service=service,
            environment=environment,
            version=f"1.{version}.0",
            at=START + timedelta(minutes=minute),
        ),
        st.integers(1, 10_000),
        st.sampled_from(["portal", "meters"]),
        st.sampled_from(["bench", "live"]),
        st.integers(0, 9),
        st.integers(0, 60),
    )
    return st.lists(one, max_size=30, unique_by=lambda one: one.promotion)


@given(landings(), st.integers(-5, 65), st.randoms(use_true_random=False))
def test_what_runs_is_the_last_that_landed_whatever_the_order(some, minute, shuffles):
    """Played one by one up to the instant it is the same; nothing that lands later changes it."""
    at = START + timedelta(minutes=minute)
    played: dict[tuple[str, str], Landing] = {}
    for one in sorted(some, key=lambda one: (one.at, one.promotion)):
        if one.at <= at:
            played[one.place] = one
    shuffled = list(some)
    shuffles.shuffle(shuffled)
    assert estate_at(shuffled, at) == played
    assert estate_at([one for one in some if one.at <= at], at) == played


def test_only_a_landing_is_one():
    """Not a departure, and not what landed otherwise than it was cleared."""
    body = (
        '{"action":"%s","at":"2026-03-02T00:00:00.000000Z","promotion":7,"service":"portal",'
        '"environment":"bench","version":"1.2.0"}'
    )
    assert landing_of(body % "land") == Landing(
        promotion=7, service="portal", environment="bench", version="1.2.0", at=START
    )
    assert [landing_of(body % action) for action in ("depart", "land otherwise", "roll back")] == [None] * 3


def test_the_leg_before_is_that_of_the_first_route():
    """Side by side environments have the same; the first leg has none."""
    standard, urgent = [["bench"], ["pilot"], ["north", "south"]], [["pilot"], ["south"], ["far"]]
    assert legs_before([standard, urgent]) == {
        "bench": [],
        "pilot": ["bench"],
        "north": ["pilot"],
        "south": ["pilot"],
        "far": ["south"],
    }


@pytest.mark.parametrize(
    ("landed", "rolled_back", "places", "says"),
    [
        (0, 0, 0, "Nothing has landed."),
        (
            4,
            1,
            3,
            "Four releases landed and one release was rolled back; something else runs in three places.",
        ),
        (2, 0, 0, "Two releases landed; the same runs everywhere."),
        (0, 2, 1, "Two releases were rolled back; something else runs in one place."),
    ],
)
def test_what_happened_reads_like_a_sentence(landed, rolled_back, places, says):
    """However much of it there is."""
    assert Happened(landed=landed, rolled_back=rolled_back, places=places).in_words() == says


def test_an_address_has_places_for_two_things_alone():
    """And what is put into it cannot leave its place."""
    assert address_of("https://x/{service}?v={version}", "a/b", "1 &x") == "https://x/a%2Fb?v=1%20%26x"
    for wrong in ("https://x/{environment}", "https://x/{", "ftp://x/{service}", "https://x/{{service}}"):
        with pytest.raises(ValueError, match="address"):
            FromAddress.model_validate({"kind": "address", "address": wrong})


JSON = FromAddress(kind="address", address="http://x/{service}", version="/build/version", digest="/digest")
TEXT = FromAddress(kind="address", address="http://x/{service}")


@pytest.mark.parametrize(
    ("body", "wanted"),
    [
        (b"", TEXT),
        (b"<html>Sign in first</html>", TEXT),
        (b"1.2.0 and more", TEXT),
        (b"\xff\xfe1.2.0", TEXT),
        (b"x" * 201, TEXT),
        (b"1.2.0\x00", TEXT),
        (b"{}", JSON),
        (b"[1, 2]", JSON),
        (b'{"build": null}', JSON),
        (b'{"build": {"version": 12}}', JSON),
        (b'{"build": {"version": ""}}', JSON),
        (b'{"build": {"version": "1.2.0"}}', JSON),
        (b'{"build": {"version": "1.2.0"}, "digest": true}', JSON),
        (b'{"build": {"version": "1.2.0"', JSON),
        (b'"/build/version"', JSON),
        (b"[" * 100_000, JSON),
        (
            b'{"build": {"version": "9"}, "digest": "sha256:%b", "build": {"version": "1.2.0"}}'
            % (b"a" * 64),
            JSON,
        ),
    ],
)
def test_nonsense_is_nothing_that_runs(body, wanted):
    """Absent, cut, huge, of another kind: never taken for a version."""
    with pytest.raises(NonsenseError):
        read_answer(body, wanted)


@given(st.binary(max_size=300))
def test_whatever_is_answered_is_a_sound_version_or_nonsense(body):
    """No other error, and never a version that is no single word."""
    for wanted in (TEXT, JSON):
        try:
            seen = read_answer(body, wanted)
        except NonsenseError:
            continue
        assert seen.version.isprintable()
        assert len(seen.version.split()) == 1


def test_labels_tell_one_version_or_none():
    """Two at once, or a series without one, say nothing that could be relied on."""
    wanted = FromMetric(kind="metric", query="build_info", digest_label="digest")
    one = {"version": "1.2.0", "digest": "A" * 64}
    assert read_labels([one, one], wanted) == Seen(version="1.2.0", digests={"": "sha256:" + "a" * 64})
    for some in (
        [],
        [one, {"version": "1.3.0", "digest": "a"}],
        [one, {"digest": "a"}],
        [{"version": "1.2.0"}],
    ):
        with pytest.raises(NonsenseError):
            read_labels(some, wanted)


@pytest.mark.parametrize(
    ("version", "digests", "differs"),
    [
        ("1.2.0", {}, None),
        ("v1.2.0", {}, None),
        ("1.2.0", {"": ARTIFACT["digest"]}, None),
        ("1.2.0", {"portal.tar.gz": ARTIFACT["digest"]}, None),
        ("1.2.1", {}, "it runs 1.2.1 instead of 1.2.0"),
        ("1.2.0", {"": "sha256:" + "b" * 64}, "it says that it is 1.2.0, but its bytes are others"),
        (
            "1.2.0",
            {"portal.tar.gz": "sha256:" + "b" * 64},
            "it says that it is 1.2.0, but the bytes of portal.tar.gz are others",
        ),
        (
            "1.2.0",
            {"more.tar.gz": "sha256:" + "b" * 64},
            "it says that it is 1.2.0, but the bytes of more.tar.gz are others and portal.tar.gz is missing",
        ),
    ],
)
def test_drift_is_by_version_and_by_bytes(version, digests, differs):
    """What says the right version and has other bytes is drift; so is what lacks some."""
    assert drift(Seen(version=version, digests=digests), "1.2.0", [ARTIFACT]) == differs


@given(
    st.sampled_from([*SEVERITIES, "odd"]),
    st.sampled_from([*SEVERITIES, "odd"]),
    st.integers(-3, 3),
    st.one_of(st.none(), st.integers(-3, 3)),
    st.one_of(st.none(), st.integers(-3, 3)),
)
def test_what_is_accepted_covers_nothing_graver_and_nothing_later(then, now, until, granted, ended):
    """And nothing before a second person agreed, or after somebody ended it."""

    def day(n: int | None) -> datetime | None:
        return None if n is None else START + timedelta(days=n)

    held = Accepted(
        severity=then, until=START + timedelta(days=until), granted_at=day(granted), ended_at=day(ended)
    )
    if held.holds(now, START):
        assert gravity(now) >= gravity(then)
        assert until > 0
        assert granted is not None
        assert granted <= 0
        assert ended is None or ended > 0


def test_what_nobody_rated_takes_two_as_what_is_grave():
    """An unknown word of a scanner must not pass as harmless."""
    assert [one for one in (*SEVERITIES, "odd", "") if takes_two(one)] == [
        "critical",
        "high",
        "unrated",
        "odd",
        "",
    ]


def bill(*parts: tuple[str, str], **more) -> Report:
    listed = [{"name": name, "version": version} for name, version in parts]
    content = {"components": len(parts), "parts": listed, **more}
    return Report(name="bill", kind="components", produced_at=START, by="a build", content=content)


def test_components_are_compared_by_name_and_what_is_not_listed_is_not_known():
    """Two versions of one are both told; a cut list, or none, leaves something unknown."""
    found = part_changes(
        [bill(("a", "1"), ("b", "1"), ("b", "2"))], [bill(("a", "1"), ("b", "2"), ("c", "1"))]
    )
    assert [(one.name, one.before, one.after) for one in found.changes] == [
        ("b", ("1", "2"), ("2",)),
        ("c", (), ("1",)),
    ]
    assert found.unknown == ()
    cut = part_changes([bill(("a", "1"), components=9)], [])
    assert cut.unknown == (
        "bill of the earlier release names 1 of 9 components.",
        "The later release came with no list of components.",
    )
