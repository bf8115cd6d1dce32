"""What changed between two policies, in words, rule by rule."""

import re
from datetime import timedelta
from typing import Any

from pydantic import TypeAdapter

from dogana.core.policy.document import Policy
from dogana.core.rules.base import Rule
from dogana.core.time.weekly import days_in_words
from dogana.core.words import lasting, listed, spoken

_ISO_SPAN = re.compile(r"P(?=\d|T)(\d+D)?(T(\d+H)?(\d+M)?(\d+S)?(?<!T))?$")
_NAME = re.compile(r"[a-z0-9]+(-[a-z0-9]+)+$")
_SPAN = TypeAdapter(timedelta)
_SAID_APART = frozenset({"id", "kind", "title"})
_ASKS = {
    "at_least": "asks for {}",
    "at_most": "allows at most {}",
    "fresh": "counts what was read within {}",
    "not_older": "takes what is at most {} old",
    "within": "lets it count for {}",
    "lasts": "lets an approval count for {}",
    "slot": "needs {} open at a stretch",
    "gap": "keeps {} between two",
    "per": "counts over {}",
    "each": "counts by the {}",
    "which": "looks at {} of them",
    "across": "looks at {} of the leg before",
    "after": "counts from {}",
    "zone": "goes by the clock of {}",
    "newest": "lets a newer one do this: {}",
    "going_back": "has going back {}",
    "first_share": "begins with {} %",
    "largest_step": "steps by at most {} %",
    "least_hold": "holds each step for {}",
    "waivable": "may be waived by {}",
    "holds": "asks that {}",
    "when": "applies where {}",
    "name": "looks at {}",
    "seats": "needs {}",
    "windows": "closes for {}",
    "calendars": "closes for what is in {}",
    "open": "is open on {}",
    "watch": "watches {}",
    "status": "takes what is {}",
    "ways": "lets a seat be taken by {}",
    "remind": "reminds after {}",
    "escalate": "tells others {}",
    "branches": "takes what is on {}",
    "tags": "takes what is tagged {}",
    "of": "looks at {}",
    "passes": "lets {} pass",
    "on_breach": "does this on a breach: {}",
    "check": "asks {}",
    "answers_within": "waits {} for the answer",
    "holiday_calendars": "is closed on what is in {}",
    "services": "asks for {}",
    "otherwise": "says “{}”",
}
"""What a rule does with a setting, as a verb and what it is now."""
_DOES = {
    "advisory": "advises only",
    "in_order": "fills its seats in order",
    "let_requester_decide": "lets who asked decide",
    "let_authors_decide": "lets authors decide",
    "one_at_a_time": "lets one at a time go",
    "signed": "asks for signed tags",
    "signed_commits": "asks for signed commits",
    "reviewed": "asks that a second person read every commit",
    "unblocked": "asks that nothing blocks them",
}
"""What a rule does where a setting is on."""


_OF_THE_WHOLE = {
    "closes": "It may be closed at once by {}",
    "declares_urgent": "A promotion may be declared urgent by {}",
    "sign_off": "What has landed is confirmed by {}",
}
"""What stands beside the rules, and whom it names."""


def differences(before: Policy, after: Policy) -> list[str]:
    """One sentence for each thing that is different; none where both mean the same.

    Rules are told apart by their id; a rule that changes its kind is one taken out and one put in.
    """
    old, new = before.plain(), after.plain()
    was = {rule["id"]: rule for rule in old["rules"]}
    now = {rule["id"]: rule for rule in new["rules"]}
    out = [
        f"The {key} is {new[key]} instead of {old[key]}." for key in ("title", "zone") if old[key] != new[key]
    ]
    for name, rule in was.items():
        if name not in now or now[name]["kind"] != rule["kind"]:
            out.append(f"No longer asks: {rule['title']} ({rule['kind']}).")
    rules = {rule.id: rule for rule in after.rules}
    for name, rule in now.items():
        if name not in was or was[name]["kind"] != rule["kind"]:
            out.append(f"Newly asks: {rule['title']} ({rule['kind']}){_does(rules[name])}.")
        else:
            out += [f"{rule['title']}: {said}" for said in _changes(was[name], rule)]
    for key, does in _OF_THE_WHOLE.items():
        if old.get(key) != new.get(key):
            was_so, is_so = (_said(one[key]) if key in one else "nobody" for one in (old, new))
            out.append(f"{does.format(is_so)} instead of {was_so}.")
    shared = [name for name in was if name in now]
    if shared != [name for name in now if name in was]:
        out.append("The rules stand in another order.")
    return out


