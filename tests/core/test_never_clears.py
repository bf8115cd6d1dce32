"""What must never clear.

The unread, the absent that came, the future, and words of those who may not say them.
"""

from datetime import UTC, datetime, timedelta
from itertools import permutations

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from tests.core.cases import (
    AT,
    BYTES,
    OTHER_BYTES,
    PEOPLE,
    facts,
    finding_of,
    landing,
    policy,
    reading,
    words,
)
from tests.limits import examples

from dogana.core.change import Author, Change, Commit, FileChange, Origin, SourceTag
from dogana.core.decisions import Decision, Decisions, Shown
from dogana.core.document import SKEW
from dogana.core.facts import Person, Report, StandIn, Ticket
from dogana.core.inspect.engine import UninheritedError, inspect, what_is_shown
from dogana.core.record.canonical import canonical
from dogana.core.rollout import Plan
from dogana.core.traffic import Closed, Deployment, Queued, RouteLimit

SEAT = {"kind": "reviewers", "seats": [{"group": "security"}]}
UNREAD = reading(unknown="it cannot be reached").model_dump()
LATER = AT + SKEW + timedelta(seconds=1)
SCAN = Report(name="scan", kind="scan", produced_at=AT, by="Noor", content={"high": 0})


def said(action, person, made, known, at=AT - timedelta(minutes=20), **more):
    given = {"comment": "because", "rule": "r0" if action.endswith("waiver") else None, **more}
    if action == "ask waiver":
        given["until"] = AT + timedelta(days=1)
    return Decision(action=action, person=person, at=at, shown=what_is_shown(made, known), **given)


def changed(**parts):
    commit = Commit(revision="c1", author="Eve", author_email="eve@example.org", subject="Work", at=AT)
    given = {"revision": "c1", "commits": (commit,), "files": (), "ticket_keys": ("CW-1",), **parts}
    return reading(Change.model_validate(given)).model_dump()


def test_an_unread_change_makes_no_author_a_stranger():
    """Who wrote it is not known then, and so is the rule; nobody is invited to sit, no waiver is good."""
    known = facts(change=UNREAD)
    made = policy({**SEAT, "waivable": "security"})
    sheet = inspect(made, known, words(made, known, "eve"), AT)
    assert (sheet.verdict, sheet.findings[0].outcome) == ("held", "unknown")
    assert "not known who wrote it" in sheet.findings[0].because
    assert [seat.may_take for seat in sheet.seats()] == [()]
    asked, granted = (
        said(action, who, made, known) for action, who in [("ask waiver", "bo"), ("grant waiver", "eve")]
    )
    assert inspect(made, known, Decisions(made=(asked, granted)), AT).findings[0].outcome == "unknown"
    trusting = policy({**SEAT, "let_authors_decide": True})
    assert inspect(trusting, known, words(trusting, known, "eve"), AT).verdict == "cleared"


@pytest.mark.parametrize(
    "address", ["eve@example.org", " Eve@Example.ORG ", "elm@home.example", "ELM@home.example\t"]
)
@pytest.mark.parametrize("as_co_author", [False, True])
def test_whoever_wrote_any_of_it_is_an_author(address, as_co_author):
    """By every address of theirs, however it is written, and also as a co-author."""
    eve = Person(
        id="eve",
        name="Eve",
        email="eve@example.org",
        other_emails=(" elm@HOME.example",),
        groups=("security",),
    )
    by = ("Somebody", "other@example.org") if as_co_author else ("Eve", address)
    also = (Author(name="Eve", email=address),) if as_co_author else ()
    commit = Commit(revision="c", author=by[0], author_email=by[1], subject="s", co_authors=also)
    known = facts(change=changed(commits=(commit,)), people=(*PEOPLE[:4], eve))
    made = policy(SEAT)
    assert known.author_ids == {"eve"}
    assert inspect(made, known, words(made, known, "eve"), AT).verdict == "held"
    assert inspect(made, known, words(made, known, "cy"), AT).verdict == "cleared"


