"""A past in bulk: rows of what is over, copied in by the thousand, as the application would write them.

Entries, documents, leaves and checkpoints are made by the code that makes them otherwise: their digests and
hashes are real, and the whole verifies. What is not worked out is each sheet; sheets differ from the one they
are made like in their time and in the facts they name.
"""

import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import psycopg
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from psycopg import sql
from psycopg.types.json import Jsonb

from dogana.core.facts import Facts
from dogana.core.record.canonical import digest_bytes
from dogana.core.record.checkpoint import Checkpoint, sign, stated
from dogana.core.record.merkle import Frontier, leaf_hash
from dogana.demo.cluster import plain
from dogana.store.packing import packed
from dogana.store.tables.ledger import EntryRow

_FLUSHED_AT = 20_000
_ORDER = (
    "services",
    "releases",
    "documents",
    "promotions",
    "decisions",
    "ledger_entries",
    "ledger_leaves",
    "ledger_checkpoints",
)
"""What refers to what is before it."""
_MADE_AT_THE_END = ("ix_ledger_entries_words", "ix_ledger_entries_digests")
_NUMBERED = {"releases": "id", "promotions": "number", "ledger_entries": "id", "decisions": "id"}


@dataclass
class History:
    """Rows that wait to be copied in; a checkpoint goes over every few entries."""

    connection: psycopg.Connection[Any]
    key: Ed25519PrivateKey
    name: str
    """Of the ledger."""
    entries_each: int = 4
    """Entries under each checkpoint."""
    _rows: dict[str, list[dict[str, Any]]] = field(default_factory=lambda: defaultdict(list))
    _kept: set[str] = field(default_factory=set)
    _tree: Frontier = field(default_factory=Frontier)
    _entry: int = 0
    _indexes: list[bytes] = field(default_factory=list)
    _signed_at: datetime | None = None
    """No checkpoint is signed earlier than the one before."""

    def row(self, table: str, **values: Any) -> None:
        """A row of a table."""
        self._rows[table].append(values)

    def document(self, kind: str, text: bytes) -> str:
        """A document of its kind; its digest."""
        digest = digest_bytes(text)
        if digest not in self._kept:
            self._kept.add(digest)
            self.row("documents", digest=digest, kind=kind, body=packed(text.decode()))
        return digest

    def facts(self, facts: Facts) -> str:
        """Facts and their parts; their digest."""
        for body in facts.divided.parts.values():
            self.document("part", body)
        return self.document("facts", facts.divided.index)

    def entry(self, entry: EntryRow) -> None:
        """An entry, as a leaf of the log."""
        columns = ("at", "action", "actor_id", "promotion", "environment_id", "service_id", "body")
        self._entry += 1
        self.row("ledger_entries", id=self._entry, **{name: getattr(entry, name) for name in columns})
        leaf = leaf_hash(entry.body.encode())
        self.row("ledger_leaves", leaf_index=self._tree.size, entry_id=self._entry, leaf_hash=leaf)
        self._tree = self._tree.append(leaf)
        self._signed_at = max(self._signed_at or entry.at, entry.at)
        if self._tree.size % self.entries_each == 0:
            self._sign()

    @property
    def entries(self) -> int:
        """How many there are."""
        return self._tree.size

    def _sign(self) -> None:
        if self._signed_at is None:
            return
        over = Checkpoint(
            origin=self.name, size=self._tree.size, root=self._tree.root(), signed_at=self._signed_at
        )
        note = sign(over, self.key)
        self.row("ledger_checkpoints", size=self._tree.size, frontier=self._tree.pack(), note=note)

    def flush(self, *, always: bool = False) -> None:
        """Copy the rows in, once there are enough."""
        if always or len(self._rows["ledger_entries"]) >= _FLUSHED_AT:
            for table in _ORDER:
                _copy(self.connection, table, self._rows.pop(table, []))

    def begin(self) -> None:
        """Go on from what is there.

        Raises:
            ValueError: when some of it waits for its index.
        """
        waits = self.connection.execute("SELECT count(*) FROM ledger_unsequenced").fetchone()
        if waits is None or waits[0]:
            raise ValueError("there are entries that have no index yet")
        found = self.connection.execute("SELECT coalesce(max(id), 0) FROM ledger_entries").fetchone()
        self._entry = found[0] if found else 0
        last = self.connection.execute(
            "SELECT size, frontier, note FROM ledger_checkpoints ORDER BY size DESC LIMIT 1"
        ).fetchone()
        if last is not None:
            self._tree, self._signed_at = Frontier.unpack(last[0], bytes(last[1])), stated(last[2]).signed_at
        # What is copied here has its leaf already.
        self.connection.execute("ALTER TABLE ledger_entries DISABLE TRIGGER waits")
        for index in _MADE_AT_THE_END:
            self._indexes.append(self._definition(index))
            self.connection.execute(sql.SQL("DROP INDEX {}").format(sql.Identifier(index)))

    def _definition(self, index: str) -> bytes:
        found = self.connection.execute("SELECT pg_get_indexdef(%s::regclass)", [index]).fetchone()
        return str(found[0]).encode() if found else b""

    def end(self) -> None:
        """Sign over the rest, and have the database count on from here."""
        if self._tree.size % self.entries_each:
            self._sign()
        self.flush(always=True)
        self.connection.execute("ALTER TABLE ledger_entries ENABLE TRIGGER waits")
        # Made at the end, it takes a third of the time.
        for index in self._indexes:
            self.connection.execute(index)
        count_on = "SELECT setval(pg_get_serial_sequence({}, {}), greatest(1, max({}))) FROM {}"
        for table, column in _NUMBERED.items():
            named = (sql.Literal(table), sql.Literal(column), sql.Identifier(column), sql.Identifier(table))
            self.connection.execute(sql.SQL(count_on).format(*named))


@contextmanager
def history(url: str, key: Ed25519PrivateKey, name: str) -> Iterator[History]:
    """What is written in a block, in one transaction, as the owner of the database."""
    with psycopg.connect(plain(url)) as connection:
        past = History(connection, key, name)
        past.begin()
        yield past
        past.end()
    with psycopg.connect(plain(url), autocommit=True) as connection:
        connection.execute("VACUUM ANALYZE")


def _copy(connection: psycopg.Connection[Any], table: str, rows: Iterable[dict[str, Any]]) -> None:
    rows = list(rows)
    if not rows:
        return
    columns = list(rows[0])
    command = sql.SQL("COPY {} ({}) FROM STDIN").format(
        sql.Identifier(table), sql.SQL(", ").join(map(sql.Identifier, columns))
    )
    with connection.cursor() as cursor, cursor.copy(command) as copy:
        for row in rows:
            copy.write_row([_value(row[name]) for name in columns])


def _value(value: Any) -> Any:
    if isinstance(value, dict) or (isinstance(value, list) and value and isinstance(value[0], dict)):
        return Jsonb(value, dumps=json.dumps)
    return value
