"""Reading YAML 1.2 into models, with every mistake of a file at once and its line and column."""

from __future__ import annotations

import hashlib
import pickle
import types
import typing
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from gonnet.errors import GonnetError, JobError, meant, nearest
from gonnet.jobs.alike import joined
from gonnet.jobs.arrivals import Arrival
from gonnet.jobs.blocks import Block
from gonnet.jobs.models import Job, JobFile
from gonnet.jobs.positions import Place, Positions
from gonnet.jobs.sources import DatabaseDataSet, FileDataSet, SqlDataSet
from gonnet.jobs.workspace import Workspace, WorkspaceFile
from gonnet.jobs.yaml_tree import parsed

_LARGEST = 4_000_000  # bytes
M = TypeVar("M", bound=BaseModel)

_UNIONS = FileDataSet, DatabaseDataSet, SqlDataSet, *typing.get_args(Arrival), *typing.get_args(Block)
_UNION_TAGS = frozenset(part.__name__ for part in _UNIONS)

_LIMITS = {
    "greater_than_equal": "at least",
    "greater_than": "more than",
    "less_than_equal": "at most",
    "less_than": "less than",
}


def load_job(workspace: Workspace, name: str, filled_up: Callable[[object], object] = lambda tree: tree) -> Job:
    """Read `jobs/NAME.yaml`; what it still lacks is filled up.

    Raises:
        JobError: there is no such job (offers near misses), or the file has mistakes (carries all of them).
    """
    path = workspace.job_path(name)
    if not path.is_file():
        raise JobError(
            f"there is no job '{name}'",
            where=str(workspace.jobs_folder),
            fix=meant(name, workspace.job_names(), noun="job"),
        )
    shown = path.relative_to(workspace.folder)
    raw, tree, positions = _read(workspace, name, ())
    file = _validated(JobFile, filled_up(tree), positions, shown)
    digest = hashlib.sha256(raw).hexdigest()
    return Job(
        name=name,
        path=shown,
        folder=workspace.folder,
        reach=workspace.reach,
        file=file,
        positions=positions,
        digest=digest,
        tree=tree,
    )


def _read(workspace: Workspace, name: str, on_the_way: tuple[str, ...]) -> tuple[bytes, object, Positions]:
    """The bytes, the contents and the places of a job's file; with those of the job that it is like, where it says so.

    Raises:
        JobError: a file cannot be read, or there is no such job, or they are like one another.
    """
    path = workspace.job_path(name)
    shown = path.relative_to(workspace.folder)
    raw = _bytes_of(path, shown)
    tree, positions = _parse(raw, shown)
    if not isinstance(tree, Mapping) or "like" not in tree:
        return raw, tree, positions
    line, column = positions.of(("like",))
    where, base = f"{shown.as_posix()}:{line}:{column}", str(tree["like"])
    if not workspace.job_path(base).is_file():
        fix = meant(base, [one for one in workspace.job_names() if one != name], noun="job")
        raise JobError(f"there is no job '{base}'", where=where, fix=fix)
    if base in (*on_the_way, name):
        raise JobError(f"'{name}' is like '{base}', which is like it", where=where, fix="Let one of them say it all")
    more, other, places = _read(workspace, base, (*on_the_way, name))
    if not isinstance(other, Mapping):
        return raw, tree, positions
    base_shown = workspace.job_path(base).relative_to(workspace.folder).as_posix()
    joint = joined((tree, positions), (other, places), shown.as_posix(), base_shown)
    return raw + b"\0" + more, *joint


def load_workspace(folder: Path) -> Workspace:
    """Read `gonnet.yaml` of `folder`.

    Raises:
        JobError: the file cannot be read or has mistakes.
    """
    shown = Path("gonnet.yaml")
    tree, positions = _parse(_bytes_of(folder / shown, shown), shown)
    return Workspace(folder=folder, file=_validated(WorkspaceFile, tree, positions, shown))


