"""When what could not be told is tried again, and when it is given up."""

from datetime import timedelta

_AGAIN_AFTER = tuple(
    timedelta(seconds=seconds) for seconds in (5, 30, 120, 600, 3600, 6 * 3600, 12 * 3600, 24 * 3600)
)


def again_after(attempts: int) -> timedelta | None:
    """How long after so many attempts the next one is; None where it is given up."""
    return _AGAIN_AFTER[attempts - 1] if attempts <= len(_AGAIN_AFTER) else None
