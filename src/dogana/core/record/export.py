"""The export of a ledger as JSON Lines.

`{"place": INDEX, "leaf": HEX, "entry": TEXT}` for each entry in order, and `{"checkpoint": NOTE}` for each
signed checkpoint, right after the last entry it covers. Older exports have all checkpoints at the end.
"""

import json
from collections.abc import Iterable, Iterator

from dogana.core.errors import InvalidError
from dogana.core.record.verify import Leaf, in_order

LONGEST = 16 << 20
"""Characters of a line."""
_CHECKPOINT = '{"checkpoint":'


def line_of(one: Leaf | str) -> str:
    """An entry or a checkpoint as a line, without its end."""
    if isinstance(one, str):
        return json.dumps({"checkpoint": one}, ensure_ascii=False)
    entry = {"place": one.leaf_index, "leaf": one.leaf.hex(), "entry": one.body.decode()}
    return json.dumps(entry, ensure_ascii=False)


def read(lines: Iterable[str], again: Iterable[str]) -> Iterator[Leaf | str]:
    """The entries and checkpoints of an export in order; nothing of it is kept.

    Args:
        lines: its lines, of which the entries are taken.
        again: the same, of which the checkpoints are taken.

    Raises:
        InvalidError: naming the first line that is not of an export, once it is come to.
    """
    return in_order(_entries(lines), _checkpoints(again))


def _entries(lines: Iterable[str]) -> Iterator[Leaf]:
    for number, line in enumerate(lines, start=1):
        if line.startswith(_CHECKPOINT):
            continue
        match _fields(number, line):
            case {"place": bool()}:
                raise _not_one(number)
            case {"place": int(index), "leaf": str(leaf), "entry": str(body), **other} if not other:
                try:
                    yield Leaf(leaf_index=index, body=body.encode(), leaf=bytes.fromhex(leaf))
                except ValueError as exc:
                    raise _not_one(number) from exc
            case _:
                raise _not_one(number)


def _checkpoints(lines: Iterable[str]) -> Iterator[str]:
    for number, line in enumerate(lines, start=1):
        if line.startswith(_CHECKPOINT):
            match _fields(number, line):
                case {"checkpoint": str(note), **other} if not other:
                    yield note
                case _:
                    raise _not_one(number)


def _fields(number: int, line: str) -> dict[str, object]:
    """What a line says; of a field that stands twice, nobody knows which was meant."""
    try:
        pairs = json.loads(line, object_pairs_hook=tuple)
        said = dict(pairs)
    except (ValueError, TypeError, RecursionError) as exc:
        raise _not_one(number) from exc
    if not isinstance(pairs, tuple) or len(said) != len(pairs):
        raise _not_one(number)
    return said


def _not_one(number: int) -> InvalidError:
    return InvalidError(f"Line {number} is not a line of a ledger export.")