def test_who_wrote_it_may_have_to_be_known_and_to_have_signed():
    """A stranger is named; signatures nobody looked at are unknown."""
    rule = {"kind": "origin", "authors": "known"}
    stranger = Commit(revision="c", author="Moss", author_email="moss@else.example", subject="s")
    origin = reading(Origin(branches=("main",))).model_dump()
    found = finding_of(rule, known=facts(origin=origin, change=changed(commits=(stranger,))))
    assert (found.outcome, "Moss (moss@else.example)" in found.because) == ("unmet", True)
    assert finding_of(rule, known=facts(origin=origin)).outcome == "met"
    signed = {"kind": "origin", "signed_commits": True}
    assert finding_of(signed, known=facts(origin=origin)).outcome == "unknown"
    for by, outcome in ((None, "unmet"), ("Eve", "met")):
        commit = stranger.model_copy(update={"signed_by": by})
        known = facts(origin=origin, change=changed(commits=(commit,), signatures_read=True))
        assert finding_of(signed, known=known).outcome == outcome


CUT = {
    "parts": ("components", {"name": "lib", "licence": "MIT"}),
    "findings": ("low", {"name": "V-1", "severity": "low"}),
    "failures": ("failed", {"name": "a"}),
    "flaky_tests": ("flaky", "a: b"),
    "least_covered": ("packages", {"name": "p", "lines": 90}),
    "destroy": ("to_destroy", "queue/readings"),
}


@pytest.mark.parametrize("name", CUT)
@given(
    asks=st.sampled_from(
        [
            "!content.{}.exists(one, one == 7)",
            "content.{}.all(one, one != 7)",
            "content['{}'].all(content, content != 7)",
            "!has(content.{}) || !content.{}.exists(one, one == 7)",
            "['{}'].all(key, content[key].all(one, one != 7))",
            "content == content",
        ]
    ),
    told=st.integers(0, 5),
    there=st.integers(0, 5),
)
def test_a_condition_is_not_met_by_the_first_of_a_list(name, asks, told, there):
    """What it asks of all may be otherwise with those that were not kept; of what was counted it is told."""
    counted, one = CUT[name]
    scan = SCAN.model_copy(update={"content": {counted: told, "whole": 1, name: [one] * there}})
    rule = {"kind": "evidence", "name": "scan", "holds": asks.replace("{}", name)}
    found = finding_of(rule, known=facts(evidence=(scan,)))
    assert found.outcome == ("unknown" if told > there else "met"), found.because
    assert finding_of(rule | {"holds": "content.whole == 1"}, known=facts(evidence=(scan,))).outcome == "met"


@pytest.mark.parametrize(("queued", "outcome"), [(5, "met"), (18, "met"), (19, "unknown"), (20, "unknown")])
def test_a_condition_is_not_met_by_the_ends_of_a_queue(queued, outcome):
    """Of many that wait, those in the middle are not among the facts."""
    waiting = tuple(Queued(number=n, version=f"1.{n}.0", requested_at=AT) for n in range(queued))
    rule = {"kind": "condition", "holds": '!waiting.exists(w, w.version == "9")', "otherwise": "x"}
    found = finding_of(rule, known=facts(waiting=waiting))
    assert found.outcome == outcome
    other = rule | {"holds": 'service != ""'}
    assert finding_of(other, known=facts(waiting=waiting)).outcome == "met"


def test_a_condition_over_blockers_that_nobody_tells_is_not_met():
    """Nor one that leaves out what is absent."""
    told = reading((Ticket(key="CW-1", status="done", blockers_told=False),)).model_dump()
    for holds in ("tickets.all(t, size(t.open_blockers) == 0)", "tickets.all(t, !has(t.open_blockers))"):
        rule = {"kind": "condition", "holds": holds, "otherwise": "x"}
        found = finding_of(rule, known=facts(tickets=told))
        assert (found.outcome, "does not say what blocks CW-1" in found.because) == ("unknown", True)
    rule = {"kind": "condition", "holds": 'tickets.all(t, t.status == "done")', "otherwise": "x"}
    assert finding_of(rule, known=facts(tickets=told)).outcome == "met"


