"""Expressions: what cannot be meant is found on saving, what can is what CEL says it is."""

import cel
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import ROOT
from tests.core.cases import facts, finding_of, policy, reading, sheet_of
from tests.limits import examples

from dogana.core.change import Change, FileChange
from dogana.core.expressions.checker import check_expression
from dogana.core.expressions.cost import Size, cost_of
from dogana.core.expressions.program import tree_of
from dogana.core.expressions.reader import ExpressionError
from dogana.core.expressions.types import VARIABLES
from dogana.core.policy.document import PolicyError

WRONG = {
    'servce == "a"': (1, "there is no servce; did you mean service?"),
    'size(commits) > 1 && files.exists(f, f.pth == "x")': (40, "filechange has no pth; did you mean path?"),
    'approvals >= 2 && service == "a"': (1, "there is no approvals"),
    "service > 3": (11, "is int; string is needed"),
    "service": (1, "gives string; bool is needed"),
    "size(service, version)": (1, "size() takes one list, map or string"),
    "service.startswith('a')": (9, "there is no function startswith; did you mean startsWith?"),
    "version.matches(3)": (17, "is int; string is needed"),
    "service == 'a' &&": (18, "'the end' does not fit here"),
    "commits.all(c, c.subject)": (18, "is string; bool is needed"),
    "service.all(c, true)": (9, "all() goes over a list, not over string"),
    "frobnicate(service)": (1, "there is no function frobnicate"),
    "now - requested_at > 3": (22, "is int; duration is needed"),
    "'a' in service": (8, "is string; a list or a map is needed"),
    "target.colour == 'red'": (8, "place has no colour"),
    'version[0] == "a"': (8, "string has no entries"),
    'commits["a"].subject == "x"': (9, "is string; int is needed"),
    "commits == commits": (1, "is list of commit; compare its fields"),
    "has(service)": (1, "has() takes one field, such as has(ticket.status)"),
    "commits.all(c)": (9, "all() takes a name and an expression"),
    "commits.frob(c, true)": (9, "there is no function frob"),
    "commits.map(c, c.subject) == [1]": (30, "is list of int; list of string is needed"),
    "files.filter(f, f.path) == []": (19, "is string; bool is needed"),
    "version.startsWith()": (9, "startsWith() takes 1, got 0"),
    "version.startsWith('a', 'b')": (9, "startsWith() takes 1, got 2"),
    "size()": (1, "size() takes one list, map or string"),
    "-service == 3": (2, "is string; int or double is needed"),
    "!service": (2, "is string; bool is needed"),
    "[1, 'a'] == [1, 2]": (5, "is string; int is needed"),
    "1 + 'a' == 2": (5, "is string; int is needed"),
    "timestamp(3) < now": (11, "is int; string is needed"),
    "true ? 1 : 'a' == 'a'": (16, "is bool; int is needed"),
    "service ~ 'a'": (9, "'~' does not fit here"),
    "((((" + "(" * 60: (42, "nested deeper than 40"),
}


@pytest.mark.parametrize("text", WRONG)
def test_what_cannot_be_meant_is_refused_with_its_place(text: str):
    """Also where the wrong half would never be reached by short-circuiting."""
    column, reason = WRONG[text]
    with pytest.raises(ExpressionError) as refused:
        check_expression(text)
    assert (refused.value.line, refused.value.column) == (1, column)
    assert reason in str(refused.value)


def test_a_fault_in_a_policy_has_the_rule_and_the_column():
    """The path to the rule and the place in the expression."""
    with pytest.raises(PolicyError) as refused:
        policy({"kind": "sameness", "when": "service ==\n  verion"})
    assert refused.value.faults == [
        ("/rules/0/when", "r0: line 2, column 3: there is no verion; did you mean version?")
    ]


