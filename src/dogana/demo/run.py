"""`dogana demo`."""

import signal
import time
from pathlib import Path

import httpx
from rich.console import Console
from rich.table import Table

from dogana.demo.cast import CAST, GROUPS, PASSWORD
from dogana.demo.cluster import ClusterError
from dogana.demo.instance import Instance
from dogana.demo.running import Running
from dogana.standins.fleet import make_bad


def run_demo(root: Path, *, port: int | None, fresh: bool, bad: str | None = None) -> int:
    """Start the demo, print how to use it, and wait for Ctrl-C.

    Returns:
        0 after Ctrl-C, 1 when it could not start or a part of it ended.
    """
    console = Console(highlight=False)
    began = time.monotonic()
    status = console.status("starting")
    status.start()
    last = ""

    def say(text: str) -> None:
        nonlocal last
        status.update(text)
        group = text.split(":", maxsplit=1)[0]
        if group != last:
            last = group
            console.print(f"  {time.monotonic() - began:5.1f} s  {group}")

    instance = Instance(root / ".dogana" / "demo", root / "web" / "build", say)
    other = Running.load(instance.running_file)
    if other is not None:
        status.stop()
        console.print(f"The demo runs already, at {other.url} (process {other.pid}).")
        return 1
    for asked_to_stop in (signal.SIGINT, signal.SIGTERM):
        signal.signal(asked_to_stop, _interrupt)
    try:
        running = instance.start(port=port, fresh=fresh)
        status.stop()
        _welcome(console, running, time.monotonic() - began)
        if bad is not None:
            make_bad(running.fleet, bad)
            going = let_go(running.url, bad)
            console.print(
                f"Made bad: {', '.join(going)}." if going else f"Nothing of {bad} goes in just now."
            )
        ended = instance.wait()
    except ClusterError as exc:
        console.print(f"Could not start: {exc}.")
        return 1
    except KeyboardInterrupt:
        console.print("\nStopping.")
        return 0
    finally:
        status.stop()
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        instance.stop()
    console.print(f"The {ended} ended by itself; see {instance.folder / f'{ended}.log'}.")
    return 1


def let_go(url: str, service: str) -> list[str]:
    """Let what is cleared of a service depart, by the release desk; what of it goes in then, in words.

    Raises:
        httpx.HTTPError: when the demo does not answer.
    """
    ilse = next(member for member in CAST if member.id == "ilse")
    with httpx.Client(base_url=url, timeout=30) as client:
        begun = client.post("/api/session", json={"email": ilse.email, "password": PASSWORD})
        client.headers["X-CSRF-Token"] = begun.raise_for_status().json()["csrf_token"]
        rows = client.get("/api/desk").raise_for_status().json()["rows"]
        own = [
            row for row in rows if row["service"]["id"] == service and row["state"] in ("cleared", "moving")
        ]
        for row in own:
            if row["state"] == "cleared":
                client.post(f"/api/promotions/{row['number']}/depart").raise_for_status()
    return [f"{row['service']['name']} {row['version']} into {row['target']['name']}" for row in own]


def _interrupt(signum: int, frame: object) -> None:
    del signum, frame
    raise KeyboardInterrupt


def _welcome(console: Console, running: Running, seconds: float) -> None:
    table = Table(box=None, pad_edge=False, header_style="bold")
    for title in ("who", "mail", "role", "groups"):
        table.add_column(title)
    for member in CAST:
        if not member.machine:
            groups = ", ".join(GROUPS[group] for group in member.groups)
            table.add_row(member.name, member.email, ", ".join(member.roles), groups)
    console.print(f"\nDogana is at [bold]{running.url}[/bold] (started in {seconds:.1f} s).")
    console.print(f"Everybody's password is [bold]{PASSWORD}[/bold].\n")
    console.print(table)
    console.print(f"\nWhat serves the valley, and where one makes a newcomer bad: {running.fleet}")
    console.print(f"Everybody's mail: {running.mailbox}")
    console.print(f"The chat: {running.chat}")
    console.print(f"What the capacity check was asked, and where one has it say no: {running.capacity}")
    console.print("Ctrl-C stops it; the next start keeps what you did, --fresh starts over.")
