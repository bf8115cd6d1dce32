"""What is said in a room is a decision only where it is exactly one."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.messages.commands import command_in, sign_of

SAID = {
    "approve": ("approve", None, ""),
    "Approve.": ("approve", None, ""),
    "approve 2197": ("approve", 2197, ""),
    "approve #2197 because it was tried": ("approve", 2197, "it was tried"),
    "approve: fine with me": ("approve", None, "fine with me"),
    "turn back because the pump\nleaks": ("turn back", None, "the pump\nleaks"),
    "TURN BACK 7: no": ("turn back", 7, "no"),
    "turn back": ("turn back", None, ""),
    "what waits for me?": ("mine", None, ""),
    "why": ("why", None, ""),
    "why is 7 held?": ("why", 7, ""),
    "when can 7 go": ("when", 7, ""),
    "link ABCD-EFGH": ("link", None, "ABCD-EFGH"),
}


@pytest.mark.parametrize(("text", "wanted"), SAID.items(), ids=SAID)
def test_a_sentence_is_taken_as_it_stands(text: str, wanted: tuple):
    found = command_in(text)
    assert (found.saying, found.number, found.words) == wanted


@pytest.mark.parametrize(
    "text",
    [
        "",
        "approved",
        "approve of it",
        "I approve",
        "approve 0",
        "approve 1e3",
        "approve 7 8",
        "approve because",
        "approve 99999999999999999999",
        "turn  back",
        "turnback",
        "don't approve",
        "> approve",
        "approve\nturn back",
        "link a b",
    ],
)
def test_what_is_like_a_sentence_is_none(text: str):
    assert command_in(text) is None


@given(st.text(max_size=80))
def test_other_words_before_it_never_decide(text: str):
    for decision in ("approve", "turn back because no"):
        found = command_in(f"{text} {decision}")
        assert found is None or not found.decides or not text.strip() or found.words


@pytest.mark.parametrize(
    ("sign", "decides"), [("👍", True), ("👍🏿", True), ("✅", True), ("👎", False), ("a", False)]
)
def test_a_sign_approves_or_says_nothing(sign: str, decides: bool):
    assert (sign_of(sign) is not None) == decides
