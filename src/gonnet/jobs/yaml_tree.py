"""YAML 1.2 as plain values, with the line and the column of every key and value.

libyaml parses (by PyYAML); what a plain text means is read here by the core schema of YAML 1.2.2 (10.3.2), with dates
as YAML 1.1 has them: `yes` and `on` are texts, `012` is a number.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import yaml

from gonnet.errors import JobError
from gonnet.jobs.positions import Place, Positions

_MOST = 200_000  # values in a file
_DEEPEST = 60
_CORE = "tag:yaml.org,2002:"
_MERGED = f"{_CORE}merge"
_TAGS = frozenset((_MERGED, f"{_CORE}str", f"{_CORE}map", f"{_CORE}seq"))
_INTEGER = re.compile(r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+")
_FLOAT = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")
_WORDS: dict[str, bool | None] = {"": None, "~": None, "null": None, "Null": None, "NULL": None}
_WORDS |= {word: True for word in ("true", "True", "TRUE")} | {word: False for word in ("false", "False", "FALSE")}
_ENDLESS = re.compile(r"[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)")
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_MOMENT = re.compile(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}([Tt]|[ \t]+)[0-9]{1,2}:[0-9]{2}:[0-9]{2}(\.[0-9]*)?.*")


class _Loader(getattr(yaml, "CSafeLoader", yaml.SafeLoader)):  # type: ignore[misc]  # one of two, as it was built
    """Tells plain texts from quoted ones, and leaves it at that."""

    yaml_implicit_resolvers: dict[str, Any] = {"<": [(_MERGED, re.compile("<<"))]}


def parsed(text: str, shown: Path) -> tuple[object, Positions]:
    """What a file says, and where; None where it says nothing.

    Args:
        text: Its text.
        shown: The file, for messages.

    Raises:
        JobError: it is no YAML, or is too large or too deep.
    """
    loader = _Loader(text)
    try:
        node = loader.get_single_node()
        plain = _Plain(shown)
        return plain.of(node) if node is not None else None, Positions(values=plain.values, keys=plain.keys)
    except yaml.MarkedYAMLError as error:
        raise JobError(
            f"this is not YAML: {error.problem or error.context}",
            where=_marked(shown, error.problem_mark or error.context_mark),
            fix="Look at the indentation, at colons inside texts and at missing quotes around here",
        ) from error
    except yaml.YAMLError as error:
        raise JobError(f"this is not YAML: {error}", where=str(shown)) from error
    finally:
        loader.dispose()


def _marked(shown: Path, mark: Any) -> str:  # noqa: ANN401
    return f"{shown}:{mark.line + 1}:{mark.column + 1}" if mark is not None else str(shown)


class _Plain:
    """Plain Python values of a YAML tree, with the position of every key and value.

    Args:
        shown: The file, for messages.
    """

    def __init__(self, shown: Path) -> None:
        self._shown, self._count = shown, 0
        self.values: dict[Place, tuple[int, int]] = {(): (1, 1)}
        self.keys: dict[Place, tuple[int, int]] = {}

    def of(self, node: yaml.Node, place: Place = ()) -> object:
        """The value of a node.

        Raises:
            JobError: it has a tag, or is too large or too deep, as one that refers to itself again and again is.
        """
        self._count += 1
        if self._count > _MOST or len(place) > _DEEPEST:
            what = "this file is too large or too deeply nested: something in it is repeated by `*name` again and again"
            raise JobError(what, where=self._where(place[:1]), fix="Write it out, without anchors")
        if node.tag not in _TAGS:
            what = f"the tag `{node.tag.replace(_CORE, '!!')}` means nothing here"
            raise JobError(what, where=self._where(place), fix="Take it out; a text that begins with ! needs quotes")
        if isinstance(node, yaml.MappingNode):
            return self._map(node, place)
        if isinstance(node, yaml.SequenceNode):
            found = []
            for index, item in enumerate(node.value):
                self.values[(*place, index)] = _position(item)
                found.append(self.of(item, (*place, index)))
            return found
        return node.value if node.style else meant_by(node.value)

    def _map(self, node: yaml.MappingNode, place: Place) -> dict[object, object]:
        found: dict[object, object] = {}
        own: dict[object, yaml.Node] = {}
        merged: list[yaml.Node] = []
        for key, value in node.value:
            if key.tag == _MERGED and not key.style:
                merged.append(value)
                continue
            name = self._name(key, place)
            if name in own:
                raise JobError(f'duplicate key "{name}"', where=_marked(self._shown, key.start_mark), fix=_KEEP_ONE)
            path = (*place, name if isinstance(name, int) else str(name))
            own[name] = value
            self.keys[path], self.values[path] = _position(key), _position(value)
            found[name] = self.of(value, path)
        for value in merged:
            for name, other in self._merged(value, place):
                if name not in found:  # what is merged in has no position of its own: that of where it comes to will do
                    path = (*place, name if isinstance(name, int) else str(name))
                    self.keys[path] = self.values[path] = self._here(place)
                    found[name] = self.of(other, path)
        return found

    def _merged(self, node: yaml.Node, place: Place) -> Iterator[tuple[object, yaml.Node]]:
        """The keys and values of what `<<` merges in: a group, or several of which the first counts."""
        if isinstance(node, yaml.SequenceNode):
            for one in node.value:
                yield from self._merged(one, place)
        elif isinstance(node, yaml.MappingNode):
            for key, value in node.value:
                if key.tag == _MERGED and not key.style:
                    yield from self._merged(value, place)
                else:
                    yield self._name(key, place), value
        else:
            what = "`<<` merges groups of `name: value` lines"
            raise JobError(what, where=_marked(self._shown, node.start_mark), fix="Name one by `*name`")

    def _name(self, key: yaml.Node, place: Place) -> object:
        if not isinstance(key, yaml.ScalarNode):
            what = "a group or a list cannot be a name here"
            raise JobError(what, where=_marked(self._shown, key.start_mark), fix="Put the name in quotes")
        return self.of(key, (*place, ""))

    def _here(self, place: Place) -> tuple[int, int]:
        return self.values.get(place, (1, 1))

    def _where(self, place: Place) -> str:
        line, column = self._here(place)
        return f"{self._shown.as_posix()}:{line}:{column}"


_KEEP_ONE = "Keep one of the two"


def _position(node: yaml.Node) -> tuple[int, int]:
    return node.start_mark.line + 1, node.start_mark.column + 1


def meant_by(text: str) -> object:
    """What a text without quotes means: nothing, a truth, a number, a date, or itself."""
    if text in _WORDS:
        return _WORDS[text]
    if text[0] not in "+-.0123456789":
        return text
    if _INTEGER.fullmatch(text):
        return int(text, {"0o": 8, "0x": 16}.get(text[:2], 10))
    if _FLOAT.fullmatch(text):
        return Decimal(str(float(text)))
    if _ENDLESS.fullmatch(text):
        return float(text.replace(".", ""))
    return _as_date(text)


def _as_date(text: str) -> object:
    try:
        if _DATE.fullmatch(text):
            return dt.date.fromisoformat(text)
        if _MOMENT.fullmatch(text):
            return dt.datetime.fromisoformat(text)
    except ValueError:
        pass
    return text
