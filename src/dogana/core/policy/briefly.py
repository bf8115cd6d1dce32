"""What a rule asks for, in the few words that fit a cell."""

from functools import singledispatch

from dogana.core.rules.base import Rule
from dogana.core.rules.condition import OwnCondition
from dogana.core.rules.evidence import Required
from dogana.core.rules.freeze import Freeze
from dogana.core.rules.hours import OpenHours
from dogana.core.rules.monitors import Health, Threshold
from dogana.core.rules.needs import Needs
from dogana.core.rules.notice import Notice
from dogana.core.rules.origin import FromWhere
from dogana.core.rules.pace import Pace
from dogana.core.rules.prepared import Ready
from dogana.core.rules.reviewers import Reviewers
from dogana.core.rules.rollout import Rollout
from dogana.core.rules.seating import Places
from dogana.core.rules.soak import Soak
from dogana.core.rules.tickets import Tickets
from dogana.core.rules.versions import Versions
from dogana.core.time.weekly import days_in_words
from dogana.core.words import counted, lasting, listed, spoken

KINDS = {
    "reviewers": "Seats",
    "hours": "Open hours",
    "freeze": "Closed times",
    "notice": "Notice",
    "soak": "Soak",
    "pace": "Pace",
    "tickets": "Tickets",
    "origin": "Origin",
    "versions": "Versions",
    "sameness": "Same bytes",
    "needs": "What must run there",
    "prepared": "Made ready",
    "evidence": "Evidence",
    "monitors": "Health",
    "rollout": "Rollout",
    "condition": "Own conditions",
}
"""The kinds of rules as headings, in the order in which people read them."""


@singledispatch
def briefly(rule: Rule) -> str:  # noqa: ARG001 - the registered ones look at it
    """The settings of a rule that matter most; empty for one that has none."""
    return ""


@briefly.register
def _(rule: Reviewers) -> str:
    parts = [listed([_places(one) for one in rule.seats], "then" if rule.in_order else "and")]
    if rule.lasts is not None:
        parts.append(f"for {lasting(rule.lasts)}")
    if rule.comment == "required":
        parts.append("with a comment")
    if rule.let_requester_decide or rule.let_authors_decide:
        parts.append("its requester or authors may sit")
    return ", ".join(parts)


def _places(places: Places) -> str:
    who = spoken(places.group or listed(places.people, "or"))
    return f"{places.count} of {who}" if places.count > 1 else who


@briefly.register
def _(rule: OpenHours) -> str:
    spans = [f"{days_in_words(one.days)} {one.from_} to {one.until}" for one in rule.open]
    if rule.departures is not None:
        spans.append(f"{days_in_words(rule.departures.days)} at {listed(rule.departures.at)}")
    return "; ".join(spans)


@briefly.register
def _(rule: Freeze) -> str:
    names = [window.name for window in rule.windows] + [
        f"the calendar {spoken(name)}" for name in rule.calendars
    ]
    passes = f"; lets {listed(rule.passes)} pass" if rule.passes else ""
    return listed(names) + passes


@briefly.register
def _(rule: Notice) -> str:
    parts = [f"{lasting(rule.at_least)} ahead"] if rule.at_least else []
    parts += [f"a slot of {lasting(rule.slot)}"] if rule.slot else []
    parts += [f"within {lasting(rule.at_most)}"] if rule.at_most else []
    return ", ".join(parts)


@briefly.register
def _(rule: Soak) -> str:
    return f"{lasting(rule.at_least)} in {'every' if rule.across == 'all' else 'any'} leg before"


@briefly.register
def _(rule: Pace) -> str:
    parts = ["one at a time"] if rule.one_at_a_time else []
    if rule.at_most is not None:
        parts.append(f"{rule.at_most} in {lasting(rule.per) if rule.per else f'a {rule.each}'}")
    parts += [f"{lasting(rule.gap)} apart"] if rule.gap else []
    parts += [f"a newer one {rule.newest}"] if rule.newest else []
    return ", ".join(parts)


@briefly.register
def _(rule: Tickets) -> str:
    return f"{rule.which} {listed(rule.status, 'or')}{', unblocked' if rule.unblocked else ''}"


@briefly.register
def _(rule: FromWhere) -> str:
    parts = [f"on {listed(rule.branches, 'or')}"] if rule.branches else []
    parts += [f"tagged {listed(rule.tags, 'or')}"] if rule.tags else []
    parts += ["signed"] if rule.signed else []
    parts += ["every commit read by a second person"] if rule.reviewed else []
    return ", ".join(parts)


@briefly.register
def _(rule: Versions) -> str:
    return f"going back {rule.going_back}"


@briefly.register
def _(rule: Needs) -> str:
    return listed([f"{spoken(one.service)} {one.at_least}" for one in rule.services])


@briefly.register
def _(rule: Ready) -> str:
    return f"within {lasting(rule.within)}" if rule.within else "reported by its deployer"


@briefly.register
def _(rule: Required) -> str:
    age = f", at most {lasting(rule.not_older)} old" if rule.not_older else ""
    return spoken(rule.name) + age


@briefly.register
def _(rule: Health) -> str:
    return f"{rule.of}: {listed([_threshold(one) for one in rule.watch])}"


def _threshold(one: Threshold) -> str:
    limits = [f"at most {one.at_most:g}"] if one.at_most is not None else []
    limits += [f"at least {one.at_least:g}"] if one.at_least is not None else []
    return f"{one.name} {listed(limits)}"


@briefly.register
def _(rule: Rollout) -> str:
    return (
        f"{rule.first_share} % first, each step {lasting(rule.least_hold)}, "
        f"{counted(len(rule.watch), 'monitor')}"
    )


@briefly.register
def _(rule: OwnCondition) -> str:
    return rule.holds
