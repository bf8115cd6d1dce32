"""What the database is asked."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import event
from sqlalchemy.engine import Engine


@contextmanager
def asked() -> Iterator[list[tuple[str, Any]]]:
    """Every statement of a block in turn, with what it was asked for."""
    found: list[tuple[str, Any]] = []

    def ask(_connection, _cursor, statement, parameters, *_) -> None:
        found.append((statement, parameters))

    event.listen(Engine, "before_cursor_execute", ask)
    try:
        yield found
    finally:
        event.remove(Engine, "before_cursor_execute", ask)
