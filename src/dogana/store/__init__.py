"""PostgreSQL through SQLAlchemy: tables, migrations, queries. The only place that knows SQL.

Everyone above gets sessions and rows from here and errors of the domain, never the driver's.
"""

from sqlalchemy.ext.asyncio import AsyncSession as Session

from dogana.store.database import Database

__all__ = ["Database", "Session"]
