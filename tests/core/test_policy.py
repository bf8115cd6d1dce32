"""The policy document: one meaning in JSON and YAML, every fault with its place."""

import json
import re

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import ROOT
from tests.core.cases import AT, facts, policy, words

from dogana.core.inspect.engine import inspect
from dogana.core.policy.difference import differences
from dogana.core.policy.document import PolicyError, policy_from, policy_schema, read_policy
from dogana.demo.rules import policies

BLOCKS = re.findall(r"```yaml\n(- .*?)```", (ROOT / "docs" / "policy-format.md").read_text(), re.DOTALL)
EXAMPLES = [yaml.load(block, Loader=yaml.BaseLoader) for block in BLOCKS]
GOOD = {
    "format": "dogana.policy/1",
    "title": "Live",
    "zone": "Europe/Rome",
    "rules": [{"id": "bytes", "kind": "sameness", "title": "The same bytes"}],
}


def without(key):
    return {k: v for k, v in GOOD.items() if k != key}


def rule(**changes):
    return {**GOOD, "rules": [{**GOOD["rules"][0], **changes}]}


FAULTS = {
    "a missing title": (without("title"), "/title"),
    "an unknown key": ({**GOOD, "colour": "red"}, "/colour"),
    "another format": ({**GOOD, "format": "dogana.policy/2"}, "/format"),
    "a zone nobody knows": ({**GOOD, "zone": "Europe/Atlantis"}, "/zone"),
    "no rules": ({**GOOD, "rules": []}, "/rules"),
    "two rules of one name": ({**GOOD, "rules": GOOD["rules"] * 2}, ""),
    "an unknown kind": (rule(kind="magic"), "/rules/0"),
    "an unknown parameter": (rule(speed=3), "/rules/0/speed"),
    "seats for nobody": (rule(kind="reviewers", seats=[]), "/rules/0/seats"),
    "a seat for a group and people": (
        rule(kind="reviewers", seats=[{"group": "a", "people": ["b"]}]),
        "/rules/0/seats/0",
    ),
    "a negative soak": (rule(kind="soak", at_least="-PT1H"), "/rules/0/at_least"),
    "an infinite number": (rule(kind="tickets", status=["done"], at_least=float("inf")), "/rules/0/at_least"),
}


@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_is_named_with_its_place(name):
    """As a JSON Pointer into what the author wrote."""
    document, place = FAULTS[name]
    with pytest.raises(PolicyError) as refused:
        policy_from(document)
    assert refused.value.faults[0][0] == place


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("rules: [", "line 1"),
        ("a: &x [1]\nb: *x", "aliases are not read (line 2, column 4)"),
        ("[" * 40 + "]" * 40, "nested deeper"),
        ("x" * 300_000, "larger than"),
        ("", "not an object"),
        ("when: 2026-01-01", "has to be given"),
    ],
)
def test_text_that_is_no_policy_is_refused_with_the_line(text, reason):
    """Never a traceback, never a second of work."""
    with pytest.raises(PolicyError) as refused:
        read_policy(text)
    assert reason in str(refused.value)


@given(st.text(max_size=200))
def test_no_text_crashes_it(text):
    """Whatever is typed into the source view."""
    with pytest.raises(PolicyError):
        read_policy(text)


def test_json_and_yaml_have_one_digest():
    """And reading back what is stored gives it again."""
    documents = [version for versions in policies(AT).values() for version in versions]
    assert len(documents) > 5
    for document in documents:
        policy = policy_from(document)
        assert read_policy(json.dumps(document)).digest == policy.digest
        assert read_policy(yaml.safe_dump(document)).digest == policy.digest
        assert policy_from(policy.plain()).digest == policy.digest


@pytest.mark.parametrize("block", BLOCKS)
def test_every_example_of_the_reference_is_inspected(block: str):
    """As written there, each gives a finding with a sentence."""
    policy = read_policy("format: dogana.policy/1\ntitle: Example\nzone: Europe/Rome\nrules:\n" + block)
    (finding,) = inspect(policy, facts(), words(policy, facts()), AT).findings
    assert finding.because.endswith(".")


def test_differences_are_told_in_words():
    """Rule by rule, and nothing where both mean the same."""
    before = policies(AT)["live-south"][0]
    after = json.loads(json.dumps(policies(AT)["live-south"][-1]))
    rules = {rule["id"]: rule for rule in after["rules"]}
    rules["hours"]["passes"] = ["urgent"]
    rules["reviewers"]["in_order"] = True
    after["rules"] = [rule for rule in after["rules"] if rule["id"] != "notice"]
    assert differences(policy_from(before), policy_from(after)) == [
        "No longer asks: Two hours of notice (notice).",
        "Every side that answers for it agrees: needs 1 instead of 0 from security.",
        "Every side that answers for it agrees: fills its seats in order.",
        "Closed for storms: windows with storm watch.",
        "While somebody is there: passes without rollback.",
        "While somebody is there: passes with urgent.",
    ]
    assert differences(policy_from(before), policy_from(before)) == []


