"""The record: whatever is done to it afterwards is found and named."""

import base64
import hashlib
import json
from datetime import UTC, datetime, timedelta

import pytest
import rfc8785
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter
from tests.core.cases import facts, reading

from dogana.core.change import Change, Commit, FileChange
from dogana.core.document import Content, Document
from dogana.core.errors import InvalidError
from dogana.core.facts import Series
from dogana.core.record.canonical import canonical, is_canonical
from dogana.core.record.checkpoint import (
    Checkpoint,
    CheckpointError,
    notes_in,
    opened,
    public_key_from,
    public_key_text,
    sign,
)
from dogana.core.record.export import line_of, read
from dogana.core.record.merkle import Frontier, leaf_hash, node_hash
from dogana.core.record.verify import Leaf, Verification, Verifier, in_order, verified, verify

KEY = Ed25519PrivateKey.from_private_bytes(b"k" * 32)
AT = datetime(2026, 3, 1, tzinfo=UTC)


def defined_root(leaves: list[bytes]) -> bytes:
    """RFC 6962 section 2.1, word for word."""
    if not leaves:
        return hashlib.sha256(b"").digest()
    if len(leaves) == 1:
        return leaf_hash(leaves[0])
    half = 1 << (len(leaves) - 1).bit_length() - 1
    return node_hash(defined_root(leaves[:half]), defined_root(leaves[half:]))


@given(st.lists(st.binary(max_size=8), max_size=70), st.integers(0, 70))
def test_the_tree_head_is_the_one_the_rfc_defines(leaves, cut):
    """Also when the frontier was put away and taken up again in between."""
    first = Frontier().extend(map(leaf_hash, leaves[:cut]))
    tree = Frontier.unpack(first.size, first.pack()).extend(map(leaf_hash, leaves[cut:]))
    assert tree.root() == defined_root(leaves)


def test_known_hashes():
    """The RFC's own values for nothing and for the empty leaf."""
    assert Frontier().root().hex().startswith("e3b0c44298fc1c14")
    assert leaf_hash(b"").hex().startswith("6e340b9cffb37a98")


texts = st.text(max_size=12)
NUMBERS = (
    st.integers(-(2**53) + 1, 2**53 - 1)
    | st.floats(0.0001, 2.0**53 - 1)
    | st.floats(-(2.0**53) + 1, -0.0001)
    | st.sampled_from([0.0, -0.0, 1.0, 0.1, 1e15])
)


@given(
    texts,
    texts,
    st.integers(0, 2**53 - 1),
    st.dictionaries(st.from_regex(r"[a-z][a-z0-9-]{0,5}", fullmatch=True), texts),
    st.lists(NUMBERS, max_size=4),
)
def test_the_fast_way_to_canonical_bytes_is_the_rfcs(name, subject, size, runs, values):
    """For whatever text and numbers a document can hold."""
    commit = Commit(revision="c", author=name, author_email=name, subject=subject, at=AT)
    change = Change(
        revision="c", commits=(commit,), files=(FileChange(path=subject, added=size),), ticket_keys=()
    )
    report = {"name": "r", "kind": "scan", "produced_at": AT, "by": name, "content": {"n": values}}
    document = facts(change=reading(change).model_dump(), runs=runs, evidence=(report,))
    assert canonical(document) == rfc8785.dumps(document.plain())


@pytest.mark.parametrize("number", [2**53 + 1, float("nan"), float("inf"), -float("inf")])
def test_a_number_that_json_cannot_carry_is_refused(number):
    """Wherever a document takes numbers at all."""
    with pytest.raises(ValueError, match=r"number|finite"):
        Series(values=(number,))
    with pytest.raises(ValueError, match=r"number|finite|int"):
        TypeAdapter(Content).validate_python({"deep": [{"n": number}]})


@given(st.floats(allow_nan=False, allow_infinity=False), st.integers(0, 10**17))
def test_every_other_number_is_carried_as_the_rfc_writes_it(number, whole):
    """However small or large; and it is the same after it was kept."""
    series = Series(values=(number, float(whole)))
    assert canonical(series) == rfc8785.dumps(series.plain())
    assert Series.model_validate_json(canonical(series)) == series


def test_no_document_holds_another_float():
    """What the fast way rests on; such a float would be written otherwise than the RFC says."""
    documents = list(every_subclass(Document))
    assert len(documents) > 30
    loose = {
        f"{d.__name__}.{name}"
        for d in documents
        for name, field in d.model_fields.items()
        for said in [f"{field.annotation} {field.metadata}"]
        if "float" in said and "_plain_number" not in said
    }
    # Between a half and one all are written alike.
    assert {one for one in loose if not one.endswith("Watch.confidence")} == set()


