"""The tables of what a directory keeps here: its people, its groups, and who is in which."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from dogana.store.tables.base import Table


class DirectoryPersonRow(Table):
    """Somebody of the directory."""

    __tablename__ = "directory_people"

    id: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    """Their name there, as names are compared."""
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    """What it says of them."""
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]
    person_id: Mapped[str | None] = mapped_column(ForeignKey("people.id"), unique=True)
    """Who they are here; None while they come to nothing."""
    disabled: Mapped[bool] = mapped_column(default=False)
    """Whether they may not come in here because the directory says so: it alone lets them in again then."""


class DirectoryGroupRow(Table):
    """A group of the directory."""

    __tablename__ = "directory_groups"

    id: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    """Its name there, as names are compared."""
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created_at: Mapped[datetime]
    changed_at: Mapped[datetime]


class DirectoryMemberRow(Table):
    """Who is in which group of the directory."""

    __tablename__ = "directory_members"

    group_id: Mapped[str] = mapped_column(
        ForeignKey("directory_groups.id", ondelete="CASCADE"), primary_key=True
    )
    member_id: Mapped[str] = mapped_column(
        ForeignKey("directory_people.id", ondelete="CASCADE"), primary_key=True, index=True
    )
