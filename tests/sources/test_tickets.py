"""Trackers told apart by their settings: keys, empty answers, blockers, who asks."""

from datetime import UTC, datetime

import httpx
import pytest
from pydantic import ValidationError

from dogana.service.sources.registry import Sources
from dogana.sources.settings import Configured, TrackerSettings
from dogana.sources.tickets import HttpTracker

NOW = datetime(2026, 3, 10, tzinfo=UTC)


def tracker(name="t", secret=None, **settings) -> Configured[TrackerSettings]:
    made = TrackerSettings.model_validate({"address": "http://tracker/t/{key}", **settings})
    return Configured(name, name, made, secret)


async def asked(at, answers, *keys):
    seen = []

    def answer(request: httpx.Request) -> httpx.Response:
        seen.append(request)
        found = answers.get(request.url.path.rpartition("/")[2], 404)
        if isinstance(found, int):
            return httpx.Response(found)
        return (
            httpx.Response(200, content=found)
            if isinstance(found, bytes)
            else httpx.Response(200, json=found)
        )

    async with httpx.AsyncClient(transport=httpx.MockTransport(answer)) as client:
        return await HttpTracker(client, lambda: NOW).tickets(at, keys), seen


NUMBERED = tracker("numbers", numbered=True)
SMALL = tracker("small", letters="lower", projects=["ops"])
EITHER = tracker("either", letters="either", projects=["CW", "met"])
ANY = tracker("any")


@pytest.mark.parametrize(
    ("trackers", "named", "key", "kept_in"),
    [
        ((ANY,), "CW-12", "CW-12", "any"),
        ((ANY,), "cw-12", None, None),
        ((ANY,), "#12", None, None),
        ((NUMBERED, ANY), "#12", "#12", "numbers"),
        ((NUMBERED, ANY), "CW-12", "CW-12", "any"),
        ((NUMBERED,), "CW-12", "CW-12", None),
        ((SMALL, ANY), "ops-3", "ops-3", "small"),
        ((SMALL, ANY), "OPS-3", "OPS-3", "any"),
        ((EITHER, ANY), "cw-12", "CW-12", "either"),
        ((EITHER, ANY), "Met-7", "MET-7", "either"),
        ((EITHER, ANY), "utf-8", None, None),
        ((), "CW-12", "CW-12", None),
        ((), "cw-12", None, None),
    ],
)
def test_which_words_are_whose_keys(trackers, named, key, kept_in):
    """Numbers and small letters are keys only where a tracker is set up for them."""
    sources = Sources(trackers=trackers, meters=(), repositories=())
    assert sources.ticket_key(named) == key
    found = sources.tracker_of(key) if key else None
    assert (found.id if found else None) == kept_in


def test_small_letters_need_their_projects():
    """Else any word with a number would be a ticket."""
    with pytest.raises(ValidationError, match="projects"):
        tracker(letters="either")


async def test_a_number_alone_is_sent_and_a_name_with_its_password():
    """RFC 7617; without a name the secret goes whole into its header."""
    reading, (sent,) = await asked(
        tracker(secret="p:ss", numbered=True, user="dogana"), {"12": {"status": "done"}}, "#12"
    )
    assert (reading.value[0].key, reading.value[0].status) == ("#12", "done")
    assert sent.headers["Authorization"] == "Basic ZG9nYW5hOnA6c3M="
    _, (sent,) = await asked(tracker(secret="Bearer x"), {"12": {"status": "done"}}, "12")
    assert sent.headers["Authorization"] == "Bearer x"


@pytest.mark.parametrize("empty", [b"", b"null", b"{}", b"[]", b"  "])
async def test_an_empty_answer_is_none_only_where_that_is_said(empty):
    """Else it is unread, and unknown."""
    reading, _ = await asked(tracker(), {"CW-1": empty}, "CW-1")
    assert reading.value is None
    reading, _ = await asked(tracker(empty_means_none=True), {"CW-1": empty}, "CW-1")
    assert [ticket.status for ticket in reading.value] == [None]


async def test_the_status_of_a_blocker_may_take_a_request_of_its_own():
    """One that is closed blocks no longer; one that cannot be read leaves the whole unread."""
    at = tracker(blockers="/links", ask_blockers=True, closed=["done"])
    answers = {
        "CW-1": {"status": "done", "links": ["CW-2", {"key": "CW-3"}, "CW-4"]},
        "CW-2": {"status": "done"},
        "CW-3": {"status": "open"},
    }
    reading, _ = await asked(at, answers, "CW-1")
    assert reading.value[0].open_blockers == ("CW-3", "CW-4"), "one that is not there is not closed"
    reading, _ = await asked(at, answers | {"CW-4": 403}, "CW-1")
    assert reading.value is None


@pytest.mark.parametrize(
    ("more", "answer", "blocked", "told"),
    [
        ({}, {}, (), False),
        ({"blockers": "/links"}, {"links": []}, (), True),
        ({"blockers": "/links"}, {"links": ["CW-3"]}, ("CW-3",), True),
        ({"blockers": "/links"}, {}, (), False),
        ({"blockers": "/links"}, {"links": None}, (), False),
        ({"blockers": "/links", "absent_means_unblocked": True}, {}, (), True),
    ],
)
async def test_a_list_of_blockers_that_is_not_there_is_not_empty(more, answer, blocked, told):
    """Unless whoever set it up says so."""
    reading, _ = await asked(tracker(**more), {"CW-1": {"status": "done", **answer}}, "CW-1")
    (ticket,) = reading.value
    assert (ticket.open_blockers, ticket.blockers_told is not False) == (blocked, told)


@pytest.mark.parametrize(
    ("answer", "why"),
    [
        ({"status": "done", "id": "cw-1"}, None),
        ({"status": "done", "id": "NEW-7"}, "it tells of NEW-7"),
        ({"status": "done"}, "no key at /id"),
        (b'{"status": "open", "id": "CW-1", "status": "done"}', "stands twice"),
    ],
)
async def test_an_answer_about_another_ticket_or_in_two_ways_is_none(answer, why):
    """A ticket that was moved; a key that the last one would win."""
    reading, _ = await asked(tracker(key="/id"), {"CW-1": answer}, "CW-1")
    assert (reading.unknown is None) if why is None else (why in reading.unknown)
    numbered, _ = await asked(tracker(numbered=True, key="/n"), {"12": {"status": "done", "n": 12}}, "#12")
    assert numbered.unknown is None


@pytest.mark.parametrize(
    ("said", "link", "unknown"),
    [
        ({"keys": ["CW-1"], "total": 1}, None, None),
        ({"keys": ["CW-1"], "total": 213}, None, "it listed 1 of 213"),
        ({"keys": ["CW-1"]}, None, "no total at /total"),
        ({"keys": ["CW-1"], "total": 1}, '<http://tracker/search?page=2>; rel="next"', "it listed 1 of 1"),
        ({"keys": ["CW-1"], "total": "many"}, None, "cannot be understood"),
    ],
)
async def test_the_first_page_of_what_a_query_finds_is_not_all(said, link, unknown):
    """By the total it tells, or by its link to the next page (RFC 8288)."""
    at = tracker(search="http://tracker/search?q={query}", found="/keys", found_total="/total")
    answer = httpx.Response(200, json=said, headers={"Link": link} if link else {})
    async with httpx.AsyncClient(transport=httpx.MockTransport(lambda _: answer)) as client:
        reading = await HttpTracker(client, lambda: NOW).search(at, "theme = bills")
    assert reading.value == (("CW-1",) if unknown is None else None)
    assert (unknown or "") in (reading.unknown or "")
