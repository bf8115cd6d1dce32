"""The tables of scopes."""

from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Identity
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class ScopeRow(Table):
    """A named set of tickets."""

    __tablename__ = "scopes"

    number: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    title: Mapped[str]
    due: Mapped[datetime | None]
    themes: Mapped[list[str]]
    tickets: Mapped[list[str]]
    source_id: Mapped[str | None]
    """The tracker that a query keeps it up from; None where its tickets are typed."""
    query: Mapped[str | None]
    read_at: Mapped[datetime | None]
    """When the query was tried last."""
    unknown: Mapped[str | None]
    """Why it could not be answered; then the tickets are those that were known last."""
    agreed_at: Mapped[datetime | None]
    agreed_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    declared_at: Mapped[datetime | None]
    """When it was declared complete; it changes no more after that."""
    declared_by_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"))
    declared: Mapped[str] = mapped_column(default="")
    """What was said to it."""


class ScopeChangeRow(Table):
    """That tickets came into a scope, or went out of it."""

    __tablename__ = "scope_changes"

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    scope: Mapped[int] = mapped_column(ForeignKey("scopes.number"), index=True)
    at: Mapped[datetime]
    by: Mapped[str]
    """By name: a person, or the tracker that answered the query."""
    added: Mapped[list[str]]
    removed: Mapped[list[str]]