def test_who_has_no_account_is_an_author_to_conditions_too():
    """`All of them are of ours` is not so where one of them is nobody here."""
    moss = Commit(revision="c2", author="Moss", author_email=" Moss@Else.example", subject="s")
    ours = Commit(revision="c1", author="Eve", author_email="eve@example.org", subject="s")
    rule = {"kind": "condition", "holds": 'authors.all(a, a in ["eve", "bo"])', "otherwise": "x"}
    for commits, outcome in (((ours,), "met"), ((ours, moss), "unmet"), ((moss,), "unmet")):
        assert finding_of(rule, known=facts(change=changed(commits=commits))).outcome == outcome
    named = rule | {"holds": '"moss@else.example" in authors'}
    assert finding_of(named, known=facts(change=changed(commits=(moss,)))).outcome == "met"


READS = (
    {"kind": "evidence", "name": "scan"},
    {"kind": "tickets", "status": ["done"]},
    {"kind": "origin", "branches": ["main"]},
    {"kind": "sameness"},
    {"kind": "soak", "at_least": "PT1H"},
    {"kind": "needs", "services": [{"service": "core", "at_least": "1.0.0"}]},
    {"kind": "versions"},
    {"kind": "rollout"},
    {"kind": "condition", "holds": 'branches.exists(b, b == "main") && size(runs) > 0', "otherwise": "x"},
)
WHOLE = {
    "origin": reading(Origin(branches=("main",), tags=(SourceTag(name="v1"),))).model_dump(),
    "runs": {"core": "1.0.0", "app": "1.1.0"},
    "evidence": (SCAN,),
    "plan": Plan.model_validate({"steps": [{"share": 10, "hold": "PT1H"}, {"share": 100}]}),
}
DIFFERENT = {
    "evidence gone": {"evidence": ()},
    "other evidence": {"evidence": (SCAN.model_copy(update={"content": {"high": 1}}),)},
    "evidence not to be relied on": {"evidence": (SCAN.model_copy(update={"unknown": "cut"}),)},
    "no plan": {"plan": None},
    "no ticket": {"tickets": reading(()).model_dump()},
    "another status": {"tickets": reading((Ticket(key="CW-1", title="Work", status="open"),)).model_dump()},
    "unread tickets": {"tickets": UNREAD},
    "unread change": {"change": UNREAD},
    "another file": {"change": changed(files=(FileChange(path="x"),))},
    "a co-author": {
        "change": changed(commits=(Commit(revision="c1", author="Eve", author_email="e", subject="W"),))
    },
    "unread origin": {"origin": UNREAD},
    "another branch": {"origin": reading(Origin(branches=("other",))).model_dump()},
    "other bytes": {"artifacts": (OTHER_BYTES,)},
    "other bytes before": {"leg_before": (landing(artifacts=(OTHER_BYTES,)),)},
    "not landed before": {"leg_before": (landing(landed_at=None, healthy_since=None),)},
    "unhealthy before": {"leg_before": (landing(healthy=False),)},
    "replaced before": {"leg_before": (landing(replaced_at=AT - timedelta(hours=47, minutes=50)),)},
    "another core": {"runs": {"core": "1.2.0", "app": "1.1.0"}},
    "nothing runs": {"runs": {}},
    "another version": {"version": "1.3.0"},
    "urgent": {"kind": "urgent"},
    "another route": {"route": "urgent"},
}


@pytest.mark.parametrize("name", DIFFERENT)
def test_what_a_rule_reads_is_what_an_approval_is_bound_to(name):
    """Any two facts that differ in what a rule reads differ in what is shown.

    What comes back as read lapses it.
    """
    made = policy(*READS, {"kind": "reviewers", "seats": [{"group": "security"}]})
    whole, other = facts(**WHOLE), facts(**{**WHOLE, **DIFFERENT[name]})
    shown, then = what_is_shown(made, whole), what_is_shown(made, other)
    assert shown != then
    sheet = inspect(made, whole, words(made, whole, "cy", shown=then), AT)
    assert sheet.findings[-1].outcome == "pending", "it was given on something else"
    assert inspect(made, whole, words(made, whole, "cy"), AT).findings[-1].outcome == "met"


