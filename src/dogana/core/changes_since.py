"""What is otherwise than when somebody looked: two documents of facts, told apart in words."""

from dogana.core.facts import Facts
from dogana.core.rollout import AT_ONCE
from dogana.core.words import are, counted, listed, spoken, when

_NAMED = 3
"""How many commits are named; the rest are counted."""


def what_changed(then: Facts, now: Facts, zone: str) -> list[str]:
    """Of what an approval is bound to, each single thing that differs, in a sentence.

    What could not be read on one of the two sides is left out: nothing is known to have changed there.
    """
    return [
        *_artifacts(then, now),
        *_change(then, now),
        *_tickets(then, now),
        *_plan(then, now),
        *_evidence(then, now, zone),
    ]


def _artifacts(then: Facts, now: Facts) -> list[str]:
    before = {one.name: one.digest for one in then.artifacts}
    after = {one.name: one.digest for one in now.artifacts}
    out = [f"{name} has come along." for name in sorted(after.keys() - before.keys())]
    out += [f"{name} is gone." for name in sorted(before.keys() - after.keys())]
    both = sorted(before.keys() & after.keys())
    return out + [f"{name} has other bytes." for name in both if before[name] != after[name]]


def _change(then: Facts, now: Facts) -> list[str]:
    before, after = then.change.value, now.change.value
    if before is None or after is None:
        return []
    out = []
    if before.base != after.base:
        runs = f"{after.base[:8]} runs there" if after.base else "nothing of it runs there"
        out.append(f"It is held against something else, as {runs} now.")
    known = {one.revision for one in before.commits}
    added = [one.subject for one in after.commits if one.revision not in known]
    gone = len(known - {one.revision for one in after.commits})
    if added:
        more = [f"{len(added) - _NAMED} more"] if len(added) > _NAMED else []
        named = listed([f"\u201c{subject}\u201d" for subject in added[:_NAMED]] + more)
        out.append(f"{counted(len(added), 'commit').capitalize()} came with it: {named}.")
    if gone:
        out.append(f"{counted(gone, 'commit').capitalize()} {are(gone)} no longer in it.")
    return out


def _tickets(then: Facts, now: Facts) -> list[str]:
    if then.tickets.value is None or now.tickets.value is None:
        return []
    before = {one.key: one for one in then.tickets.value}
    after = {one.key: one for one in now.tickets.value}
    out = [f"{key} is named as well." for key in sorted(after.keys() - before.keys())]
    out += [f"{key} is named no longer." for key in sorted(before.keys() - after.keys())]
    for key in sorted(before.keys() & after.keys()):
        was, is_ = before[key].plain(), after[key].plain()
        for part in ("status", "title", "kind"):
            if was.get(part) != is_.get(part):
                out.append(f"{key}: {part} {_said(is_.get(part))} instead of {_said(was.get(part))}.")
        if was.get("open_blockers") != is_.get("open_blockers"):
            blockers = listed(list(after[key].open_blockers)) or "nothing"
            out.append(f"{key} is blocked by {blockers} now.")
        if was.get("blockers_told") != is_.get("blockers_told"):
            told = "does not say any more" if "blockers_told" in is_ else "says"
            out.append(f"The tracker {told} what blocks {key}.")
    return out


def _said(value: object) -> str:
    return f"\u201c{value}\u201d" if value else "none"


def _plan(then: Facts, now: Facts) -> list[str]:
    before, after = (facts.plan or AT_ONCE for facts in (then, now))
    return [f"It goes in {after.in_words()} instead of {before.in_words()}."] if before != after else []


def _evidence(then: Facts, now: Facts, zone: str) -> list[str]:
    before = {one.name: one for one in then.evidence}
    return [
        f"{spoken(one.name).capitalize()} is another, of {when(one.produced_at, zone)}."
        for one in now.evidence
        if before.get(one.name) != one
    ]
