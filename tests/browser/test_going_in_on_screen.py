"""What goes in step by step, on screen: watched, halted by hand, let go on, and taken back by itself."""

import re

import pytest
import yaml
from playwright.sync_api import Page, expect
from tests.browser.test_before_deciding import number_of
from tests.conftest import Live

from dogana.standins.fleet import make_bad

pytestmark = pytest.mark.thorough

PATIENCE = 90_000
"""Looks are three seconds apart, and a breach takes a few."""


def test_it_is_watched_halted_let_go_on_and_taken_back_by_itself(visit, live: Live):
    """The figures are those of a real server; nobody touches anything when it turns bad."""
    page = visit("ilse")
    page.goto(f"/promotion/{number_of(page, 'Field app', '5.1.0', 'Pilot valley')}")
    ladder = page.locator("section.decision")
    expect(ladder.get_by_role("heading", name="Going in")).to_be_visible()
    expect(ladder.locator("li[aria-current=step]")).to_contain_text(re.compile("[25]0 %"))
    # Nothing ran there before that its failures are compared with: within a minute it stands still of itself.
    ladder.get_by_label("Reason").fill("the crews are out")
    ladder.get_by_role("button", name="Halt").click()
    expect(ladder.get_by_text("It stands still: Ilse Brandt halted it: the crews are out.")).to_be_visible()
    other = visit("tomas", page.url.removeprefix(live.running.url))
    expect(other.get_by_text("It stands still: Ilse Brandt halted it")).to_be_visible()
    ladder.get_by_label("Reason").fill("they are back")
    ladder.get_by_role("button", name="Go on").click()
    expect(ladder.get_by_text(re.compile("[25]0 % is held for another"))).to_be_visible()
    lag = ladder.get_by_role("article", name="telemetry-lag")
    expect(lag.locator(".stamp")).to_have_text("within", timeout=PATIENCE)
    expect(lag.locator("canvas")).to_be_visible(timeout=PATIENCE)
    lag.get_by_text("As a table").click()
    expect(lag.get_by_role("row").nth(1)).to_contain_text(re.compile(r"\d\d:\d\d"))

    make_bad(live.running.fleet, "field-app")
    expect(page.locator(".head .stamp").first).to_have_text("rolled back", timeout=PATIENCE)
    course = page.locator("section.course")
    expect(course).to_contain_text("Dogana ordered Field app 5.1.0 into Pilot valley back")
    expect(course).to_contain_text(
        re.compile("(failures|slow-answers).* left (its limit|their limits)", re.IGNORECASE)
    )
    expect(course.get_by_text("let Field app 5.1.0 into Pilot valley go on")).to_be_visible()


def test_a_good_one_is_watched_in_to_its_end(visit):
    """Nobody says anything: each step when its monitor is within, then landed, and its ladder stays."""
    marco, chiara, page = visit("marco"), visit("chiara"), visit("ilse")
    of_it = '{environment="$environment",service="$service",version="$version"}'
    watch = {
        "name": "errors",
        "kind": "share",
        "bad": f"service_requests_failed_total{of_it}",
        "all": f"service_requests_total{of_it}",
        "at_most": 0.1,
        "every": "PT1S",
    }
    rollout = {"id": "watched", "kind": "rollout", "title": "Watched", "when": 'kind == "rollback"'}
    columns = marco.request.get("/api/policy-board").json()["columns"]
    source = next(one["source"] for one in columns if one["environment"]["id"] == "bench")
    document = yaml.safe_load(source)
    document["rules"].append(rollout | {"watch": [watch], "on_breach": "roll back"})
    drafted = post(marco, "/api/environments/bench/policies", {"document": document})
    assert any(one.startswith("Errors: at least") for one in drafted["reach"])
    post(chiara, f"/api/environments/bench/policies/{drafted['version']}/adopt", {"reason": "Watched."})
    steps = [{"share": 50, "hold": "PT3S"}, {"share": 100}]
    asked = post(
        page,
        "/api/promotions",
        {
            "service": "field-app",
            "version": "5.1.0",
            "to": "bench",
            "kind": "rollback",
            "plan": {"steps": steps, "watch": ["errors"], "on_breach": "roll back"},
        },
    )
    page.goto(f"/promotion/{asked['number']}")
    ladder = page.locator("section.decision")
    # It may be in before the page is drawn.
    expect(page.locator(".head .stamp").first).to_have_text("landed", timeout=PATIENCE)
    expect(ladder.get_by_role("heading", name="How it went in")).to_be_visible()
    expect(ladder.get_by_role("article", name="errors").locator(".stamp")).to_have_text("within")
    course = page.locator("section.course")
    expect(course).to_contain_text("goes on to 100 %")
    expect(course).to_contain_text(re.compile("50 % was held for .+ and errors is within"))


def post(page: Page, path: str, body: dict) -> dict:
    """As whoever has signed in there."""
    token = page.request.get("/api/me").json()["csrf_token"]
    answer = page.request.post(path, data=body, headers={"X-CSRF-Token": token})
    assert answer.ok, answer.text()
    return answer.json()