def test_the_published_schema_describes_every_kind():
    """With a description for each parameter, as editors show it."""
    schema = policy_schema()
    kinds = schema["properties"]["rules"]["items"]["discriminator"]["mapping"]
    assert set(kinds) == {rule["kind"] for example in EXAMPLES for rule in example}
    for reference in kinds.values():
        described = schema["$defs"][reference.rsplit("/", 1)[-1]]
        missing = [
            name
            for name, parameter in described["properties"].items()
            if "description" not in parameter and "const" not in parameter
        ]
        assert missing == []


def test_a_word_that_begins_like_a_span_is_no_span():
    """A status may be called anything; only whole spans of time are told in words."""
    tickets = {"kind": "tickets", "id": "tickets", "title": "Tickets", "status": ["P", "PT"]}
    before = {"format": "dogana.policy/1", "title": "Live", "zone": "Etc/UTC", "rules": [tickets]}
    after = before | {"rules": [tickets | {"status": ["P"], "fresh": "PT90M"}]}
    assert differences(policy_from(before), policy_from(after)) == [
        "Tickets: counts what was read within 1 h 30 min instead of 15 min.",
        "Tickets: status without PT.",
    ]


SOAK = {"id": "soak", "kind": "soak", "title": "Soak", "at_least": "PT20H"}
NOTICE = {"id": "notice", "kind": "notice", "title": "Notice", "at_least": "PT2H"}
PACE = {"id": "pace", "kind": "pace", "title": "Pace", "at_most": 6, "per": "P1D"}


@pytest.mark.parametrize(
    ("rule", "change", "said"),
    [
        (SOAK, {"at_least": "P3D"}, "Soak: asks for 3 days instead of 20 h."),
        (SOAK, {"across": "any"}, "Soak: looks at any of the leg before instead of all."),
        (SOAK, {"waivable": "desk"}, "Soak: may be waived by desk."),
        (SOAK, {"advisory": True}, "Soak: advises only."),
        (NOTICE, {"slot": "PT30M"}, "Notice: needs 30 min open at a stretch."),
        (NOTICE, {"after": "approval"}, "Notice: counts from approval instead of request."),
        (PACE, {"at_most": 2}, "Pace: allows at most 2 instead of 6."),
        (PACE, {"gap": "PT1H"}, "Pace: keeps 1 h between two."),
        (PACE, {"one_at_a_time": True}, "Pace: lets one at a time go."),
    ],
)
def test_a_difference_reads_as_a_sentence_there_and_back(rule: dict, change: dict, said: str):
    """Also where a setting comes or goes."""
    before, after = policy(rule), policy(rule | change)
    assert differences(before, after) == [said]
    (back,) = differences(after, before)
    assert back != said
    assert ("no longer" in back) == (" instead of " not in said)


def test_what_is_newly_asked_and_who_confirms_reads_as_a_sentence():
    """Each setting that its author chose, as what the rule does; none that was left as it is."""
    plain = policy({"kind": "sameness"}).plain()
    hours = {"days": ["MO", "TU", "WE"], "from": "07:00", "until": "17:00"}
    rules = [
        {"id": "soak", "kind": "soak", "title": "A day", "at_least": "P1D", "waivable": "control-room"},
        {"id": "hours", "kind": "hours", "title": "Days", "zone": "UTC", "open": [hours]},
        {"id": "steps", "kind": "rollout", "title": "Slowly", "first_share": 10, "when": "kind == 'urgent'"},
        {"id": "bytes", "kind": "sameness", "title": "The same"},
    ]
    before = policy_from(plain | {"sign_off": {"group": "test-leads", "within": "PT12H"}})
    after = policy_from(
        plain | {"rules": [*plain["rules"], *rules], "sign_off": {"group": "test-leads", "within": "P1D"}}
    )
    assert differences(before, after) == [
        "Newly asks: A day (soak), which asks for 1 day and may be waived by control room.",
        "Newly asks: Days (hours), which goes by the clock of UTC and is open on Mon to Wed 07:00 to 17:00.",
        "Newly asks: Slowly (rollout), which begins with 10 % and applies where kind == 'urgent'.",
        "Newly asks: The same (sameness).",
        "What has landed is confirmed by test leads within 1 day instead of test leads within 12 h.",
    ]
