"""How what departed turned out."""

from sqlalchemy import ColumnElement, or_, select

from dogana.store.tables.incidents import IncidentRow
from dogana.store.tables.promotions import PromotionRow, State
from dogana.store.tables.sign_offs import SignOffRow


def went_badly() -> ColumnElement[bool]:
    """Whether a promotion was taken back, closed with issues, or had an incident after it."""
    number = PromotionRow.number
    issues = select(SignOffRow.promotion).where(
        SignOffRow.promotion == number, SignOffRow.issues.is_not(None)
    )
    incident = select(IncidentRow.number).where(IncidentRow.landing == number)
    return or_(PromotionRow.state == State.ROLLED_BACK, issues.exists(), incident.exists())
