"""What rules that name shared calendars have in common."""

from collections.abc import Sequence

from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Finding, Outcome
from dogana.core.words import are, listed, sentence, when


def without_calendars(rule: Rule, case: Case, names: Sequence[str]) -> Finding | None:
    """The finding of a rule that names a calendar which nobody has, or which may close more by now.

    None where all are there as they are.
    """
    missing = [name for name in names if name not in case.facts.calendars]
    late = [one for one in case.facts.late_calendars or () if one.name in names]
    if missing:
        several = "s" if len(missing) > 1 else ""
        because = f"the calendar{several} {listed(missing)} {are(len(missing))} not to be found"
    elif late:
        read = [
            f"{one.name} was last read {when(one.read_at, case.zone)}"
            if one.read_at
            else f"{one.name} was never read"
            for one in late
        ]
        because = f"the calendar {listed(read)}: it may close more by now"
    else:
        return None
    return rule.finding(Outcome.UNKNOWN, sentence(because), settled_by="facts")
