"""What is published for others to show: a feed of landings as Atom (RFC 4287), and a badge as SVG."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from html import escape
from xml.etree import ElementTree as ET

_ATOM = "http://www.w3.org/2005/Atom"
_CHARACTER, _MARGIN, _HEIGHT = 7.2, 26, 24
"""Pixels: about how wide a character is, what stands left and right of the words, how high it is."""
_TONES = {"runs": "#1f6f5c", "moves": "#2f5d8a", "unsure": "#8a5a16", "nothing": "#6b6459"}
_SHAPES = {
    "runs": '<path d="M10 6l6 6-6 6-6-6z" fill="{tone}"/>',
    "moves": '<path d="M4 7h8l4 5-4 5H4z" fill="{tone}"/>',
    "unsure": '<path d="M5 6h10L5 18h10z" fill="none" stroke="{tone}" stroke-width="1.6"/>',
    "nothing": '<path d="M4 12h12" stroke="{tone}" stroke-width="2"/>',
}


@dataclass(frozen=True, kw_only=True)
class Published:
    """One landing, for who follows them."""

    number: int
    title: str
    says: str
    at: datetime


def write_feed(address: str, title: str, entries: Sequence[Published], now: datetime) -> bytes:
    """A feed of landings, the latest first.

    Args:
        address: of the installation; what its ids begin with, so it must stay.
        title: what the feed is of.
        entries: the landings.
        now: when it is written, UTC; what it says of its age where there are no landings.
    """
    ET.register_namespace("", _ATOM)
    feed = ET.Element(f"{{{_ATOM}}}feed")
    _text(feed, "id", f"{address}/landings")
    _text(feed, "title", title)
    _text(feed, "updated", _instant(entries[0].at if entries else now))
    _text(ET.SubElement(feed, f"{{{_ATOM}}}author"), "name", "Dogana")
    for one in entries:
        entry = ET.SubElement(feed, f"{{{_ATOM}}}entry")
        _text(entry, "id", f"{address}/promotion/{one.number}")
        _text(entry, "title", one.title)
        _text(entry, "updated", _instant(one.at))
        _text(entry, "summary", one.says)
        ET.SubElement(entry, f"{{{_ATOM}}}link", href=f"{address}/promotion/{one.number}")
    written: bytes = ET.tostring(feed, encoding="utf-8", xml_declaration=True)
    return written


def write_badge(says: str, state: str) -> bytes:
    """A few words with the mark of a state; `runs`, `moves`, `unsure` or `nothing`."""
    tone = _TONES[state]
    width = round(len(says) * _CHARACTER + _MARGIN + 8)
    words = escape(says)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{_HEIGHT}" role="img" '
        f'aria-label="{words}"><rect x=".5" y=".5" width="{width - 1}" height="{_HEIGHT - 1}" '
        f'fill="#fcf5e9" stroke="{tone}"/>{_SHAPES[state].format(tone=tone)}'
        f'<text x="{_MARGIN}" y="16.5" font-family="Georgia,serif" font-size="13" fill="#23201b" '
        f'textLength="{width - _MARGIN - 8}" lengthAdjust="spacingAndGlyphs">{words}</text></svg>'
    ).encode()


def _text(parent: ET.Element, name: str, value: str) -> None:
    # What people typed may hold characters that XML has no way to write (XML 1.0, section 2.2).
    kept = "".join(one for one in value if one in "\t\n" or one.isprintable())
    ET.SubElement(parent, f"{{{_ATOM}}}{name}").text = kept


def _instant(at: datetime) -> str:
    return at.isoformat(timespec="seconds").replace("+00:00", "Z")