def _changes(before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    out = []
    if before["title"] != after["title"]:
        out.append(f"was called {before['title']}.")
    for key in dict.fromkeys([*before, *after]):
        if key in _SAID_APART or before.get(key) == after.get(key):
            continue
        if key == "seats":
            out += _seat_changes(before[key], after[key])
        elif isinstance(before.get(key, []), list) and isinstance(after.get(key, []), list):
            out += _list_changes(key, before.get(key, []), after.get(key, []))
        else:
            out.append(f"{_change(key, before.get(key), after.get(key))}.")
    return out


def _change(key: str, before: Any, after: Any) -> str:
    """`asks for 3 days instead of 20 h`; what is not set is said as that."""
    if isinstance(before, bool) or isinstance(after, bool):
        does = _DOES.get(key, f"asks for {_name(key)}")
        verb, _, rest = does.partition(" ")
        return does if after else f"no longer {verb} {rest}"
    asks = _ASKS.get(key, f"has {_name(key)} {{}}")
    if _said(after) == "nothing":
        return f"no longer {asks.format(_said(before))}"
    instead = "" if _said(before) == "nothing" else f" instead of {_said(before)}"
    return f"{asks.format(_said(after))}{instead}"


def _seat_changes(before: list[Any], after: list[Any]) -> list[str]:
    """`needs 2 instead of 1 from security`, group by group."""
    was, now = _seats_by_group(before), _seats_by_group(after)
    changed = [
        f"{now.get(who, 0)} instead of {was.get(who, 0)} from {who}"
        for who in dict.fromkeys([*was, *now])
        if was.get(who) != now.get(who)
    ]
    return [f"needs {listed(changed)}."] if changed else _list_changes("seats", before, after)


def _seats_by_group(seats: list[Any]) -> dict[str, int]:
    out: dict[str, int] = {}
    for line in seats:
        who = spoken(line.get("group") or listed(line["people"], "or"))
        out[who] = out.get(who, 0) + int(line["count"])
    return out


def _list_changes(key: str, before: list[Any], after: list[Any]) -> list[str]:
    named = [
        {one["name"]: one for one in some if isinstance(one, dict) and "name" in one}
        for some in (before, after)
    ]
    if all(len(one) == len(some) for one, some in zip(named, (before, after), strict=True)):
        return _named_changes(key, *named)
    gone = [one for one in before if one not in after]
    come = [one for one in after if one not in before]
    out = []
    if gone:
        out.append(f"{_name(key)} without {listed([_said(one) for one in gone])}.")
    if come:
        out.append(f"{_name(key)} with {listed([_said(one) for one in come])}.")
    return out or [f"{_name(key)} in another order."]


def _named_changes(key: str, before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    """`slow answers allows at most 0.2 instead of 0.5`, each with its name."""
    out = [f"{_name(key)} without {name}." for name in before if name not in after]
    out += [f"{_name(key)} with {name}." for name in after if name not in before]
    for name, one in before.items():
        other = after.get(name, one)
        changed = [k for k in dict.fromkeys([*one, *other]) if one.get(k) != other.get(k)]
        out += [f"{spoken(name)} {_change(k, one.get(k), other.get(k))}." for k in changed]
    return out or [f"{_name(key)} in another order."]


def _does(rule: Rule) -> str:
    """`, which asks for 2 days and may be waived by security`: all that its author chose, its own first."""
    chosen = rule.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    told = [key for key in chosen if key not in _SAID_APART]
    does = [_change(key, None, chosen[key]) for key in sorted(told, key=lambda key: key in Rule.model_fields)]
    return f", which {listed(does)}" if does else ""


def _said(value: Any) -> str:
    if isinstance(value, dict):
        return _said_together(value)
    if isinstance(value, list):
        return listed([_said(one) for one in value])
    if value in (None, "PT0S"):
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    text = str(value)
    if _ISO_SPAN.match(text):
        return lasting(_SPAN.validate_python(value))
    return spoken(text) if _NAME.match(text) else text


def _said_together(values: dict[str, Any]) -> str:
    """A seat, a sign-off, a part of the week, what has a name; anything else setting by setting."""
    match values:
        case {"group": group, "within": within}:
            said = f"{spoken(group)} within {_said(within)}"
        case {"group": group}:
            said = f"{values.get('count', 1)} from {spoken(group)}"
        case {"days": days, "from": start, "until": end}:
            said = f"{days_in_words(days)} {start} to {end}"
        case {"name": name}:
            said = _said(name)
        case {"service": service, "at_least": least}:
            said = f"{spoken(service)} {least} or later"
        case _:
            said = ", ".join(f"{_name(key)} {_said(value)}" for key, value in values.items())
    return said


def _name(key: str) -> str:
    return key.replace("_", " ")
