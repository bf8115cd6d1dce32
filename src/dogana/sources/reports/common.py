"""What readers of reports share."""

from dataclasses import dataclass
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from pydantic import BaseModel, ConfigDict, ValidationError

from dogana.core.errors import InvalidError

MOST = 100
"""How many single findings and failures are kept, for people to read; counts are of all."""
MOST_NAMES = 2000
"""How many names of parts are kept: of those policies ask."""
_LONGEST = 2000
_BOM = b"\xef\xbb\xbf"


class UnusableReportError(InvalidError):
    """The report cannot be read."""

    code = "unusable_report"


@dataclass(frozen=True)
class Content:
    """What a report says, and why that cannot be relied on as a whole; None where it can."""

    content: dict[str, Any]
    unknown: str | None = None


class Loose(BaseModel):
    """A part of somebody else's JSON; what else it says is its own."""

    model_config = ConfigDict(extra="ignore")


def text(value: object) -> str:
    """Somebody else's text, bounded, without control characters."""
    return "".join(c for c in str(value or "").strip()[:_LONGEST] if c.isprintable() or c in "\n\t")


def read_json(model: type[Any], bodies: list[bytes], title: str) -> Any:
    """One JSON document.

    Raises:
        UnusableReportError: for several, or for what is no such document.
    """
    if len(bodies) != 1:
        raise UnusableReportError(f"One {title} document is read at a time; this holds {len(bodies)}.")
    try:
        return model.model_validate_json(bodies[0].removeprefix(_BOM))
    except ValidationError as exc:
        first = exc.errors(include_url=False)[0]
        where = "/".join(str(step) for step in first["loc"])
        raise UnusableReportError(f"This is no {title}: {where} {first['msg']}".replace("  ", " ")) from exc


def xml_root(body: bytes) -> Element:
    """The root of an XML document.

    Raises:
        UnusableReportError: for what is none, or defines entities.
    """
    try:
        root: Element = fromstring(body)
    except DefusedXmlException as exc:
        raise UnusableReportError("It defines entities; a report needs none.") from exc
    except (ParseError, ValueError, LookupError) as exc:
        raise UnusableReportError(f"This is no XML: {exc}") from exc
    return root


def local_name(element: Element) -> str:
    """What an element is called, whatever its namespace."""
    return str(element.tag).rpartition("}")[2]
