"""How bad findings are: four steps, one for what is only told, and one for what nobody can tell."""

from math import isfinite

from cvss import CVSS2, CVSS3, CVSS4
from cvss.exceptions import CVSSError

SEVERITIES = ("critical", "high", "medium", "low", "info", "unrated")
UNRATED = "unrated"
_FROM = ((9.0, "critical"), (7.0, "high"), (4.0, "medium"), (0.1, "low"), (0.0, "info"))
_WORDS = {"none": "info", "informational": "info", "moderate": "medium", "important": "high"}
_HIGHEST = 10.0


def by_score(score: object) -> str | None:
    """The severity of a score from 0 to 10 (CVSS, qualitative severity rating scale).

    None for what is none.
    """
    try:
        number = float(str(score))
    except ValueError:
        return None
    if not isfinite(number) or not 0 <= number <= _HIGHEST:
        return None
    return next(name for least, name in _FROM if number >= least)


def by_vector(vector: str) -> str | None:
    """The severity of a CVSS vector, version 2 to 4; None for what is none."""
    kind = CVSS4 if vector.startswith("CVSS:4") else CVSS3 if vector.startswith("CVSS:3") else CVSS2
    try:
        return by_score(kind(vector.strip("()")).base_score)
    except CVSSError:
        return None


def by_word(word: str | None) -> str | None:
    """The severity that a word names; None for what names none."""
    plain = (word or "").strip().casefold()
    named = _WORDS.get(plain, plain)
    return named if named in SEVERITIES and named != UNRATED else None


def counted(found: list[dict[str, str]]) -> dict[str, int]:
    """How many of each severity."""
    severities = [one["severity"] for one in found]
    return {severity: severities.count(severity) for severity in SEVERITIES}


def worst_first(found: list[dict[str, str]]) -> list[dict[str, str]]:
    """By severity, then by name; what nobody can tell comes first, as it may be anything."""
    order = (UNRATED, *SEVERITIES)
    return sorted(found, key=lambda one: (order.index(one["severity"]), one["name"]))


def unrated(found: list[dict[str, str]]) -> str | None:
    """Why the counts cannot be relied on: something has no severity that could be read."""
    names = [one["name"] or "a finding" for one in found if one["severity"] == UNRATED]
    if not names:
        return None
    more = f" and {len(names) - 1} more" if len(names) > 1 else ""
    return f"{names[0]}{more} has no severity that could be read"
