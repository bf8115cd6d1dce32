"""Errors of the domain. The web layer alone turns them into problem details, the command line into exits.

DoganaError
+-- InvalidError         the request cannot be understood or names nothing known
|   +-- UnknownNameError, TooLargeError, TooMuchError
|   +-- InvalidPolicyError
|   +-- DigestMismatchError
|   +-- NotNextLegError
|   +-- RepositoryError
+-- ConflictError        it was possible, and is not any more
|   +-- MovedOnError, ChangedSinceShownError, AlreadyDecidedError, NoSeatError,
|   +-- AlreadyPendingError, AlreadyRunsError, OccupiedError, NotClearedError, NotYetError,
|   +-- ChangedError, BusyError, BadClearanceError
+-- RefusedError         this person or token may not
|   +-- ExcludedError, OwnDraftError, ForbiddenError
+-- TooOftenError        it was tried too often; it may be tried again in a while
+-- SignedOutError       nobody is signed in, or the password is wrong
+-- NotFoundError
+-- AwayError            a part of Dogana itself is not there just now
|   +-- SealingError, AgainError
+-- MisconfiguredError   it cannot start, or cannot work, as it was set up
"""

from typing import ClassVar


class DoganaError(Exception):
    """Something went wrong."""

    code: ClassVar[str] = "error"

    def __init__(self, detail: str = "", *, fields: list[tuple[str, str]] | None = None) -> None:
        self.detail = detail or type(self).__doc__ or ""
        self.fields = fields or []
        super().__init__(self.detail)


class InvalidError(DoganaError):
    """The request cannot be used."""

    code = "invalid"


class MisconfiguredError(DoganaError):
    """It cannot run as it was set up."""

    code = "misconfigured"


class TooLargeError(InvalidError):
    """It is larger than is taken."""

    code = "too_large"


class TooMuchError(InvalidError):
    """It takes longer, or more memory, than there is for it."""

    code = "too_much"


class UnknownNameError(InvalidError):
    """A name is not known here."""

    code = "unknown_name"


class InvalidPolicyError(InvalidError):
    """The document is not a valid policy."""

    code = "invalid_policy"


class DigestMismatchError(InvalidError):
    """The artifact is not the one on record for this version."""

    code = "digest_mismatch"


class NotNextLegError(InvalidError):
    """The environment is not the next leg of the route."""

    code = "not_next_leg"


class RepositoryError(InvalidError):
    """The repository or the revision cannot be read."""

    code = "repository"


class ConflictError(DoganaError):
    """It is not possible any more."""

    code = "conflict"


class MovedOnError(ConflictError):
    """The promotion has moved on."""

    code = "moved_on"


class ChangedSinceShownError(ConflictError):
    """What you were shown has changed since."""

    code = "changed_since_shown"


class AlreadyDecidedError(ConflictError):
    """You have approved this promotion already."""

    code = "already_decided"


class NoSeatError(ConflictError):
    """No open seat is yours to take."""

    code = "no_seat"


class AlreadyPendingError(ConflictError):
    """This release already has a promotion under way into this environment."""

    code = "already_pending"


class AlreadyRunsError(ConflictError):
    """This release already runs in this environment."""

    code = "already_runs"


class OccupiedError(ConflictError):
    """Another release of this service is moving into this environment now."""

    code = "occupied"


class NotClearedError(ConflictError):
    """The promotion is not cleared."""

    code = "not_cleared"


class ChangedError(ConflictError):
    """Somebody else has changed it meanwhile; load it again."""

    code = "changed"


class TakenError(ConflictError):
    """Another has that name already."""

    code = "taken"


class BusyError(ConflictError):
    """The same request is being worked on."""

    code = "busy"


class NotYetError(NotClearedError):
    """The environment takes in what is cleared at its set times."""

    code = "not_yet"


class RefusedError(DoganaError):
    """You may not do this."""

    code = "refused"


class ForbiddenError(RefusedError):
    """Your roles do not allow this."""

    code = "forbidden"


class StepUpError(ForbiddenError):
    """This takes a sign-in that is younger, or stronger, than the one of the session."""

    code = "step_up"

    def __init__(self) -> None:
        super().__init__("This takes a fresh sign-in. Sign in again, then do it once more.")


class ExcludedError(RefusedError):
    """You asked for this change or wrote part of it, so you may not decide on it."""

    code = "excluded"


class OwnDraftError(RefusedError):
    """Whoever drafted a policy may not adopt it."""

    code = "own_draft"


class TooOftenError(DoganaError):
    """It was tried too often; wait a while."""

    code = "too_often"

    def __init__(self, detail: str, *, seconds: int) -> None:
        super().__init__(detail)
        self.seconds = seconds
        """After how many it may be tried again."""


class SignedOutError(DoganaError):
    """Sign in first."""

    code = "signed_out"


class BadClearanceError(ConflictError):
    """This is no clearance of this Dogana."""

    code = "bad_clearance"


class NotFoundError(DoganaError):
    """There is no such thing here."""

    code = "not_found"


class AwayError(DoganaError):
    """The database cannot be reached just now; nothing was decided."""

    code = "away"


class AgainError(AwayError):
    """The database asked for this to be tried again, and it was, in vain; nothing was decided."""

    code = "again"


class SealingError(AwayError):
    """No sealing key is set up; `dogana seal new` makes one."""

    code = "sealing"


CONSTRAINTS: dict[str, type[DoganaError]] = {
    "uq_decisions_one_standing_approval": AlreadyDecidedError,
    "uq_promotions_one_pending": AlreadyPendingError,
    "uq_promotions_one_moving": OccupiedError,
    "uq_releases_version": BusyError,
    "uq_clearances_one_live": BusyError,
    "uq_sealed_values_name": BusyError,
    "uq_proposals_open": BusyError,
}