def every_subclass(of):
    for one in of.__subclasses__():
        yield one
        yield from every_subclass(one)


def ledger(size: int = 7, batch: int = 3) -> tuple[list[Leaf], list[str]]:
    entries, notes, tree = [], [], Frontier()
    for index in range(size):
        body = canonical({"entry": index, "says": f"decision {index}"})
        entries.append(Leaf(leaf_index=index, body=body, leaf=leaf_hash(body)))
        tree = tree.append(leaf_hash(body))
        if tree.size % batch == 0 or tree.size == size:
            notes.append(note(tree))
    return entries, notes


def note(tree: Frontier, key: Ed25519PrivateKey = KEY, name: str = "test", at: datetime = AT) -> str:
    return sign(Checkpoint(origin=name, size=tree.size, root=tree.root(), signed_at=at), key)


def tree_of(entries: list[Leaf]) -> Frontier:
    return Frontier().extend(entry.leaf for entry in entries)


def changed(entry: Leaf, *, hide: bool) -> Leaf:
    body = entry.body.replace(b"decision", b"derision")
    return entry._replace(body=body, leaf=leaf_hash(body) if hide else entry.leaf)


def numbered(entries: list[Leaf]) -> list[Leaf]:
    return [entry._replace(leaf_index=n) for n, entry in enumerate(entries)]


TAMPERINGS = {
    "a changed byte": (lambda e, n: ([*e[:4], changed(e[4], hide=False), *e[5:]], n), 4),
    "a changed entry with its hash made to fit": (
        lambda e, n: ([*e[:4], changed(e[4], hide=True), *e[5:]], n),
        3,
    ),
    "an entry left out": (lambda e, n: ([*e[:2], *e[3:]], n), 2),
    "an entry left out and the rest moved up": (lambda e, n: (numbered([*e[:2], *e[3:]]), n), 0),
    "two entries swapped": (lambda e, n: (numbered([*e[:3], e[4], e[3], *e[5:]]), n), 3),
    "an entry repeated": (lambda e, n: (numbered([*e[:5], e[4], *e[5:]]), n), 3),
    "entries added without a checkpoint": (lambda e, n: (e, n[:-1]), 6),
    "the end cut off": (lambda e, n: (e[:6], n), 6),
    "a checkpoint of another key": (
        lambda e, n: (e, [*n[:-1], note(tree_of(e), Ed25519PrivateKey.generate())]),
        None,
    ),
    "a checkpoint's size raised": (lambda e, n: (e, [n[0].replace("\n3\n", "\n4\n"), *n[1:]]), None),
    "checkpoints out of order": (lambda e, n: (e, n[::-1]), None),
    "a checkpoint of another ledger": (lambda e, n: (e, [*n[:-1], note(tree_of(e), name="other")]), None),
    "a checkpoint signed before the one before it": (
        lambda e, n: (e, [*n[:-1], note(tree_of(e), at=AT - timedelta(seconds=1))]),
        None,
    ),
    "everything taken out": (lambda e, n: ([], []), None),
    "every checkpoint taken out": (lambda e, n: (e, []), 0),
    "every entry taken out": (lambda e, n: ([], n), 0),
}


def test_a_ledger_nobody_touched_verifies():
    """And its tree head is the last checkpoint's."""
    entries, notes = ledger()
    result = verify(entries, notes, KEY.public_key())
    assert (result.verified, result.entries, result.checkpoints) == (True, 7, 3)
    assert opened(notes[-1], KEY.public_key()).root == result.root


@pytest.mark.parametrize("name", TAMPERINGS)
def test_tampering_is_found_and_the_first_place_named(name):
    """Changing, dropping, swapping, repeating, adding and cutting."""
    tamper, index = TAMPERINGS[name]
    entries, notes = tamper(*ledger())
    result = verify(entries, notes, KEY.public_key())
    assert not result.verified
    assert result.faults[0].index == index
    in_lots = Verifier(KEY.public_key())
    record = list(in_order(entries, notes))
    all(in_lots.follow(record[first : first + 2]) for first in range(0, len(record), 2))
    assert in_lots.done() == result


def held_against(kept: list[str], entries: list[Leaf], notes: list[str]) -> Verification:
    return verified(in_order(entries, notes), Verifier(KEY.public_key(), held=kept))