def test_clocks_traffic_and_monitors_bind_nothing():
    """Else no approval would outlive the minute."""
    made, whole = policy(*READS), facts(**WHOLE)
    passage = Deployment(service="core", version="1", departed_at=AT)
    waiting = (Queued(number=3, version="2", requested_at=AT),)
    moved = facts(**WHOLE, traffic=(passage,), waiting=waiting, closed_now=())
    assert what_is_shown(made, whole) == what_is_shown(made, moved)


FUTURE = {
    "evidence": (
        {"kind": "evidence", "name": "scan"},
        {"evidence": (SCAN.model_copy(update={"produced_at": LATER}),)},
    ),
    "tickets": (
        {"kind": "tickets", "status": ["done"]},
        {"tickets": reading((Ticket(key="CW-1", status="done"),), at=LATER).model_dump()},
    ),
    "origin": (
        {"kind": "origin", "branches": ["main"]},
        {"origin": reading(Origin(branches=("main",)), at=LATER).model_dump()},
    ),
    "the change": (
        {"kind": "condition", "holds": "size(commits) == 1", "otherwise": "x"},
        {"change": {**changed(), "read_at": LATER}},
    ),
    "a departure": (
        {"kind": "pace", "at_most": 1, "per": "PT1H"},
        {"traffic": (Deployment(service="core", version="1", departed_at=LATER, arrived_at=LATER),)},
    ),
    "a monitor": (
        {"kind": "monitors", "watch": [{"name": "lag", "query": "lag", "at_most": 5}]},
        {
            "monitors": (
                {
                    "environment": "live",
                    "query": "lag",
                    "window": timedelta(minutes=10),
                    "reading": reading({"values": (1, 1, 1)}, at=LATER).model_dump(),
                },
            )
        },
    ),
}


@pytest.mark.parametrize("name", FUTURE)
def test_what_is_dated_after_now_is_unknown(name):
    """It would never grow old; five minutes are let go, as clocks differ."""
    rule, parts = FUTURE[name]
    assert finding_of(rule, known=facts(**parts)).outcome == "unknown"
    text = (
        facts(**parts)
        .model_dump_json()
        .replace(LATER.isoformat().replace("+00:00", "Z"), (AT + SKEW).isoformat())
    )
    assert finding_of(rule, known=type(facts()).model_validate_json(text)).outcome in {"met", "pending"}


def test_a_word_from_the_future_counts_for_nothing():
    """Neither an approval nor a waiver."""
    made, known = policy({**SEAT, "waivable": "desk"}), facts()
    early = said("approve", "cy", made, known, at=LATER)
    assert inspect(made, known, Decisions(made=(early,)), AT).verdict == "held"
    waiver = (said("ask waiver", "bo", made, known), said("grant waiver", "ann", made, known, at=LATER))
    assert inspect(made, known, Decisions(made=waiver), AT).verdict == "held"


def test_what_conditions_look_at_grows_old():
    """As old as the rule says.

    An hour where it says nothing, also where it only decides whether a rule applies.
    """
    old = {**changed(), "read_at": AT - timedelta(hours=2)}
    asks = {"kind": "condition", "holds": "size(commits) == 1", "otherwise": "x"}
    assert finding_of(asks, known=facts(change=old)).outcome == "unknown"
    assert finding_of({**asks, "fresh": "PT3H"}, known=facts(change=old)).outcome == "met"
    assert (
        finding_of({"kind": "sameness", "when": "size(commits) > 5"}, known=facts(change=old)).outcome
        == "unknown"
    )


def test_a_ticket_the_tracker_kept_silent_about_is_unknown():
    """What it did not answer for is not done."""
    known = facts(change=changed(ticket_keys=("CW-1", "CW-2")))
    found = finding_of({"kind": "tickets", "status": ["done"]}, known=known)
    assert (found.outcome, "CW-2" in found.because) == ("unknown", True)


def test_a_policy_without_its_baseline_is_held_against_nothing():
    """Nobody could tell what it asks for."""
    made = policy().model_copy(update={"inherits": "guarded"}) if False else policy(SEAT)
    with pytest.raises(UninheritedError, match="guarded"):
        inspect(made.model_copy(update={"inherits": "guarded"}), facts(), Decisions(), AT)