def _bytes_of(path: Path, shown: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise JobError(
            f"this file cannot be read: {error.strerror}", where=str(shown), fix="Check its permissions"
        ) from error


def _parse(raw: bytes, shown: Path) -> tuple[object, Positions]:
    """What a file says, of its own for each who asks: a service reads the same files again and again."""
    found: tuple[object, Positions] = pickle.loads(_parsed(raw, shown))
    return found


@lru_cache(maxsize=64)
def _parsed(raw: bytes, shown: Path) -> bytes:
    if len(raw) > _LARGEST:
        what = f"this file has {len(raw) / 1e6:.1f} MB, and {_LARGEST / 1e6:.0f} MB are the most that is read"
        raise JobError(what, where=str(shown), fix="Keep data in data files")
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = raw[: error.start].count(b"\n") + 1
        raise JobError("this file is not UTF-8 text", where=f"{shown}:{line}", fix="Save it as UTF-8") from error
    tree, positions = parsed(text, shown)
    if tree is None:
        raise JobError("this file is empty", where=str(shown), fix="`gonnet new` writes one to begin with")
    if not isinstance(tree, dict):
        raise JobError("this file must consist of `name: value` lines", where=f"{shown}:1:1")
    return pickle.dumps((tree, positions))


def _validated(model: type[M], tree: object, positions: Positions, shown: Path) -> M:
    try:
        return model.model_validate(tree, by_alias=True, by_name=False)
    except ValidationError as error:
        mistakes = list(_mistakes(model, error.errors(), positions, shown))
    raise JobError.of(sorted(mistakes, key=_by_line))


def _by_line(mistake: GonnetError) -> tuple[int, ...]:
    return tuple(int(part) for part in mistake.where.split(":")[1:])


def _mistakes(
    model: type[BaseModel], details: Sequence[ErrorDetails], positions: Positions, shown: Path
) -> Iterator[JobError]:
    told: set[tuple[str, str]] = set()
    for detail in _without_echoes(list(_of_the_meant_kind(details))):
        place = _place(detail["loc"], positions)
        line, column = positions.of(place, key=detail["type"] == "extra_forbidden")
        what, fix = _said(model, detail, place)
        where = f"{positions.file_of(place, shown.as_posix())}:{line}:{column}"
        if (where, what) not in told:
            told.add((where, what))
            yield JobError(what, where=where, fix=fix)


def _without_echoes(details: list[ErrorDetails]) -> Iterator[ErrorDetails]:
    """Leave out what only follows from another mistake: the missing key that was misspelt, the list it emptied."""
    unknown: dict[tuple[str | int, ...], list[str]] = {}
    for detail in details:
        if detail["type"] == "extra_forbidden":
            unknown.setdefault(detail["loc"][:-1], []).append(str(detail["loc"][-1]))
    for detail in details:
        parent, last = detail["loc"][:-1], str(detail["loc"][-1])
        misspelt = unknown.get(parent, [])
        echo = (detail["type"] == "missing" and misspelt and (parent[-1:] and parent[-1] in _UNION_TAGS)) or (
            detail["type"] == "missing" and nearest(last, misspelt) is not None
        )
        if not echo and not (detail["type"] == "too_short" and detail["input"]):
            yield detail


def _place(location: Sequence[str | int], positions: Positions) -> Place:
    """The path in the file: without the parts that pydantic adds for union members and for keys."""
    place: Place = ()
    for part in location:
        if (*place, part) in positions.values:
            place = (*place, part)
    return place


def _of_the_meant_kind(details: Sequence[ErrorDetails]) -> Iterator[ErrorDetails]:
    """Of a part that may have several forms, only what is wrong with the form that was meant.

    Pydantic reports the mistakes for every member of a union. The member that was meant is the one whose own key is
    there: the one that does not miss anything at its top level and has the fewest mistakes.
    """
    groups: dict[Place, dict[str, list[ErrorDetails]]] = {}
    for detail in details:
        cut = next((i for i, part in enumerate(detail["loc"]) if part in _UNION_TAGS), None)
        if cut is None:
            yield detail
        else:
            group = groups.setdefault(detail["loc"][:cut], {})
            group.setdefault(str(detail["loc"][cut]), []).append(detail)
    for place, members in groups.items():
        yield from min(members.values(), key=lambda found: _distance(found, place))


def _distance(details: list[ErrorDetails], place: Place) -> tuple[bool, int]:
    misses = any(d["type"] == "missing" and len(d["loc"]) == len(place) + 2 for d in details)
    return misses, len(details)


def _said(model: type[BaseModel], detail: ErrorDetails, place: Place) -> tuple[str, str]:
    """What is wrong and how to put it right, in the operator's words."""
    kind, given = detail["type"], detail["input"]
    name = str(detail["loc"][-1] if kind in ("missing", "extra_forbidden") or not place else place[-1])
    context = detail.get("ctx", {})
    match kind:
        case "extra_forbidden":
            location = detail["loc"][:-1]
            if location and location[-1] in _UNION_TAGS:  # it may have meant another member
                location = location[:-1]
            return f"unknown key '{name}'", meant(name, _known_keys(model, location), noun="key")
        case "missing":
            return f"'{name}' is missing here", f"Add a line `{name}: …`"
        case "string_type":
            return (
                f"'{name}' must be text, this is {_kind(given)}",
                "Put it in quotes" if given is not None else "Write a text",
            )
        case "literal_error":
            choices = [
                choice.strip("' ") for choice in str(context.get("expected", "")).replace(" or ", ", ").split(",")
            ]
            return f"'{given}' is not a value of '{name}'", meant(str(given), choices, noun="value")
        case "bool_type":
            return f"'{name}' must be true or false, this is {_kind(given)}", ""
        case "int_type" | "float_type" | "int_from_float":
            return f"'{name}' must be a number, this is {_kind(given)}", ""
        case "dict_type" | "model_type" | "model_attributes_type":
            return f"'{name}' must be a group of `name: value` lines, this is {_kind(given)}", ""
        case "tuple_type" | "list_type":
            return (
                f"'{name}' must be a list, this is {_kind(given)}",
                "Write its entries on lines that begin with a dash",
            )
        case "too_short":
            return f"'{name}' is empty", "Add at least one entry"
        case "too_long":
            return f"'{name}' has {context['actual_length']} entries", f"Leave at most {context['max_length']}"
        case "greater_than_equal" | "greater_than" | "less_than_equal" | "less_than":
            (limit,) = context.values()
            return f"'{name}' must be {_LIMITS[kind]} {_number(limit)}, this is {_number(given)}", ""
        case "string_too_short":
            return f"the text of '{name}' is too short", f"Write at least {context['min_length']} letters"
        case "string_too_long":
            return f"the text of '{name}' is too long", f"Write at most {context['max_length']} letters"
        case "value_error":
            return str(context.get("error", detail["msg"])), ""
        case _:
            return f"'{name}': {detail['msg']}", ""


def _number(value: object) -> str:
    return f"{value:g}" if isinstance(value, float | int) else str(value)


def _kind(value: object) -> str:
    match value:
        case None:
            return "empty"
        case bool():
            return f"the yes/no value {str(value).lower()}"
        case int() | Decimal():
            return f"the number {value}"
        case dict():
            return "a group of lines"
        case list() | tuple():
            return "a list"
        case str():
            return f"the text '{value}'"
        case _:
            return f"'{value}'"


def _known_keys(model: type[BaseModel], location: Sequence[str | int]) -> list[str]:
    """The keys a part of the file may have, found by walking the models along `location`."""
    here: Any = model
    for part in location:
        here = _step(here, part)
        if here is None:
            return []
    models = [m for m in _members(here) if isinstance(m, type) and issubclass(m, BaseModel)]
    return sorted({field.alias or name for m in models for name, field in m.model_fields.items()})


def _members(annotation: Any) -> list[Any]:  # noqa: ANN401  type annotations have no common type
    origin = typing.get_origin(annotation)
    if origin is typing.Annotated:
        return _members(typing.get_args(annotation)[0])
    if origin in (typing.Union, types.UnionType):
        return [member for inner in typing.get_args(annotation) for member in _members(inner)]
    return [annotation]


def _step(annotation: Any, part: str | int) -> Any:  # noqa: ANN401
    for member in _members(annotation):
        if isinstance(member, type) and issubclass(member, BaseModel):
            if member.__name__ == part:
                return member
            for name, field in member.model_fields.items():
                if part in (name, field.alias):
                    return field.annotation
        origin, arguments = typing.get_origin(member), typing.get_args(member)
        if origin in (dict, Mapping) and isinstance(part, str):
            return arguments[1]
        if origin in (tuple, list) and isinstance(part, int):
            return arguments[0]
    return None