def test_what_somebody_kept_shows_that_the_end_was_cut_or_the_past_written_anew():
    """Though the whole was signed again with the very key."""
    entries, notes = ledger()
    assert held_against(notes, entries, notes).verified
    shorter, signed = entries[:5], [note(tree_of(entries[:5]))]
    assert verify(shorter, signed, KEY.public_key()).verified
    assert "the end was cut off" in held_against(notes[-1:], shorter, signed).faults[0].what
    other = [*entries[:4], changed(entries[4], hide=True), *entries[5:]]
    anew = [note(tree_of(other))]
    assert verify(other, anew, KEY.public_key()).verified
    assert "that you hold" in held_against(notes[1:], other, anew).faults[0].what
    assert held_against(notes[:1], other, anew).verified
    elsewhere = [note(tree_of(entries), name="other")]
    assert "of the ledger other, not of test" in held_against(notes[-1:], entries, elsewhere).faults[0].what
    assert "a checkpoint that you hold" in held_against([notes[0], *elsewhere], entries, notes).faults[0].what
    with pytest.raises(CheckpointError, match="another key"):
        Verifier(KEY.public_key(), held=[note(tree_of(entries), Ed25519PrivateKey.generate())])


@given(st.integers(1, 40), st.integers(1, 9), st.booleans())
def test_an_export_says_what_the_ledger_says(size, batch, old):
    """Line by line, and as it was written earlier: with the checkpoints at the end."""
    entries, notes = ledger(size, batch)
    record = [*entries, *notes] if old else list(in_order(entries, notes))
    lines = [line_of(one) + "\n" for one in record]
    assert list(read(lines, lines)) == list(in_order(entries, notes))
    assert verified(read(lines, lines), Verifier(KEY.public_key())).verified


ENTRY, NOTE = (line_of(one[0]) for one in ledger())


@pytest.mark.parametrize(
    "line",
    [
        "",
        "[]",
        "nothing",
        "{}",
        ENTRY.replace('"place": 0', '"place": 0, "place": 1'),
        ENTRY.replace('"place": 0', '"place": 0, "more": 1'),
        ENTRY.replace('"place": 0', '"place": "0"'),
        ENTRY.replace('"place": 0', '"place": false'),
        ENTRY.replace('"place": 0', '"place": 0.0'),
        ENTRY.replace('"entry": "', '"entry": "\\ud800'),
        ENTRY.replace('"place": 0, ', ""),
        ENTRY.replace('"leaf": "', '"leaf": "x'),
        NOTE.replace("{", '{"checkpoint": "x", '),
        NOTE.replace("{", '{"place": 0, '),
        NOTE.removesuffix("}") + ', "more": 1}',
        '{"checkpoint": 7}',
        "[" * 100_000,
    ],
)
def test_a_line_that_is_of_no_export_is_named(line):
    """Doubled and unknown fields too: of two readings one would be wrong."""
    lines = [ENTRY, line]
    with pytest.raises(InvalidError, match="Line 2 is not a line"):
        list(read(lines, lines))


def test_of_many_checkpoints_the_last_signature_is_always_checked():
    """Whatever stands in those between, the tree has to fit, and the last one covers it all."""
    entries, notes = ledger(1190, 1)
    good = verify(entries, notes, KEY.public_key())
    assert (good.verified, good.checkpoints, good.signatures) == (True, 1190, 1002)
    forged = note(tree_of(entries), Ed25519PrivateKey.generate())
    result = verify(entries, [*notes[:-1], forged], KEY.public_key())
    assert [fault.what for fault in result.faults] == [
        "checkpoint 1190: the note was signed with another key",
        "entries from 1100 on are under no signed checkpoint",
    ]


def test_notes_are_told_apart_in_the_text_that_holds_them():
    notes = ledger()[1]
    assert notes_in("".join(notes)) == notes
    for wrong in ("", "".join(notes) + "more", notes[0][:-30]):
        with pytest.raises(CheckpointError):
            notes_in(wrong)


@given(st.dictionaries(st.text(max_size=4), NUMBERS | st.text(max_size=4) | st.none(), max_size=6), st.text())
def test_canonical_bytes_are_told_from_others(value, space):
    """Whatever the keys and numbers; the other bytes of the same value are none."""
    body = rfc8785.dumps(value)
    assert is_canonical(body)
    assert not is_canonical(body + b" ")
    assert not is_canonical(body.replace(b"{", b'{"a":1,"a":1', 1))
    written = json.dumps(value, ensure_ascii=False).encode()
    assert is_canonical(written) == (written == body)


