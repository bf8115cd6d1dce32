"""Replay: every sheet behind a decision comes out again, and what does not is named."""

import json
from pathlib import Path

import psycopg
import pytest
from alembic import command
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import Urls
from tests.core.cases import AT, facts, policy, words
from tests.core.test_fuzz import EVERY_KIND
from tests.world import World

from dogana.core.decisions import Decisions
from dogana.core.facts import Facts, Report
from dogana.core.inspect.engine import inspect
from dogana.core.record.canonical import canonical, digest, digest_bytes
from dogana.core.record.replay import Behind, replayed
from dogana.demo.cluster import plain
from dogana.service.ledger import audit
from dogana.store.migrate import alembic_config, migrate

CONTENT = st.dictionaries(
    st.sampled_from(["b", "a", "10", "9", "z"]), st.integers(0, 9) | st.text(max_size=5)
)


RUNS = st.dictionaries(st.sampled_from("xyz"), st.just("1.0.0"))


@given(CONTENT, st.permutations(["ann", "bo", "cy"]), RUNS)
def test_kept_and_read_again_the_same_sheet_comes_of_it(content, spoken, runs):
    """Whatever order things came in: of evidence, of services, of anything that has names."""
    report = Report(name="scan", kind="scan", produced_at=AT, by="x", content=content)
    known = facts(evidence=(report,), runs=runs, services=runs)
    said = words(EVERY_KIND, known, *spoken)
    sheet = inspect(EVERY_KIND, known, said, AT)
    again = inspect(
        EVERY_KIND,
        Facts.model_validate_json(canonical(known)),
        Decisions.model_validate_json(canonical(said)),
        AT,
    )
    assert canonical(again) == canonical(sheet)


async def test_every_sheet_of_a_world_comes_out_again(world: World):
    """Also those of approvals given under an earlier policy."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    night = {"id": "s", "kind": "soak", "title": "Soak", "at_least": "PT1H"}
    await world.adopt("rehearsal", {"id": "r", "kind": "sameness", "title": "Same"}, night)
    await world.refresh(row.number)
    await world.sequence()
    found = [one async for one in audit.sheets(world.backend)]
    assert len(found) >= 2
    assert [replayed(behind) for _, behind in found] == [None] * len(found)


@pytest.mark.thorough
async def test_back_to_the_schema_before_and_forth_again_changes_no_byte(
    urls: Urls, furnished: tuple[str, Path], tmp_path: Path
):
    """Documents, sheets of what is over, and what waits; all of it verifies and replays."""
    async with World.made(urls, tmp_path, furnished[1]) as world:
        waits = await world.waiting()
        over = waits.number - 1
        before = await world.dossier(over)
        assert before.row.state == "landed"
        await world.approve(waits.number, "ilse")
        await world.sequence()
        command.downgrade(alembic_config(urls.owner), "0011")
        with psycopg.connect(plain(urls.owner)) as connection:
            (text,) = connection.execute(
                "SELECT body FROM documents WHERE kind = 'policy' LIMIT 1"
            ).fetchone()
            assert json.loads(text)["format"] == "dogana.policy/1"
            (sheet,) = connection.execute("SELECT sheet FROM promotions WHERE number = %s", [over]).fetchone()
            assert sheet["verdict"] == "cleared"
        migrate(urls.owner, urls.application)
        assert (await world.verified()).verified
        found = [behind async for _, behind in audit.sheets(world.backend)]
        assert [replayed(behind) for behind in found] == [None] * len(found)
        assert (await world.dossier(over)).findings == before.findings
        assert (await world.dossier(waits.number)).row.state == "waiting"
        await world.approve(waits.number, "henrik")
        assert (await world.dossier(waits.number)).row.state == "moving"


def test_what_was_changed_since_is_named():
    """A sheet, its facts, a part of them, or what is missing."""
    made, known = policy({"kind": "sameness"}), facts()
    sheet = inspect(made, known, Decisions(), AT)
    texts = {digest(one): canonical(one).decode() for one in (made, Decisions(), sheet)}
    texts |= {known.digest: known.divided.index.decode()}
    texts |= {one: body.decode() for one, body in known.divided.parts.items()}
    good = Behind(sheet=digest(sheet), texts=dict(texts))
    assert replayed(good) is None
    gone = Behind(sheet=good.sheet, texts={**texts, known.digest: None})
    assert replayed(gone) == "its facts is not kept"
    changed = {**json.loads(texts[good.sheet]), "verdict": "barred"}
    lying = json.dumps(changed, separators=(",", ":"), sort_keys=True)
    name = digest_bytes(lying.encode())
    assert replayed(Behind(sheet=name, texts={**texts, name: lying})) == "it comes out otherwise in verdict"
    swapped = {**texts, known.digest: texts[digest(made)]}
    why = replayed(Behind(sheet=good.sheet, texts=swapped))
    assert why == "its facts has another digest than its sheet names"
    part = next(iter(known.divided.parts))
    for there, why in ((None, "is not kept"), ("[]", "was changed")):
        assert replayed(Behind(sheet=good.sheet, texts={**texts, part: there})) == (
            f"of its facts, the part {part} {why}"
        )


def test_what_was_decided_on_facts_that_were_kept_whole_replays():
    """Of the first format, under the digest they had then."""
    made, known = policy({"kind": "sameness"}), facts(format="dogana.facts/1")
    sheet = inspect(made, known, Decisions(), AT)
    texts = {digest(one): canonical(one).decode() for one in (made, known, Decisions(), sheet)}
    assert sheet.facts == digest(known)
    assert replayed(Behind(sheet=digest(sheet), texts=dict(texts))) is None
