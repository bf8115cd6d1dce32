"""Replay: the sheet behind a decision, worked out again from what it was decided on, byte for byte."""

from dataclasses import dataclass

from pydantic import ValidationError

from dogana.core.decisions import Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.engine import UninheritedError, inspect
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import policy_of
from dogana.core.record.canonical import canonical, digest_bytes


@dataclass(frozen=True, kw_only=True)
class Behind:
    """What one decision was made on: digests, and under them the texts that are kept; absent ones are None."""

    sheet: str
    texts: dict[str, str | None]
    """By digest: the sheet's, and those it names."""


def replayed(behind: Behind) -> str | None:
    """Why a sheet is not what comes of its policy, facts and decisions; None where it is, to the byte."""
    text = behind.texts.get(behind.sheet)
    if text is None:
        return "its sheet is not kept"
    if digest_bytes(text.encode()) != behind.sheet:
        return "its sheet has another digest than its entry names"
    try:
        sheet = Sheet.model_validate_json(text)
        documents = []
        for part, name in (("policy", sheet.policy), ("facts", sheet.facts), ("decisions", sheet.decisions)):
            body = behind.texts.get(name)
            if body is None:
                return f"its {part} is not kept"
            if digest_bytes(body.encode()) != name:
                return f"its {part} has another digest than its sheet names"
            documents.append(body)
        policy, facts, decisions = documents
        again = inspect(
            policy_of(policy),
            Facts.model_validate_json(facts),
            Decisions.model_validate_json(decisions),
            sheet.at,
        )
    except (ValidationError, UninheritedError) as exc:
        return f"it cannot be worked out again: {str(exc).splitlines()[0]}"
    if canonical(again).decode() == text:
        return None
    differing = [
        name
        for name in Sheet.model_fields
        if getattr(again, name) != getattr(sheet, name) or again.plain().get(name) != sheet.plain().get(name)
    ]
    return f"it comes out otherwise in {', '.join(differing) or 'the order of its parts'}"