def test_an_entry_that_is_not_canonical_is_found():
    """The bytes must be the canonical ones, or a second reading could differ from the first."""
    body = b'{ "entry":0 }'
    entry = Leaf(leaf_index=0, body=body, leaf=leaf_hash(body))
    result = verify([entry], [note(Frontier().append(entry.leaf))], KEY.public_key())
    assert result.faults[0].what == "entry 0 is not canonical JSON"


ORDERED = '{"\U0001f600":1,"\ufb33":2}'
"""By UTF-16 code units, as section 3.2.3 has it; by bytes and by characters it is the other way round."""


@pytest.mark.parametrize(
    ("body", "is_so"),
    [
        ('{"a":1}', True),
        ('{"a":1.5,"b":100000}', True),
        ('{"a":1.0}', False),
        ('{"a":[1.0]}', False),
        ('{"a":1e5}', False),
        ('{"a":1E5}', False),
        ('{"a":1e+21}', True),
        ('{"a":1e21}', False),
        ('{"a":1e-7}', True),
        ('{"a":0.0000001}', False),
        ('{"a":-0}', False),
        ('{"a":-0.0}', False),
        ('{"a":9007199254740993}', False),
        ('{"a":"1.0","b":"1e5"}', True),
        ('{"a":1,"a":1}', False),
        ('{"b":1,"a":1}', False),
        ('{"a": 1}', False),
        ('{"a":1}\n', False),
        ('{"\u00fc":"\u00fc"}', True),
        ('{"a":"\\u00fc"}', False),
        (ORDERED, True),
        ('{"\ufb33":2,"\U0001f600":1}', False),
        ('{"a":"\U0001f600"}', True),
        ("", False),
        ("1.0", False),
        ('"a"', False),
        (f'{{"a":{"[" * 900}1.0{"]" * 900}}}', False),
        ("{", False),
        ("nan", False),
    ],
)
def test_one_value_has_one_form(body, is_so):
    """RFC 8785: numbers as ECMAScript writes them, keys by code units, nothing that needs not be there."""
    assert is_canonical(body.encode()) == is_so


def stamped(text: str, *, dash: str = "\u2014", name: str = "test", key: Ed25519PrivateKey = KEY) -> str:
    """A note with a signature that fits its text, whatever that is."""
    stamp = note(Frontier().append(b"0" * 32), key).rpartition(" ")[2]
    key_hash = base64.b64decode(stamp)[:4]
    signature = base64.b64encode(key_hash + key.sign(text.encode())).decode()
    return f"{text}\n{dash} {name} {signature}\n"


ROOT = base64.b64encode(b"0" * 32).decode()
STATES = f"test\n7\n{ROOT}\n{AT.isoformat()}\n"


def test_a_note_that_is_as_it_should_be_opens():
    assert opened(stamped(STATES), KEY.public_key()).size == 7


@pytest.mark.parametrize(
    "wrong",
    [
        *(harm(ledger()[1][0]) for harm in (lambda t: t[:-20], lambda t: t.replace("\n\n", "\n"), str.upper)),
        "",
        stamped(STATES.replace("\n7\n", "\n0\n")),
        stamped(STATES.replace("\n7\n", "\n-7\n")),
        stamped(STATES.replace("\n7\n", "\n07\n")),
        stamped(STATES.replace("\n7\n", "\n+7\n")),
        stamped(STATES.replace("\n7\n", "\n\u0667\n")),
        stamped(STATES.replace("+00:00\n", "Z\n")),
        stamped(STATES.replace(ROOT, ROOT + "\u00a0")),
        stamped(STATES.replace(ROOT, f"*{ROOT}")),
        stamped(STATES + "more\n"),
        stamped(STATES, dash="-"),
        stamped(STATES, name="other"),
        stamped(STATES, key=Ed25519PrivateKey.generate()),
        stamped(STATES).replace("\n\u2014 test ", "\n\u2014 test *"),
        stamped(STATES) + stamped(STATES).rpartition("\n\n")[2],
        stamped(STATES).replace("\n7\n", "\n8\n"),
    ],
)
def test_a_note_that_says_it_otherwise_is_refused(wrong):
    """Never a crash, always the same error: what is read in two ways could be two notes."""
    with pytest.raises(CheckpointError):
        opened(wrong, KEY.public_key())


def test_a_public_key_is_read_back_from_its_text():
    """What an auditor is given works; anything else is refused."""
    text = public_key_text(KEY.public_key())
    assert public_key_from(text + "\n") == KEY.public_key()
    for wrong in ("", "AAAA", "not base64!", f"*{text}", f"{text[:9]} {text[9:]}"):
        with pytest.raises(CheckpointError):
            public_key_from(wrong)