RIGHT = {
    'service == "app" && version.startsWith("1.")': True,
    'commits.exists(c, c.author_email == "eve@example.org")': True,
    'authors == ["eve"] && !("ann" in authors)': True,
    'size(files) == 0 ? route == "standard" : false': True,
    'tickets.all(t, has(t.status) && t.status in ["done", "closed"])': True,
    "now - requested_at >= duration('1h') && now.getHours() == 12": True,
    "leg_before[0].environment == 'pilot' && size(runs) == 0": True,
    "size(commits.filter(c, c.subject.contains('Work'))) * 2 - 1 != 1": False,
    "has(leg_before[0].replaced_at)": False,
}


@pytest.mark.parametrize("text", RIGHT)
def test_what_is_meant_holds_or_not(text: str):
    """Checked, compiled and evaluated on the facts as they are."""
    finding = finding_of({"kind": "condition", "holds": text, "otherwise": "not so"})
    assert finding.outcome == ("met" if RIGHT[text] else "unmet")
    assert finding.because == ("The condition holds." if RIGHT[text] else "Not so.")


def test_a_rule_concerns_what_its_when_says():
    """Elsewhere it asks for nothing: no seat, no closed time."""
    seats = {"kind": "reviewers", "seats": [{"group": "desk"}], "when": 'service == "other"'}
    night = {
        "kind": "hours",
        "zone": "Europe/Rome",
        "open": [{"days": ["SU"], "from": "01:00", "until": "02:00"}],
        "when": "size(commits) > 100",
    }
    sheet = sheet_of(seats, night)
    assert [f.outcome for f in sheet.findings] == ["not applicable"] * 2
    assert (sheet.verdict, sheet.forecast.first_start) == ("cleared", sheet.at)


def test_a_when_that_cannot_be_told_is_unknown_and_never_clears():
    """Silence of a source neither switches a rule on nor off."""
    known = facts(tickets=reading(unknown="it answered 503").model_dump())
    rule = {"kind": "sameness", "when": 'tickets.exists(t, t.kind == "risk")'}
    sheet = sheet_of(rule, known=known)
    assert sheet.verdict == "held"
    assert sheet.findings[0].because.startswith("It cannot be told whether this rule applies: the tracker")


def test_a_field_that_is_absent_is_unknown_unless_asked_for():
    """Nothing is guessed for a value nobody gave."""
    rule = {"kind": "condition", "holds": "leg_before[0].replaced_at < now", "otherwise": "x"}
    assert finding_of(rule).outcome == "unknown"


@settings(max_examples=examples(300), deadline=None)
@given(st.text(alphabet="service.files()[]<>=!&|+-*/?:, 'a\"x1\n", max_size=60))
def test_no_text_crashes_the_checker_and_what_it_lets_through_compiles(text: str):
    """The reader accepts no more than the language does."""
    try:
        check_expression(text)
    except ExpressionError:
        return
    cel.compile(text)


def test_every_name_is_documented():
    """In the table authors read."""
    reference = (ROOT / "docs" / "policy-format.md").read_text()
    assert [name for name in VARIABLES if f"| `{name}` |" not in reference] == []


@pytest.mark.parametrize(
    ("condition", "reason"),
    [
        ("1 / 0 == 1", "division by zero"),
        ("9223372036854775807 + 1 == 0", "overflow"),
        ("[1, 2][5] == 1", "out of bounds"),
        ('int("x") == 1', "error"),
        ('"a".matches("a{2,1}")', "not a valid regex"),
        ("files.all(a, files.all(b, a.path != b.path))", "too many combinations"),
    ],
)
def test_what_cannot_be_computed_is_unknown_and_said(condition, reason):
    """Never a traceback, and never more than a second of work."""
    files = tuple(FileChange(path=f"f{n}") for n in range(500))
    change = Change(revision="c", commits=(), files=files, ticket_keys=())
    known = facts(change=reading(change).model_dump())
    found = finding_of({"kind": "condition", "holds": condition, "otherwise": "no"}, known=known)
    assert found.outcome == "unknown"
    assert reason in found.because


