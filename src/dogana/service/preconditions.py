"""What an act needs before it does anything: a reason, and that what is changed is as it was seen."""

from dataclasses import dataclass
from typing import Literal

from dogana.core.errors import ChangedError, InvalidError


def must_say(reason: str, why: str, field: Literal["/reason", "/comment"]) -> None:
    """See that somebody gives a reason.

    Args:
        reason: what they wrote.
        why: what they are told without one, a sentence.
        field: where it belongs.

    Raises:
        InvalidError: when there is none.
    """
    if not reason.strip():
        raise InvalidError(why, fields=[(field, "needed")])


@dataclass(frozen=True, kw_only=True)
class Seen:
    """What somebody has seen of what they change."""

    anything: bool = False
    """Whether it is enough that it is there."""
    versions: frozenset[str] = frozenset()

    def must_be(self, version: str | None) -> None:
        """See that it is as it was seen.

        Args:
            version: which it is now; None where it is not there.

        Raises:
            ChangedError: when it is not, and so also when it is not there.
        """
        if version is None or not (self.anything or version in self.versions):
            raise ChangedError