STRICTER = {"kind": "reviewers", "seats": [{"group": "security"}, {"group": "desk"}]}


@pytest.mark.parametrize(
    ("before", "after", "stands"),
    [
        ((SEAT,), (SEAT, {"kind": "sameness"}), True),
        ((SEAT,), (SEAT, {"kind": "evidence", "name": "scan"}), True),
        ((SEAT,), (STRICTER,), True),
        ((SEAT,), (SEAT, {"kind": "sameness", "advisory": True}), True),
        ((SEAT, {"kind": "sameness"}), (SEAT,), False),
        ((SEAT, {"kind": "sameness"}), (SEAT, {"kind": "sameness", "advisory": True}), False),
        (
            (SEAT,),
            ({"kind": "reviewers", "seats": [{"group": "security"}], "let_authors_decide": True},),
            False,
        ),
        ((SEAT,), ({"kind": "reviewers", "seats": [{"people": ["cy"]}]},), False),
    ],
)
def test_approvals_outlive_a_policy_that_asks_for_as_much_or_more(before, after, stands):
    """And lapse with one that asks for less, or for something else.

    What they were shown is compared as before.
    """
    then, now, known = policy(*before), policy(*after), facts(evidence=(SCAN,))
    spoken = words(then, known, "cy").model_copy(update={"earlier": {then.digest: canonical(then).decode()}})
    seats = inspect(now, known, spoken, AT).seats()
    assert any(seat.taken_by == "cy" for seat in seats) is stands
    forged = spoken.model_copy(update={"earlier": {then.digest: canonical(now).decode()}})
    assert not any(seat.taken_by for seat in inspect(now, known, forged, AT).seats())
    other = facts(evidence=(SCAN,), version="2.0.0")
    assert not any(seat.taken_by for seat in inspect(now, other, spoken, AT).seats())


def test_what_is_only_shown_holds_nothing_and_says_so():
    """It stands on the sheet with what it found; seats that hold are filled first."""
    advisory = {"kind": "reviewers", "seats": [{"group": "security"}], "advisory": True}
    made, known = policy(advisory, SEAT), facts()
    sheet = inspect(made, known, words(made, known, "cy"), AT)
    assert [(f.outcome, f.advisory) for f in sheet.findings] == [("pending", True), ("met", False)]
    assert (sheet.verdict, sheet.sentence) == ("cleared", "Cleared: nothing stands in its way.")


@pytest.mark.parametrize(
    ("parts", "verdict", "says"),
    [
        (
            {"traffic": (Deployment(service="app", version="1.1.9", departed_at=AT),)},
            "held",
            "App 1.1.9 is on the way into Live; one release of a service goes at a time.",
        ),
        ({"traffic": (Deployment(service="core", version="1.1.9", departed_at=AT),)}, "cleared", "Cleared"),
        (
            {"closed_now": (Closed(since=AT, until=AT + timedelta(hours=2), reason="storm", by="Ada"),)},
            "held",
            "Held by Live closed at once until Tue 10 Mar 15:00, Rome.",
        ),
        (
            {"route_limit": RouteLimit(route="Urgent fixes", against="it lets in patches of 1.1.0")},
            "barred",
            "Urgent fixes does not take 1.2.0: It lets in patches of 1.1.0.",
        ),
        (
            {"route_limit": RouteLimit(route="Urgent fixes", unknown="nothing read")},
            "held",
            "It cannot be told",
        ),
        ({"route_limit": RouteLimit(route="Urgent fixes")}, "cleared", "Cleared"),
    ],
)
def test_what_holds_whatever_a_policy_says(parts, verdict, says):
    """Another on its way, an environment closed at once, what an urgent route lets in."""
    sheet = inspect(policy({"kind": "sameness"}), facts(**parts), Decisions(), AT)
    assert sheet.verdict == verdict
    assert sheet.sentence.startswith(says)


def test_of_two_asked_for_in_one_instant_one_goes_first():
    """Whichever is asked: they never both pass a queue, and never both give way."""
    rule = {"kind": "pace", "newest": "queues"}
    one = facts(number=7, waiting=(Queued(number=8, version="1.3.0", requested_at=facts().requested_at),))
    other = facts(number=8, waiting=(Queued(number=7, version="1.2.0", requested_at=facts().requested_at),))
    assert [finding_of(rule, known=known).outcome for known in (one, other)] == ["met", "pending"]


