"""What readers of reports share."""

from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError

from dogana.core.errors import InvalidError

MOST = 100
"""How many single findings, failures or names are kept; counts are of all."""
_LONGEST = 2000


class UnusableReportError(InvalidError):
    """The report cannot be read."""

    code = "unusable_report"


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
        return model.model_validate_json(bodies[0])
    except ValidationError as exc:
        first = exc.errors(include_url=False)[0]
        where = "/".join(str(step) for step in first["loc"])
        raise UnusableReportError(f"This is no {title}: {where} {first['msg']}".replace("  ", " ")) from exc
