"""`dogana estate` and `dogana where`, against the running application and from an export alone."""

import asyncio
import json
import os
import sys
from datetime import timedelta
from pathlib import Path

import pytest
from tests.serving import Outside, served
from tests.world import World

from dogana.demo.cast import ACTORS
from dogana.service.ledger import audit


async def said(world: World, *arguments: str) -> tuple[int, str, str]:
    """The command's exit, output and complaints; it holds a token that may read."""
    token = await world.token(ACTORS["dario"], person="pipeline", title="t", scopes=("read",), days=1)
    outside = Outside()
    async with served(outside, world.app()):
        started = await asyncio.create_subprocess_exec(
            *(sys.executable, "-m", "dogana", *arguments),
            env={**os.environ, "DOGANA_URL": outside.url, "DOGANA_TOKEN": token},
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.PIPE,
        )
        out, err = await asyncio.wait_for(started.communicate(), 30)
    assert started.returncode is not None
    return started.returncode, out.decode(), err.decode()


@pytest.mark.thorough
async def test_the_estate_in_a_terminal_now_then_and_between(world: World):
    """A table for people, JSON for programs; before the first landing it says so."""
    await world.landed("bench", "1.1.0")
    first = world.clock.now
    world.clock.now += timedelta(hours=2)
    await world.landed("bench", "1.2.0")
    code, out, _ = await said(world, "estate", "--service", "taps-portal")
    assert code == 0
    assert out.splitlines()[0].split()[:2] == ["Bench", "Rehearsal"]
    assert out.splitlines()[1].split()[:3] == ["Taps", "portal", "1.2.0"]
    code, out, _ = await said(world, "estate", "--json", "--at", first.isoformat())
    row = next(one for one in json.loads(out)["rows"] if one["service"]["id"] == "taps-portal")
    assert (code, row["cells"][0]["version"]) == (0, "1.1.0")
    code, out, _ = await said(world, "estate", "--at", "2020-01-01T00:00Z")
    assert (code, out.startswith("Nothing is known of before")) == (0, True)
    code, out, _ = await said(world, "estate", "diff", first.isoformat())
    assert (code, out.splitlines()) == (
        0,
        [
            "One release landed; something else runs in one place.",
            "  Taps portal in Bench: 1.1.0 -> 1.2.0",
        ],
    )
    code, out, err = await said(world, "estate", "diff", "yesterday")
    assert (code != 0, out) == (True, "")
    assert err


@pytest.mark.thorough
async def test_where_something_is_by_its_exit(world: World):
    """0 found, 1 not found, 2 not known whether that is all."""
    await world.landed("bench", "1.2.0")
    code, out, _ = await said(world, "where", "TAPS-2")
    assert (code, out.splitlines()[0]) == (0, "TAPS-2: ticket")
    assert "Bench: 1.2.0 runs since" in out
    code, out, err = await said(world, "where", "codec < 2")
    assert (code, out.splitlines()[0]) == (2, "codec < 2: found in nothing")
    assert "came with no list of components" in err
    assert (await said(world, "where", "0" * 40))[0] == 1


@pytest.mark.thorough
async def test_the_estate_from_an_export_asks_nobody(world: World, tmp_path: Path):
    """And a broken export is refused, not read as far as it goes."""
    await world.landed("bench", "1.1.0")
    first = world.clock.now
    world.clock.now += timedelta(hours=2)
    await world.landed("bench", "1.2.0")
    await world.sequence()
    file = tmp_path / "ledger.jsonl"
    lines = [f"{line}\n" async for line in audit.export(world.backend)]
    file.write_text("".join(lines))
    code, out, _ = await said(world, "estate", "--record", str(file), "--json")
    assert (code, json.loads(out)["version"]) == (0, "1.2.0")
    code, out, _ = await said(world, "estate", "--record", str(file), "--at", first.isoformat())
    assert (code, out.split()[:4]) == (0, ["taps-portal", "in", "bench:", "1.1.0"])
    for broken in ("".join(lines)[:-40], "x"):
        file.write_text(broken)
        code, out, err = await said(world, "estate", "--record", str(file))
        assert (code != 0, out) == (True, "")
        assert "ledger" in err