def test_notice_may_count_from_the_last_approval():
    """Not before every seat is taken; then for as long as it asks."""
    made, known = policy(SEAT, {"kind": "notice", "at_least": "PT1H", "after": "approval"}), facts()
    waits = inspect(made, known, Decisions(), AT)
    assert "once every seat is taken" in waits.findings[1].because
    spoken = inspect(made, known, words(made, known, "cy"), AT)
    assert spoken.findings[1].clears_at == AT + timedelta(minutes=30) == spoken.forecast.first_start


def brute(asked, approvals, ordered):
    """The most seats any assignment of approvals fills: by distinct people, for distinct people, in order."""
    best = 0
    for count in range(len(approvals), 0, -1):
        for chosen in permutations(approvals, count):
            for seats in permutations(range(len(asked)), count):
                pairs = dict(zip(seats, chosen, strict=True))
                holders = {one.sits_for for one in chosen}
                if len(holders) < count or any(
                    asked[n] not in GROUPS[one.sits_for] for n, one in pairs.items()
                ):
                    continue
                if ordered and any(
                    m not in pairs or pairs[m].at > one.at for n, one in pairs.items() for m in range(n)
                ):
                    continue
                return count
    return best


GROUPS = {person.id: person.groups for person in PEOPLE}
WORDS = st.tuples(
    st.sampled_from(["ann", "bo", "cy", "dee", "eve"]),
    st.sampled_from(["approve", "approve", "approve", "lapsed", "foreign", "retract", "early"]),
    st.none() | st.sampled_from(["ann", "bo", "cy"]),
)


@settings(max_examples=examples(400), deadline=None)
@given(st.lists(WORDS, max_size=7), st.booleans())
@example([("bo", "approve", None), ("cy", "approve", "ann"), ("ann", "approve", "bo")], True)
def test_seats_against_all_assignments_with_words_that_do_not_count(spoken, ordered):
    """A lapsed, foreign, withdrawn or early word never stands in the way of a good one, in whatever order."""
    asked = ["desk", "desk", "security"] if not ordered else ["desk", "security"]
    rule = {"kind": "reviewers", "seats": [{"group": name} for name in asked], "in_order": ordered}
    span = {"start": AT - timedelta(days=1), "end": AT + timedelta(days=1)}
    known = facts(
        stand_ins=tuple(
            StandIn(person=a, stands_in_for=b, **span)
            for a, b in [("cy", "ann"), ("ann", "bo"), ("bo", "cy")]
        )
    )
    made = policy(rule)
    good = what_is_shown(made, known)
    stale = good.model_copy(update={"change": "sha256:" + "0" * 64})
    decisions = []
    for n, (who, word, named) in enumerate(spoken):
        other = None if named == who or word == "retract" else named
        at = AT - timedelta(minutes=40 - n) if word != "early" else LATER
        shown = stale if word == "lapsed" else good
        action = "retract" if word == "retract" else "approve"
        if word == "foreign":
            other = "eve" if who != "eve" else "dee"
        decisions.append(Decision(action=action, person=who, on_behalf_of=other, at=at, shown=shown))
    last = {one.person: one for one in decisions}
    pairs = {("cy", "ann"), ("ann", "bo"), ("bo", "cy")}
    counting = [
        one
        for one in last.values()
        if one.action == "approve"
        and one.shown == good
        and one.at <= AT
        and not {one.person, one.sits_for} & {"dee", "eve"}
        and (one.on_behalf_of is None or (one.person, one.on_behalf_of) in pairs)
    ]
    seats = inspect(made, known, Decisions(made=tuple(decisions)), AT).seats()
    filled_now, most = sum(seat.taken_by is not None for seat in seats), brute(asked, counting, ordered)
    counting.sort(key=lambda one: one.at)
    spoken_for = [one.sits_for for one in counting]
    # Who sits keeps the seat: where they open in order, a second word for them moves them to no later one.
    again = ordered and len(set(spoken_for)) < len(spoken_for)
    first_words = [one for n, one in enumerate(counting) if one.sits_for not in spoken_for[:n]]
    assert filled_now in range(brute(asked, first_words, ordered) if again else most, most + 1)
    free = [seat for seat in seats if seat.taken_by is None]
    invited = {who for seat in free for who in (*seat.may_take, *seat.through)}
    filled = {seat.taken_by for seat in seats if seat.taken_by}
    for who in invited:
        assert who not in filled
        through = next((o for seat in free for o in seat.through.get(who, ())), None)
        own = any(who in seat.may_take for seat in free)
        more = Decision(
            action="approve", person=who, on_behalf_of=None if own else through, at=AT, shown=good
        )
        after = inspect(made, known, Decisions(made=(*decisions, more)), AT).seats()
        assert sum(seat.taken_by is not None for seat in after) > len(filled), (
            who,
            own,
            through,
            spoken,
            ordered,
        )


