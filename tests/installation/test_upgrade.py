"""An upgrade from the last landed version with data in it, and old processes beside the new schema."""

import shutil
import subprocess
from pathlib import Path

import pytest
from sqlalchemy import create_engine, inspect
from tests.installation.test_wrong_settings import LANDED, dogana, restored

from dogana.demo.cluster import Cluster, Urls, plain
from dogana.store.migrate import migrate
from dogana.store.tables.base import Table

pytestmark = pytest.mark.thorough


@pytest.fixture
def upgraded(cluster: Cluster):
    urls = cluster.make_database("upgraded", anew=True)
    restored(cluster, "upgraded")
    before = shape(urls)
    migrate(urls.owner, urls.application)
    yield urls, before
    cluster.drop_database("upgraded")


def shape(urls: Urls) -> dict[str, dict[str, dict]]:
    engine = create_engine(urls.owner)
    with engine.connect() as connection:
        found = inspect(connection)
        tables = {
            name: {one["name"]: one for one in found.get_columns(name)} for name in found.get_table_names()
        }
    engine.dispose()
    return tables


def test_what_the_last_version_wrote_verifies_and_goes_on(upgraded: tuple[Urls, dict], tmp_path: Path):
    """Every entry, every document, every sheet; with its own keys, and with those alone."""
    urls, _ = upgraded
    shutil.copy(LANDED / "signing.pem", tmp_path)
    settings = {
        "DOGANA_DATABASE_URL": urls.application,
        "DOGANA_SIGNING_KEY": str(tmp_path / "signing.pem"),
        "DOGANA_SEALING_KEYS_FILE": str(LANDED / "sealing.keys"),
        "DOGANA_LEDGER_NAME": "test",
    }
    assert dogana(settings, "check")[0] == 0
    assert dogana(settings, "ledger", "verify", "--documents")[0] == 0
    assert dogana(settings, "ledger", "replay")[0] == 0
    assert dogana(settings | {"DOGANA_SEALING_KEYS_FILE": "/nowhere"}, "check")[0] == 78
    assert dogana(settings | {"DOGANA_LEDGER_NAME": "another"}, "check")[0] == 78


def test_migrations_only_add_what_old_processes_need_not_know(upgraded: tuple[Urls, dict]):
    """Nothing that the last version reads or writes is gone, renamed, of another type or asks for more."""
    urls, before = upgraded
    after = shape(urls)
    assert set(before) <= set(after)
    for table, columns in before.items():
        for name, column in columns.items():
            now = after[table].get(name)
            assert now is not None, f"{table}.{name} is gone"
            assert str(now["type"]) == str(column["type"]), f"{table}.{name} is of another type"
            assert now["nullable"] or not column["nullable"], f"{table}.{name} must be given now"
        for name in set(after[table]) - set(columns):
            new = after[table][name]
            assert new["nullable"] or new["default"] is not None, f"{table}.{name} is not given by old ones"


def test_the_application_may_read_and_write_what_it_has_tables_for(upgraded: tuple[Urls, dict]):
    """Each table made since has its rights, and the ledger has no more than it had."""
    urls, _ = upgraded
    for table in Table.metadata.sorted_tables:
        psql = ["psql", "-qAtXc", f"SELECT count(*) FROM {table.name}", plain(urls.application)]
        assert subprocess.run(psql, capture_output=True, check=False).returncode == 0, table.name
    refused = ["psql", "-qAtXc", "DELETE FROM ledger_entries", plain(urls.application)]
    assert b"permission denied" in subprocess.run(refused, capture_output=True, check=False).stderr
