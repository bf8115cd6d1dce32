"""Replay: the sheet behind a decision, worked out again from what it was decided on, byte for byte."""

from dataclasses import dataclass

from pydantic import ValidationError

from dogana.core import parts
from dogana.core.decisions import Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.engine import UninheritedError, inspect
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import policy_of
from dogana.core.record.canonical import canonical, digest_bytes


@dataclass(frozen=True, kw_only=True)
class Behind:
    """What one decision was made on: digests, and under them the texts that are kept.

    Absent ones are None.
    """

    sheet: str
    texts: dict[str, str | None]
    """By digest: the sheet's, those it names, and the parts of its facts."""


class _LostError(Exception):
    """Something that a decision was made on is not there, or is something else."""


def replayed(behind: Behind) -> str | None:
    """Why a sheet is not what comes of its policy, facts and decisions; None where it is, to the byte."""
    try:
        text = _kept(behind, "sheet", behind.sheet, "entry")
        sheet = Sheet.model_validate_json(text)
        again = inspect(
            policy_of(_kept(behind, "policy", sheet.policy, "sheet")),
            Facts.model_validate_json(
                parts.checked(_kept(behind, "facts", sheet.facts, "sheet"), behind.texts)
            ),
            Decisions.model_validate_json(_kept(behind, "decisions", sheet.decisions, "sheet")),
            sheet.at,
        )
    except _LostError as exc:
        return str(exc)
    except parts.MissingPartError as exc:
        return f"of its facts, {exc}"
    except (ValidationError, UninheritedError) as exc:
        return f"it cannot be worked out again: {str(exc).splitlines()[0]}"
    if canonical(again).decode() == text:
        return None
    before, after = sheet.plain(), again.plain()
    differing = [name for name in Sheet.model_fields if before.get(name) != after.get(name)]
    return f"it comes out otherwise in {', '.join(differing) or 'the order of its parts'}"


def _kept(behind: Behind, part: str, digest: str, named_by: str) -> str:
    text = behind.texts.get(digest)
    if text is None:
        raise _LostError(f"its {part} is not kept")
    if digest_bytes(text.encode()) != digest:
        raise _LostError(f"its {part} has another digest than its {named_by} names")
    return text
