"""The kinds of message: one for each step of the work, with when it is sent where nobody chose."""

from enum import StrEnum
from typing import Literal

from dogana.core.record.actions import Action

Timing = Literal["at once", "gathered", "never"]


class Kind(StrEnum):
    """What a message is about. What stands in people's choices stays, so a kind keeps its meaning."""

    SEAT = "seat"
    """A seat is yours to take."""
    REMINDER = "reminder"
    """A seat of yours, or of your group, is still open."""
    SEAT_TAKEN = "seat taken"
    """A seat that you were asked for was taken by another."""
    LAPSED = "lapsed"
    """An approval of yours counts no longer."""
    WAIVER = "waiver"
    """A waiver waits for you."""
    HELD = "held"
    """What you asked for waits."""
    CLEARED = "cleared"
    """What you asked for is cleared."""
    DEPARTED = "departed"
    """What you asked for or approved is on its way in."""
    MOVED_ON = "moved on"
    """It went in by another step."""
    HALTED = "halted"
    """It stands still, or takes longer than it may."""
    LANDED = "landed"
    """It runs there."""
    ROLLED_BACK = "rolled back"
    """It was taken back."""
    ENDED = "ended"
    """What you asked for was turned back, withdrawn or superseded."""
    COMMENT = "comment"
    """A comment names you."""
    DRAFT = "draft"
    """A policy draft waits for a second person."""
    CHANGE = "change"
    """A change of the set-up waits for a second person."""
    SIGN_OFF = "sign-off"
    """You are to say how it is there."""
    INCIDENT = "incident"
    """Something is wrong where you decide or where yours runs."""
    DRIFT = "drift"
    """Something else runs there than was let in."""
    CLOSED = "closed"
    """An environment that yours is to enter was closed."""
    ANSWER_REFUSED = "answer refused"
    """An answer in your name was refused."""
    INVITATION = "invitation"
    """You are to choose a password."""
    ADDRESS = "address"
    """Your mail address here was changed; the one before is told too."""
    BREAK_GLASS = "break glass"
    """Somebody signed in by a password though those are closed."""
    SOURCE = "source"
    """A source that inspections rest on cannot be read."""

    @property
    def always(self) -> bool:
        """Whether it is sent at once whatever anybody chose.

        Who waits for an invitation cannot come in to choose; who takes an account is not to choose for it.
        """
        return self in (Kind.INVITATION, Kind.ADDRESS)

    @property
    def usually(self) -> Timing:
        """When it is sent by mail where nobody chose."""
        return _USUALLY.get(self, "at once")


_USUALLY: dict[Kind, Timing] = {
    Kind.SEAT_TAKEN: "never",
    Kind.DEPARTED: "never",
    Kind.MOVED_ON: "never",
    Kind.CLEARED: "gathered",
    Kind.LANDED: "gathered",
    Kind.DRIFT: "gathered",
}
"""What asks for nothing waits to be gathered, or is only listed."""

OF_ENTRIES: dict[Action, Kind] = {
    Action.ASK_CHANGE: Kind.CHANGE,
    Action.ASK_WAIVER: Kind.WAIVER,
    Action.BREAK_GLASS: Kind.BREAK_GLASS,
    Action.CANCEL: Kind.HALTED,
    Action.CHANGE_ADDRESS: Kind.ADDRESS,
    Action.CLEAR: Kind.CLEARED,
    Action.CLOSE_NOW: Kind.CLOSED,
    Action.COMMENT: Kind.COMMENT,
    Action.DEPART: Kind.DEPARTED,
    Action.DRAFT: Kind.DRAFT,
    Action.DRIFT: Kind.DRIFT,
    Action.HALT: Kind.HALTED,
    Action.HOLD: Kind.HELD,
    Action.INCIDENT_DETECTED: Kind.INCIDENT,
    Action.INVITE: Kind.INVITATION,
    Action.LAND: Kind.LANDED,
    Action.LAND_OTHERWISE: Kind.HALTED,
    Action.LET_GO_ON: Kind.MOVED_ON,
    Action.MISS_DEPARTURE: Kind.HELD,
    Action.ORDER_SHARE: Kind.MOVED_ON,
    Action.OVERDUE: Kind.HALTED,
    Action.REFUSE_ANSWER: Kind.ANSWER_REFUSED,
    Action.REMIND: Kind.SIGN_OFF,
    Action.ROLL_BACK: Kind.ROLLED_BACK,
    Action.SUPERSEDE: Kind.ENDED,
    Action.TURN_BACK: Kind.ENDED,
    Action.WITHDRAW: Kind.ENDED,
}
"""Of which entries of the record somebody is told, and as what."""

ENDED_BY: dict[Action, Kind] = {
    Action.ADOPT: Kind.DRAFT,
    Action.CONFIRM_CHANGE: Kind.CHANGE,
    Action.DRAFT: Kind.DRAFT,
    Action.DROP_CHANGE: Kind.CHANGE,
    Action.DROP_DRAFT: Kind.DRAFT,
}
"""Which entries end what somebody was told of the same: it was decided, or another came in its place."""