def test_two_lists_may_be_looked_at_together():
    """A pair of macros over a large change still answers."""
    files = tuple(FileChange(path=f"f{n}") for n in range(300))
    known = facts(change=reading(Change(revision="c", commits=(), files=files, ticket_keys=())).model_dump())
    condition = "files.exists(a, files.exists(b, a.path == b.path))"
    assert (
        finding_of({"kind": "condition", "holds": condition, "otherwise": "no"}, known=known).outcome == "met"
    )


@pytest.mark.parametrize(
    ("text", "most"),
    [
        ("service == 'a'", 5),
        ("[1, 2, 3].all(x, x > 0)", 20),
        ("commits.all(c, c.subject == 'x')", 80),
        ("commits.all(c, files.exists(f, f.path == c.subject))", 6_000),
        ("commits.filter(c, true).all(c, files.exists(f, true))", 4_000),
    ],
)
def test_what_an_expression_costs_is_known_before_it_is_done(text: str, most: int):
    """A macro in a macro multiplies; a list that was narrowed counts as long as it was."""
    sizes = {"commits": Size(10, 1000, 100), "files": Size(50, 5000, 100)}
    found = cost_of(tree_of(text), sizes, Size(100, 1000, 100))
    assert most / 10 < found.steps <= most


GROWING = [
    '["ab"]' + ".map(a, a + a)" * 24 + ".size() > 0",
    "[service]" + ".map(a, a + a)" * 24 + ".exists(a, a.size() > 3)",
    '["ab"]' + ".map(a, [a, a].map(b, b + b)[0])" * 20 + '.exists(a, a == "x")',
    '["a"]' + ".map(a, version + a + a)" * 24 + ".size() == 1",
    'version.matches("(((a{90}){90}){90}){90}")',
    "files.exists(f, f.path.matches(f.path))",
    'files.all(f, f.path.matches("\\\\w{90}"))',
    "files.all(a, files.all(b, files.exists(c, c.path == a.path + b.path)))",
    "files.map(a, files.map(b, a.path + b.path)).size() > 0",
]


@pytest.mark.parametrize("text", GROWING)
def test_an_expression_that_grows_without_end_is_refused_when_it_is_saved(text: str):
    """Texts and lists put together from themselves double with every turn, within few steps."""
    with pytest.raises(PolicyError, match=r"too long, or too much room|written out"):
        policy({"kind": "condition", "holds": text, "otherwise": "x"})


@settings(max_examples=examples(60), deadline=None)
@given(
    st.recursive(
        st.sampled_from(["version", '"ab"', "commits[0].subject", "files[0].path"]),
        lambda inner: (
            st.builds("({} + {})".format, inner, inner)
            | st.builds("[{}].map(x, x + x)[0]".format, inner)
            | st.builds("(files.size() > 3 ? {} : {})".format, inner, inner)
        ),
        max_leaves=12,
    )
)
def test_what_is_let_in_ends_within_its_bounds(text: str):
    """Whatever is put together: no value is larger than was said."""
    many = tuple(FileChange(path="a" * 500) for _ in range(200))
    names = {"version": Size(6, 38, 4), "files": Size(200, 120_000, 600), "commits": Size(1, 600, 600)}
    cost = cost_of(tree_of(text), names, Size(600, 600, 600))
    if cost.too_much:
        return
    known = {
        "version": "1.10.2",
        "files": [one.plain() for one in many],
        "commits": [{"subject": "s" * 500}],
    }
    made = cel.compile(f"size({text})").execute(cel.Context(variables=known))
    assert made <= cost.value.bytes


def test_an_expression_that_would_take_for_good_is_unknown_and_says_so():
    """Not evaluated at all: nobody's inspection waits for it."""
    many = tuple(FileChange(path=f"f{n}") for n in range(4000))
    change = Change(revision="c1", commits=(), files=many, ticket_keys=())
    rule = {"kind": "condition", "holds": "files.all(f, files.exists(g, g.path == f.path))", "otherwise": "x"}
    finding = finding_of(rule, known=facts(change=reading(change).model_dump()))
    assert finding.outcome == "unknown"
