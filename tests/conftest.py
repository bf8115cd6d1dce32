"""One PostgreSQL cluster for the whole run; a fresh database, copied from a template, for each test."""

import gc
import os
import shutil
import tempfile
from collections.abc import AsyncIterator, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import hypothesis
import pytest
import structlog
from xdist.remote import Producer
from xdist.scheduler import LoadScopeScheduling

from dogana.demo.cluster import Cluster, Urls, free_port
from dogana.demo.instance import Instance
from dogana.demo.running import Running
from dogana.store.migrate import migrate
from tests.locks import ORDER
from tests.watched import BLOCKED
from tests.world import World

# How long one example takes says more of the machine than of us.
hypothesis.settings.register_profile("dogana", deadline=None)
hypothesis.settings.load_profile("dogana")

# A traceback with what every variable held takes a second to write.
structlog.configure(
    processors=[structlog.dev.ConsoleRenderer(exception_formatter=structlog.dev.plain_traceback)]
)

ROOT = Path(__file__).parents[1]
_GIVES_WAY = 5
_MEMORY, _ROOM_BYTES = Path("/dev/shm"), 4 << 30
_INSTANCE = ExitStack()
_GOES_IN = "tests/browser/test_going_in_on_screen.py::test_it_is_watched"
_NEED_THE_INSTANCE = (
    "tests/browser/",
    "tests/cli/test_commands.py",
    "tests/sources/test_metrics.py::test_the_real_server_is_asked_about_the_real_fleet",
)


_SHARE = (
    "tests/core/",
    "tests/installation/test_from_the_documents.py",
    "tests/service/chat/",
    "tests/web/test_directory.py",
)
"""Properties share what makes their examples; others a server or an installation, that ends with its file."""


class _OneInstance(LoadScopeScheduling):
    """What needs the whole instance runs in one process, so that one is made; the rest as it comes."""

    def _split_scope(self, nodeid: str) -> str:
        if nodeid.startswith(_NEED_THE_INSTANCE):
            return "live"
        return nodeid.partition("::")[0] if nodeid.startswith(_SHARE) else nodeid


def pytest_configure(config: pytest.Config) -> None:
    """All files of the tests go where making them is cheapest: a copy of a database is eight hundred.

    That is in memory, where there is room for them, and the whole of it is removed at the end.
    """
    if hasattr(config, "workerinput"):
        return
    roomy = _MEMORY.is_dir() and shutil.disk_usage(_MEMORY).free >= _ROOM_BYTES
    folder = Path(tempfile.mkdtemp(prefix="dogana-tests-", dir=_MEMORY if roomy else None))
    # The database server runs as an ordinary user.
    folder.chmod(0o755)
    os.environ["TMPDIR"] = tempfile.tempdir = str(folder)
    config.add_cleanup(partial(shutil.rmtree, folder, ignore_errors=True))


@pytest.hookimpl(trylast=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What needs the instance comes first, whatever the order of the rest: it takes one process longest.

    Of that, what watches the one that goes in: it stands still after a minute, or is in after twenty.
    """
    items.sort(
        key=lambda item: (
            not item.nodeid.startswith(_GOES_IN),
            not item.nodeid.startswith(_NEED_THE_INSTANCE),
        )
    )


def pytest_collection_finish() -> None:
    """What is loaded by now stays: nobody has to look through it for garbage again and again."""
    gc.collect()
    gc.freeze()


def pytest_runtest_setup(item: pytest.Item) -> None:
    """Whoever waits for a browser goes before: the rest fills what that leaves of the processors."""
    if not item.nodeid.startswith(_NEED_THE_INSTANCE) and os.nice(0) == 0:
        os.nice(_GIVES_WAY)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_teardown(item: pytest.Item, nextitem: pytest.Item | None) -> Iterator[None]:
    """The instance ends with the last test that needs it: it takes half a processor while it is up."""
    yield
    if nextitem is not None and not nextitem.nodeid.startswith(_NEED_THE_INSTANCE):
        _INSTANCE.close()


def pytest_xdist_make_scheduler(config: pytest.Config, log: Producer) -> LoadScopeScheduling:
    return _OneInstance(config, log)


@contextmanager
def running_cluster(name: str) -> Iterator[Cluster]:
    """A cluster of the tests, while the block lasts."""
    cluster = Cluster(Path(tempfile.gettempdir()) / f"cluster-{name}", passing=True)
    cluster.start()
    try:
        yield cluster
    finally:
        cluster.stop()


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    with running_cluster(os.environ.get("PYTEST_XDIST_WORKER", "alone")) as cluster:
        yield cluster


@pytest.fixture(scope="session")
def template(cluster: Cluster) -> str:
    urls = cluster.make_database("template_dogana", anew=True)
    migrate(urls.owner, urls.application)
    return "template_dogana"


@pytest.fixture(scope="session")
async def furnished(
    cluster: Cluster, template: str, tmp_path_factory: pytest.TempPathFactory
) -> tuple[str, Path]:
    """What each world begins as a copy of: furnishing one takes longer than most tests do."""
    folder = tmp_path_factory.mktemp("furnished")
    async with World.made(cluster.make_database("template_world", anew=True, template=template), folder):
        pass
    return "template_world", folder


@pytest.fixture
def urls(cluster: Cluster, furnished: tuple[str, Path]) -> Iterator[Urls]:
    yield cluster.make_database("test", anew=True, template=furnished[0])
    cluster.drop_database("test")


@pytest.fixture
async def world(
    urls: Urls, furnished: tuple[str, Path], tmp_path: Path, request: pytest.FixtureRequest
) -> AsyncIterator[World]:
    with ORDER.watched():
        async with World.made(urls, tmp_path, furnished[1]) as world:
            yield world
    assert BLOCKED.each_time(request.node.nodeid, world.blocked) == {}, "requests kept the event loop"
    assert ORDER.rings() == [], "locks are taken in opposite orders"


@dataclass(frozen=True)
class Live:
    """A whole instance with the scenario's last days, run as the demo is."""

    instance: Instance
    running: Running


@pytest.fixture(scope="session")
def live() -> Iterator[Live]:
    folder = Path(tempfile.mkdtemp(prefix="dogana-live-"))
    folder.chmod(0o755)
    instance = Instance(folder, ROOT / "web" / "build", lambda _: None)
    _INSTANCE.callback(shutil.rmtree, folder, ignore_errors=True)
    _INSTANCE.callback(instance.stop)
    with _INSTANCE:
        yield Live(instance, instance.start(port=free_port(), past=False, takes=1.0))
