"""The past of the fleet: what runs, and the metrics as the server would have scraped them."""

import json
import shutil
import subprocess
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

import httpx

from dogana.demo.cluster import ClusterError, free_port
from dogana.standins.fleet import ENVIRONMENTS, METRICS, value
from dogana.store import Database, history

_EVERY = timedelta(minutes=5)
_GAP = timedelta(minutes=2)
"""Before the server starts, so that what it scrapes itself comes after."""
_TRIES = 300
_BLOCKS = ("-q", "--max-block-duration=256h")
"""In blocks of two hours, which are usual, it would take a minute."""
_LATE = timedelta(minutes=25)
_BY_HAND = ("live-north", "field-app")
_MUCH, _SOME = 5.5, 2.2
"""The first is beyond the limit of those who watch it; the second is where nobody does."""


@dataclass(frozen=True, kw_only=True)
class Rise:
    """For how long a metric of an environment was higher than usual, and how many times."""

    metric: str
    environment: str
    start: datetime
    end: datetime | None
    """None where it still is."""
    factor: float


async def rises(database: Database) -> list[Rise]:
    """What the history tells of: valves that answered late, once while one went in, and since another."""
    service, metric = "valve-command", "valve_ack_seconds"
    found = []
    async with database.transaction() as session:
        for one in await history.page(
            session, service=service, environment="live-north", before=None, limit=50
        ):
            if one.taken_back:
                start, end = one.at - _LATE, one.at + _GAP
                found.append(
                    Rise(metric=metric, environment="live-north", start=start, end=end, factor=_MUCH)
                )
        last = await history.page(session, service=service, environment="rehearsal", before=None, limit=1)
        found += [
            Rise(metric=metric, environment="rehearsal", start=one.at, end=None, factor=_SOME) for one in last
        ]
    return found


async def what_runs(database: Database) -> dict[str, str]:
    """What runs, by `environment/service`: what landed, but in one place where somebody went back by hand."""
    async with database.transaction() as session:
        rows = await history.page(session, service=None, environment=None, before=None, limit=5000)
    landed = [one for one in rows if not one.taken_back]
    found = {f"{one.environment}/{one.service}": one.version for one in reversed(landed)}
    changed = [one.version for one in landed if (one.environment, one.service) == _BY_HAND]
    if len(changed) > 1:
        found["/".join(_BY_HAND)] = changed[1]
    return found


def write(
    folder: Path, troubles: Path, job: dict[str, str], now: datetime, days: int, rises: Sequence[Rise]
) -> None:
    """Write the past as blocks that a metrics server reads when it starts, and have the fleet go on like it.

    Args:
        folder: the server's data.
        troubles: the file that tells the fleet what is higher than usual now.
        job: the labels that the server gives what it scrapes.
        now: until when, less a moment.
        days: how far back.
        rises: what was otherwise than usual.

    Raises:
        CalledProcessError: when the blocks cannot be made.
    """
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    pages = folder.parent / "past.txt"
    with pages.open("w") as page:
        page.writelines(_page(now - timedelta(days=days), now - _GAP, job, rises))
    subprocess.run(
        ["promtool", "tsdb", "create-blocks-from", "openmetrics", *_BLOCKS, str(pages), str(folder)],
        check=True,
        capture_output=True,
    )
    pages.unlink()
    lasting = {f"{one.metric}/{one.environment}": one.factor for one in rises if one.end is None}
    troubles.write_text(json.dumps(lasting))


@contextmanager
def served(folder: Path, now: datetime, days: int, rises: Sequence[Rise]) -> Iterator[str]:
    """A metrics server of its own that has the past of the fleet, while the block lasts; gives its address.

    Raises:
        ClusterError: when it is not installed, or does not get ready.
    """
    program, port, data = shutil.which("prometheus"), free_port(), folder / "metrics" / "data"
    if program is None:
        raise ClusterError("Prometheus is not installed; ./dogana installs it from Debian's packages.")
    write(data, folder / "troubles.json", {"job": "fleet"}, now, days, rises)
    config = folder / "prometheus.yml"
    config.write_text("{}")
    asked = [f"--config.file={config}", f"--storage.tsdb.path={data}", "--log.level=error"]
    asked += [f"--web.listen-address=127.0.0.1:{port}", "--storage.tsdb.retention.time=60d"]
    running = subprocess.Popen([program, *asked])
    address = f"http://127.0.0.1:{port}"
    try:
        _wait_until_ready(address)
        yield address
    finally:
        running.terminate()
        running.wait()


def _wait_until_ready(address: str) -> None:
    for _ in range(_TRIES):
        try:
            httpx.get(f"{address}/-/ready").raise_for_status()
        except httpx.HTTPError:
            time.sleep(0.1)
        else:
            return
    raise ClusterError("the metrics server did not get ready")


def _page(start: datetime, end: datetime, job: dict[str, str], rises: Sequence[Rise]) -> Iterator[str]:
    labels = "".join(f',{name}="{text}"' for name, text in sorted(job.items()))
    for metric in METRICS:
        yield f"# TYPE {metric} gauge\n"
        for environment in ENVIRONMENTS:
            own = [one for one in rises if (one.metric, one.environment) == (metric, environment)]
            at = start
            while at < end:
                factor = 1.0
                for one in own:
                    if one.start <= at and (one.end is None or at < one.end):
                        factor *= one.factor
                shown = value(metric, environment, at) * factor
                yield f'{metric}{{environment="{environment}"{labels}}} {shown:.6g} {at.timestamp():.0f}\n'
                at += _EVERY
    yield "# EOF\n"
