"""What people and scripts do from a terminal: ask with a plan or for going back, close at once, wait."""

import asyncio
import os
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from tests.cli.test_pipeline import address as _address
from tests.service.promotions.test_what_clears import OPEN
from tests.world import REVIEWERS, World, policy

from dogana.demo.cast import ACTORS

address = _address
END = (datetime.now(UTC) + timedelta(hours=3)).isoformat()


class Terminal:
    """Somebody's shell, with a token of theirs."""

    def __init__(self, address: str, folder: Path, token: str) -> None:
        self._given = {**os.environ, "DOGANA_URL": address, "DOGANA_TOKEN": token}
        self._folder = folder

    async def run(self, *arguments: str) -> tuple[int, str]:
        """The exit code, and what was printed: the answer or, without one, why there is none."""
        process = await asyncio.create_subprocess_exec(
            sys.executable,
            "-m",
            "dogana",
            *arguments,
            cwd=self._folder,
            env=self._given,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.PIPE,
        )
        said, why = await asyncio.wait_for(process.communicate(), 60)
        assert b"Traceback" not in why, why.decode()
        return process.returncode or 0, (said or why).decode().strip()

    async def ask(self, *more: str, to: str = "bench", version: str = "1.2.0") -> tuple[int, str]:
        """For a release of the portal."""
        return await self.run(
            "request",
            "--service=taps-portal",
            f"--version={version}",
            f"--to={to}",
            f"--rev=v{version}",
            "--artifact=portal.tar.gz",
            *more,
        )


@pytest.fixture
async def shell(world: World, address: str, tmp_path: Path):
    """A terminal for anybody."""
    (tmp_path / "portal.tar.gz").write_bytes(b"a build")

    async def of(person: str, *scopes: str) -> Terminal:
        token = await world.token(
            ACTORS["dario" if person == "pipeline" else person],
            person=person,
            title="t",
            scopes=list(scopes),
            days=1,
        )
        return Terminal(address, tmp_path, token)

    return of


@pytest.mark.thorough
async def test_an_environment_is_closed_and_opened_from_a_terminal(world: World, shell):
    """By whom the policy names; the number that is printed opens it again, with a second person."""
    await world.adopt_document("bench", {**policy(OPEN), "closes": "control-room"})
    pipeline = await shell("pipeline", "request", "deploy")
    first, second = [await shell(who, "decide") for who in ("adaeze", "tomas")]
    code, said = await pipeline.run("close", "bench", f"--until={END}", "--reason=ice")
    assert code == 64, said
    code, said = await (await shell("ilse", "decide")).run("close", "bench", f"--until={END}", "--reason=ice")
    assert (code, "control room" in said) == (64, True), said
    code, said = await first.run("close", "bench", "--until=tomorrow", "--reason=ice")
    assert code == 64, said
    code, number = await first.run("close", "bench", f"--until={END}", "--reason=ice")
    assert (code, number.isdigit()) == (0, True)
    code, asked = await pipeline.ask()
    assert code == 0, asked
    code, said = await pipeline.run("wait", asked, "--timeout=1", "--every=0.2")
    assert (code, "closed at once" in said) == (4, True), said
    assert await first.run("open", number, "--reason=thaw") == (0, "A second person has to agree.")
    code, said = await first.run("open", number, "--reason=thaw")
    assert code == 64, said
    assert await second.run("open", number, "--reason=thaw") == (0, "It is open again.")
    code, said = await pipeline.run("wait", asked, "--timeout=30", "--every=0.2")
    assert code == 0, said
    code, said = await second.run("open", number, "--reason=thaw")
    assert (code, said) == (64, "Nothing is closed by that any more.")


PLANS = {
    "steps:\n  - {share: 10, hold: PT10M}\n  - {share: 100}\n": (0, ""),
    "- {share: 10, hold: PT10M}\n- {share: 100}\n": (0, ""),
    "- {share: 10, share: 100}\n": (64, "share stands twice (line 1, column 15)"),
    "- {share: 100}\n- {share: 10}\n": (64, "/plan"),
    "- {share: 10, hold: PT10M}\n": (64, "/plan"),
    "all of it": (64, "/plan"),
    "": (64, "/plan"),
}


@pytest.mark.thorough
async def test_a_plan_comes_from_a_file_or_is_refused_with_its_place(shell, tmp_path: Path):
    """As JSON and YAML give it; never another plan than was meant."""
    pipeline = await shell("pipeline", "request")
    for n, (text, (code, why)) in enumerate(PLANS.items()):
        (tmp_path / "plan.yaml").write_text(text)
        found, said = await pipeline.ask("--plan=plan.yaml", version=f"1.{min(2 + n, 4)}.0")
        assert (found, why in said) == (code, True), (text, said)
    found, said = await pipeline.ask("--plan=missing.yaml")
    assert (found, "cannot be read" in said) == (64, True)


@pytest.mark.thorough
async def test_going_back_is_asked_for_by_its_kind(world: World, shell):
    """What it is for stands on record; going forward is no going back."""
    await world.adopt("bench", OPEN)
    await world.landed("bench", "1.2.0")
    await world.landed("bench", "1.3.0")
    pipeline = await shell("pipeline", "request")
    back = ("request", "--service=taps-portal", "--version=1.2.0", "--to=bench", "--kind=rollback")
    code, number = await pipeline.run(*back, "--note=the banner is gone")
    assert code == 0, number
    file = await world.dossier(int(number))
    assert (file.row.kind, file.note) == ("rollback", "the banner is gone")
    code, said = await pipeline.ask("--kind=urgent", version="1.4.0")
    assert code != 0, said


@pytest.mark.thorough
async def test_waiting_ends_where_somebody_has_to_change_something(world: World, shell):
    """Only when that is asked for; what is held by time or people alone is waited for."""
    await world.adopt("bench", REVIEWERS)
    pipeline = await shell("pipeline", "request")
    _, held = await pipeline.ask()
    code, said = await pipeline.run("wait", held, "--timeout=1", "--every=0.2", "--unless=barred")
    assert code == 4, said
    never = {
        "kind": "condition",
        "id": "no",
        "title": "Never",
        "holds": "false",
        "otherwise": "it is not time",
    }
    await world.adopt("bench", never)
    await world.refresh(int(held))
    code, said = await pipeline.run("wait", held, "--timeout=30", "--every=0.2", "--unless=barred")
    assert (code, "not time" in said) == (5, True), said
    code, said = await pipeline.run("wait", held, "--timeout=1", "--every=0.2")
    assert code == 4, said