def test_whoever_is_needed_is_told_so():
    """Two people who could take two of three seats each.

    The second is needed though their first seat is taken.
    """
    people = (
        Person(id="ann", name="Ann", email="ann@example.org", groups=("desk", "security")),
        Person(id="bo", name="Bo", email="bo@example.org", groups=("desk",)),
        *PEOPLE[2:],
    )
    rule = {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security"}, {"people": ["cy"]}]}
    made, known = policy(rule), facts(people=people)
    sheet = inspect(made, known, words(made, known, "ann"), AT)
    assert {who for seat in sheet.seats() for who in seat.may_take} >= {"bo", "cy"}
    after = inspect(made, known, words(made, known, "ann", "bo", "cy"), AT)
    assert after.verdict == "cleared"


def test_a_foreign_or_later_word_takes_nothing_from_a_waiver():
    """One grant that is good is enough, whoever else granted it or asked anew."""
    made, known = (
        policy({"kind": "condition", "holds": "1 > 2", "otherwise": "no", "waivable": "security"}),
        facts(),
    )
    good = [said("ask waiver", "ann", made, known), said("grant waiver", "cy", made, known)]
    for other in (said("grant waiver", "dee", made, known), said("ask waiver", "ann", made, known)):
        assert inspect(made, known, Decisions(made=(*good, other)), AT).verdict == "cleared"
    revoked = said("revoke waiver", "ann", made, known)
    assert inspect(made, known, Decisions(made=(*good, revoked)), AT).verdict == "barred"


def test_a_decision_bound_to_nothing_counts_for_nothing():
    """Digests that were left out stand for what was not shown."""
    made, known = policy(SEAT), facts()
    bare = Shown(artifacts=what_is_shown(made, known).artifacts, policy=made.digest)
    assert inspect(made, known, words(made, known, "cy", shown=bare), AT).verdict == "held"


def test_a_landing_of_bytes_alone_is_no_landing():
    """What landed otherwise than it was cleared has not landed: no soak, no sameness."""
    assert BYTES.digest != OTHER_BYTES.digest
    found = finding_of(
        {"kind": "soak", "at_least": "PT1H"},
        known=facts(leg_before=(landing(landed_at=None, healthy_since=None),)),
    )
    assert found.outcome == "unmet"


def test_edges_of_time_end_in_no_trace():
    """The first and the last day that documents take."""
    for at in (datetime(1970, 1, 3, tzinfo=UTC), datetime(2199, 12, 30, tzinfo=UTC)):
        window = {"name": "w", "every": "FREQ=DAILY", "starting": "2199-12-31T23:00", "lasting": "P400D"}
        other = {"name": "o", "from": "1970-01-01T00:00", "until": "2199-12-31T23:59"}
        rules = (
            {"kind": "freeze", "zone": "Pacific/Apia", "windows": [window, other]},
            {"kind": "notice", "at_least": "P60D", "slot": "P60D"},
            {
                "kind": "hours",
                "zone": "America/Halifax",
                "departures": {"days": ["SU"], "at": ["24:00"], "grace": "PT30S"},
            },
        )
        sheet = inspect(policy(*rules), facts(requested_at=at - timedelta(hours=1)), Decisions(), at)
        assert sheet.verdict == "held"
