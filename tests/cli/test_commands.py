"""The command line, run as people and pipelines run it, against a whole instance."""

import hashlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import httpx
import pytest
from rich.console import Console
from tests.conftest import Live
from tests.waiting import until

from dogana.core.record.checkpoint import public_key_text
from dogana.demo.tour import Tour
from dogana.wiring import read_key

pytestmark = pytest.mark.thorough


def dogana(live: Live, *arguments: str) -> subprocess.CompletedProcess[str]:
    environment = {
        **os.environ,
        "DOGANA_URL": live.running.url,
        "DOGANA_TOKEN": live.running.requester_token,
        "DOGANA_DATABASE_URL": live.running.database_url,
        "DOGANA_SIGNING_KEY": live.running.key_file,
    }
    command = [sys.executable, "-m", "dogana", *arguments]
    return subprocess.run(command, env=environment, capture_output=True, text=True, check=False, timeout=60)


def pending(live: Live, service: str, to: str) -> dict:
    headers = {"Authorization": f"Bearer {live.running.requester_token}"}
    rows = httpx.get(f"{live.running.url}/api/desk", headers=headers).json()["rows"]
    return next(row for row in rows if (row["service"]["id"], row["target"]["id"]) == (service, to))


def test_the_tour_comes_out_as_it_must(live: Live):
    """Request, refusal of the requester, two approvals, departure, landing, a ledger that verifies."""
    console = Console(record=True, width=200, file=io.StringIO())
    Tour(console, live.running).run()
    said = console.export_text()
    for words in (
        "Refused: You asked for this promotion, so you may not decide on it.",
        "Yours is the last word it waits for: it clears and Rehearsal takes it in",
        "into Rehearsal landed.",
        "Verified: ",
    ):
        assert words in said


def test_a_pipeline_asks_and_waits_by_exit_code(live: Live, tmp_path: Path):
    """The digest is computed from the file; the sentence says what it waits for."""
    built = tmp_path / "app.tar.gz"
    built.write_bytes(b"built")
    asked = ("request", "--service=field-app", "--version=5.3.0", "--to=bench", "--rev=v5.1.0")
    where = "--artifacts-at=https://builds.corvale.example/field-app/"
    done = dogana(live, *asked, f"--artifact={built}", where, "--note=Closes LEAK-1")
    assert done.returncode == 0, done.stderr
    number = done.stdout.strip()

    def inspected() -> subprocess.CompletedProcess[str] | None:
        found = dogana(live, "wait", number, "--timeout=0")
        return None if "being inspected" in found.stdout else found

    held = until(inspected)
    assert held.returncode == 4
    assert "LEAK-1 does not exist in the tracker" in held.stdout
    headers = {"Authorization": f"Bearer {live.running.requester_token}"}
    url = f"{live.running.url}/api/promotions/{number}"
    (artifact,) = httpx.get(f"{url}/dossier", headers=headers).json()["artifacts"]
    assert artifact == {
        "name": "app.tar.gz",
        "digest": "sha256:" + hashlib.sha256(b"built").hexdigest(),
        "size": 5,
        "link": "https://builds.corvale.example/field-app/app.tar.gz",
    }
    assert httpx.post(f"{url}/withdraw", headers=headers, json={}).status_code == 200
    assert dogana(live, "wait", number, "--timeout=30").returncode == 3


def test_waiting_for_what_is_cleared_ends_at_once(live: Live):
    """Exit 0, with the sentence."""
    row = pending(live, "valve-command", "pilot-valley")
    done = dogana(live, "wait", str(row["number"]), "--timeout=30")
    assert (done.returncode, done.stdout) == (0, "Cleared. Departs when its deployer says so.\n")


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (
            ("request", "--service=nothing", "--version=1", "--to=bench", "--rev=main"),
            64,
            "/service: unknown",
        ),
        (
            ("request", "--service=field-app", "--version=9", "--to=bench", "--rev=nope"),
            64,
            "has no commit nope",
        ),
        (("request", "--service=a", "--version=1", "--to=b", "--artifact=/no/file"), 64, "cannot be read"),
        (("wait", "999999"), 64, "There is no promotion 999999."),
        (("ledger", "verify", "/no/file", "--key=AAAA"), 69, "/no/file cannot be read: No such file"),
        (("policy", "check", "/no/file"), 64, "cannot be read"),
    ],
)
def test_unusable_input_ends_with_its_code_and_the_reason(live: Live, arguments, code, said):
    """In words, without a traceback."""
    done = dogana(live, *arguments)
    assert done.returncode == code
    assert said in done.stderr
    assert "Traceback" not in done.stderr


def test_the_live_ledger_and_its_export_verify(live: Live, tmp_path: Path):
    """And a changed byte in the export ends with 1 and the entry's place."""
    until(lambda: dogana(live, "ledger", "verify").returncode == 0)
    path = tmp_path / "ledger.jsonl"
    assert dogana(live, "ledger", "export", str(path)).returncode == 0
    key = f"--key={public_key_text(read_key(Path(live.running.key_file)).public_key())}"
    assert dogana(live, "ledger", "verify", str(path), key).stdout.startswith("Verified: ")
    lines = path.read_text().splitlines()
    kept = tmp_path / "kept.txt"
    kept.write_text(
        json.loads(next(line for line in lines if line.startswith('{"checkpoint"')))["checkpoint"]
    )
    assert dogana(live, "ledger", "verify", f"--from={kept}", "--documents").returncode == 0
    tenth = next(n for n, line in enumerate(lines) if '"place": 10,' in line)
    lines[tenth] = lines[tenth].replace("says", "said")
    path.write_text("\n".join(lines))
    done = dogana(live, "ledger", "verify", str(path), key)
    assert done.returncode == 1
    assert done.stderr.startswith("entry 10 was changed")


def test_no_secret_stands_on_a_command_line(live: Live):
    """Whoever may list processes reads what they were started with."""
    started = [
        (Path("/proc") / str(live.instance.process(name).pid) / "cmdline").read_text()
        for name in ("tracker", "store", "web", "worker", "pipeline", "fleet", "metrics")
    ]
    tokens = json.loads((live.instance.folder / "tokens.json").read_text())
    for secret in (*tokens.values(), "dgn_", "whsec_", live.running.database_url):
        assert all(secret not in line for line in started)


def test_a_token_that_was_revoked_ends_no_pipeline(live: Live):
    """It is refused, says so, and tries again."""
    environment = {**os.environ, "DOGANA_TOKEN": "dgn_revoked", "DOGANA_EVENT_SECRET": "whsec_" + "A" * 44}
    pipeline = ["dogana.standins.pipeline", "--url", live.running.url, "--fleet", live.running.fleet]
    command = [sys.executable, "-m", *pipeline]
    with subprocess.Popen(command, env=environment, stderr=subprocess.PIPE, text=True) as process:
        assert process.stderr is not None
        said = [process.stderr.readline() for _ in range(2)]
        assert process.poll() is None
        process.kill()
    assert all("unknown, revoked or has ended" in line for line in said)
