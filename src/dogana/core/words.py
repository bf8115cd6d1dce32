"""Plain English for sentences: times, spans, lists, numbers. The same on every machine."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine")


def number(count: int) -> str:
    """Small numbers in words."""
    return _NUMBERS[count] if 0 <= count < len(_NUMBERS) else str(count)


def counted(count: int, thing: str, things: str | None = None) -> str:
    """`one ticket`, `three tickets`."""
    return f"{number(count)} {thing if count == 1 else things or thing + 's'}"


def are(count: int) -> str:
    """`is` or `are`, to go on after so many."""
    return "is" if count == 1 else "are"


def listed(items: Sequence[str], last: str = "and") -> str:
    """`a`, `a and b`, `a, b and c`."""
    if len(items) <= 1:
        return "".join(items)
    return f"{', '.join(items[:-1])} {last} {items[-1]}"


def sentence(text: str) -> str:
    """With a capital and a full stop."""
    text = text[:1].upper() + text[1:]
    return text if text.endswith((".", "?", "!")) else text + "."


def lower_first(text: str) -> str:
    """To go inside a sentence."""
    return text[:1].lower() + text[1:]


def when(instant: datetime, zone: str) -> str:
    """`Tue 24 Nov 07:00, Rome`: the wall clock in the zone, named by its city."""
    wall = instant.astimezone(ZoneInfo(zone))
    city = zone.rsplit("/", 1)[-1].replace("_", " ")
    clock = f"{wall.hour:02}:{wall.minute:02}"
    return f"{WEEKDAYS[wall.weekday()]} {wall.day} {_MONTHS[wall.month - 1]} {clock}, {city}"


def spoken(name: str) -> str:
    """`release desk` for `release-desk`."""
    return name.replace("-", " ")


def lasting(span: timedelta) -> str:
    """`2 days 4 h`, `3 h 20 min`, `less than a minute`: the two largest units."""
    minutes = int(span.total_seconds() // 60)
    days, rest = divmod(minutes, 24 * 60)
    hours, minutes = divmod(rest, 60)
    parts = [
        f"{days} day{'s' if days > 1 else ''}" if days else "",
        f"{hours} h" if hours else "",
        f"{minutes} min" if minutes and not days else "",
    ]
    return " ".join(part for part in parts if part) or "less than a minute"
