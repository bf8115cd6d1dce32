"""YAML and JSON text into plain values and back, so that what is read is what stands there.

A key that stands twice, a merge key, an alias and a tag change silently what is read, each reader in its own
way; they are refused with their place. What stands without quotes is read as YAML 1.2 does by its core schema
(section 10.3.2): older readers take `12:00` for 720 and `010` for 8.
"""

import json
import re
from collections.abc import Callable
from typing import Any

import yaml

_DEEPEST = 20
_LOOKED_THROUGH = 256 * 1024


class UnreadableTextError(ValueError):
    """The text is no YAML or JSON that has one meaning; says line and column, from 1."""


class _JsonLike(yaml.SafeLoader):
    """YAML in which a time stays the text that was written, and a number has one way to be read."""


_JsonLike.yaml_implicit_resolvers = {}
for _tag, _written, _first in (
    ("null", r"~|null|Null|NULL|", [*"~nN", ""]),
    ("bool", r"true|True|TRUE|false|False|FALSE", [*"tTfF"]),
    ("int", r"[-+]?(?:0|[1-9][0-9]*)", [*"-+0123456789"]),
    ("float", r"[-+]?(?:0|[1-9][0-9]*)(?:\.[0-9]*)?(?:[eE][-+]?[0-9]+)?", [*"-+0123456789"]),
    ("merge", "<<", ["<"]),
):
    _JsonLike.add_implicit_resolver(f"tag:yaml.org,2002:{_tag}", re.compile(f"^(?:{_written})$"), _first)
_TEXT = "tag:yaml.org,2002:str"
_MERGE = "tag:yaml.org,2002:merge"


def plain_of(text: str) -> Any:
    """The plain values of one YAML or JSON document.

    Raises:
        UnreadableTextError: with the place of what has no one meaning.
    """
    try:
        _refuse_hidden(text)
        loader = _JsonLike(text)
        try:
            node = loader.get_single_node()
            _refuse_double(node)
            return loader.construct_document(node) if node is not None else None
        finally:
            loader.dispose()
    except yaml.YAMLError as exc:
        mark = getattr(exc, "problem_mark", None)
        problem = getattr(exc, "problem", None) or "not YAML"
        raise UnreadableTextError(f"{problem}{_place(mark) if mark else ''}") from exc
    except (ValueError, RecursionError) as exc:
        raise exc if isinstance(exc, UnreadableTextError) else UnreadableTextError(str(exc)) from exc


def text_of(plain: Any) -> str:
    """YAML by the line, with short lists of words in one, that is read as the same values again."""
    return yaml.dump(plain, Dumper=_Lines, sort_keys=False, allow_unicode=True, width=100)


class _Lines(yaml.SafeDumper):
    """Quotes what either kind of reader would take for something other than a text."""


def _list(dumper: _Lines, items: list[Any]) -> yaml.Node:
    flat = not any(isinstance(one, list | dict) for one in items)
    return dumper.represent_sequence("tag:yaml.org,2002:seq", items, flow_style=flat)


_Lines.add_representer(list, _list)
for _first, _ours in _JsonLike.yaml_implicit_resolvers.items():
    for _tag, _regex in _ours:
        _Lines.add_implicit_resolver(_tag, _regex, [_first])


def json_of(text: str) -> Any:
    """The plain values of a JSON text in which no key stands twice: readers differ in which of two they take.

    Raises:
        UnreadableTextError: for one that does; with the place, unless the text is too long to look for it.
        ValueError: for what is no JSON, or is nested deeper than anybody means.
    """
    return _json(text, _once)


def refuse_double(text: str) -> None:
    """See that no key of a JSON text stands twice in one object; for who reads it by another reader.

    Raises:
        UnreadableTextError: as `json_of` does.
    """
    try:
        _json(text, _once_and_let_go)
    except UnreadableTextError:
        raise
    except ValueError:
        return  # What is no JSON at all is told by who reads it.


def _json(text: str, made_of: Callable[[list[tuple[str, Any]]], Any]) -> Any:
    try:
        return json.loads(text, object_pairs_hook=made_of)
    except _TwiceError as exc:
        if len(text) <= _LOOKED_THROUGH:
            plain_of(text)
        raise UnreadableTextError(f"{exc} stands twice") from exc
    except RecursionError as exc:
        raise ValueError("it is nested too deeply") from exc


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise _TwiceError(key)
        found[key] = value
    return found


def _once_and_let_go(pairs: list[tuple[str, Any]]) -> None:
    """Nothing of a large text is kept while it is only looked through."""
    _once(pairs)


class _TwiceError(Exception):
    """A key that stands twice."""


def _refuse_hidden(text: str) -> None:
    depth = 0
    for event in yaml.parse(text, Loader=yaml.SafeLoader):
        if isinstance(event, yaml.AliasEvent):
            raise UnreadableTextError(f"aliases are not read{_place(event.start_mark)}")
        if getattr(event, "tag", None) is not None:
            raise UnreadableTextError(f"tags are not read{_place(event.start_mark)}")
        depth += isinstance(event, yaml.CollectionStartEvent)
        depth -= isinstance(event, yaml.CollectionEndEvent)
        if depth > _DEEPEST:
            raise UnreadableTextError(f"nested deeper than {_DEEPEST}{_place(event.start_mark)}")


def _refuse_double(node: yaml.Node | None) -> None:
    if isinstance(node, yaml.SequenceNode):
        for inner in node.value:
            _refuse_double(inner)
    if isinstance(node, yaml.MappingNode):
        seen: set[str] = set()
        for key, value in node.value:
            if key.tag == _MERGE:
                raise UnreadableTextError(f"merge keys are not read{_place(key.start_mark)}")
            if not isinstance(key, yaml.ScalarNode) or key.tag != _TEXT:
                raise UnreadableTextError(f"a key is a text{_place(key.start_mark)}")
            if key.value in seen:
                raise UnreadableTextError(f"{key.value} stands twice{_place(key.start_mark)}")
            seen.add(key.value)
            _refuse_double(value)


def _place(mark: Any) -> str:
    return f" (line {mark.line + 1}, column {mark.column + 1})"
