"""What every table is made of."""

from datetime import datetime
from typing import Any

from sqlalchemy import DateTime, LargeBinary, MetaData
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TEXT
from sqlalchemy.orm import DeclarativeBase

_NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_name)s",
    "uq": "uq_%(table_name)s_%(column_0_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_name)s",
    "pk": "pk_%(table_name)s",
}


class Table(DeclarativeBase):
    """Times are UTC instants; text columns have no length limit of their own."""

    metadata = MetaData(naming_convention=_NAMES)
    type_annotation_map = {  # noqa: RUF012 - SQLAlchemy's own way
        datetime: DateTime(timezone=True),
        str: TEXT,
        list[str]: ARRAY(TEXT),
        dict[str, Any]: JSONB,
        list[dict[str, Any]]: JSONB,
        bytes: LargeBinary,
    }
