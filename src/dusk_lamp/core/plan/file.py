"""A whole plan as a file: the sculpt, its light, its regions and how they are painted. What it may hold is its JSON
Schema."""

import json
from collections.abc import Mapping
from dataclasses import MISSING, dataclass, field, fields, is_dataclass
from types import NoneType, UnionType
from typing import Any, Union, get_args, get_origin, get_type_hints

from ..coat.coat import Coat, coat_from
from ..errors import SettingError
from ..light.rig import Rig
from ..light.tint import Tints
from ..paint.rack import Paint, Rack
from ..plain import built, checked, choice, number, range_of, text
from ..sculpt.marking import Region
from ..sculpt.stand import AXES, SHORTEST_MM, TALLEST_MM
from ..target.exposure import Exposure
from .schools import SCHOOLS
from .tools import Tools
from .ways import ways

VERSION = 1
LARGEST_BYTES = 64_000_000
MOST_COATS = 400


@dataclass(frozen=True)
class Standing:
    """The sculpt's file and how it stands. file: beside the plan; more: the others it is made of, in their order.
    height: mm, None where the files are in mm. samples: laid out, None for as many as the bench takes. holes_closed:
    whether its holes are. apart: numbers of the parts painted apart, from 0; a part is a shell of a file, the largest
    first."""

    file: str = text(MISSING, (1, 400), "the sculpt's file")
    more: list[str] = field(default_factory=list)
    up: str = choice("z", AXES, "the axis that points up")
    front: str | None = None
    height: float | None = number(None, SHORTEST_MM, TALLEST_MM, "the height", "mm")
    samples: int | None = number(None, 500, 400_000, "the number of samples")
    holes_closed: bool = False
    apart: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class Undercoat:
    """A school, or coats as they are; primer, through: names of paints. steps: greys with the primer."""

    school: str = choice("ladder", tuple(SCHOOLS), "a school")
    primer: str | None = None
    through: str | None = None
    steps: int = number(5, 2, 9, "the number of greys")
    coats: list[dict[str, Any]] = field(default_factory=list)


@dataclass(frozen=True)
class View:
    """The display view, degrees."""

    azimuth: float = number(0.0, -180, 180, "the view's direction")
    elevation: float = number(8.0, -90, 90, "the view's height")


@dataclass(frozen=True)
class PlanFile:
    """A plan. plan: the version of this form. rack: paints, none for the demo rack. regions: what each is; marking:
    the same with the spots it covers, as the regions' file has it (docs/formats.md); without, the first region is
    the whole model. every: the way of regions that name none; "" leaves them a sketch. coats: in colour, as they
    are, instead of ways."""

    plan: int
    sculpt: Standing
    light: Rig = field(default_factory=Rig)
    tints: Tints = field(default_factory=Tints)
    exposure: Exposure = field(default_factory=Exposure)
    display: View = field(default_factory=View)
    tools: Tools = field(default_factory=Tools)
    rack: list[Paint] = field(default_factory=list)
    regions: list[Region] = field(default_factory=list)
    marking: dict[str, Any] = field(default_factory=dict)
    undercoat: Undercoat = field(default_factory=Undercoat)
    every: str = ""
    coats: list[dict[str, Any]] = field(default_factory=list)

    def __post_init__(self) -> None:
        for part in (self.sculpt, self.undercoat, self.display):
            checked(part)
        named = [r.way for r in self.regions if r.way] + ([self.every] if self.every else [])
        strange = [name for name in named if name not in ways()]
        if strange:
            raise SettingError(f"a way is one of {', '.join(ways())}, not '{strange[0][:40]}'")

    @property
    def own_rack(self) -> Rack | None:
        """Its paints, None where it brings none."""
        return Rack(self.rack) if self.rack else None

    def coats_of(self, given: list[dict[str, Any]]) -> list[Coat]:
        """Coats as they are written."""
        if len(given) > MOST_COATS:
            raise SettingError(f"{MOST_COATS} coats are more than a model bears")
        return [coat_from(c) for c in given]


def read_plan(content: bytes) -> PlanFile:
    """The plan in a file.

    Raises:
        SettingError: it is none, garbled, hostile, or of a newer version; it says what.
    """
    if len(content) > LARGEST_BYTES:
        raise SettingError(f"a plan has at most {LARGEST_BYTES // 1_000_000} MB; this is something else")

    def no_number(word: str) -> float:
        raise SettingError(f"this plan holds {word}, which is no number; export it again")

    try:
        given = json.loads(content, parse_constant=no_number)
    except SettingError:
        raise
    except (ValueError, RecursionError) as e:
        raise SettingError("this plan is no JSON, or is cut short; export it again") from e
    if not isinstance(given, dict):
        raise SettingError("a plan is a JSON object; see dusk-lamp schema")
    version = given.get("plan")
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise SettingError(f'this is no plan: it has no "plan": {VERSION}; see dusk-lamp schema')
    if version > VERSION:
        raise SettingError(
            f"this plan was made by a newer Dusk Lamp (form {version}, this one reads {VERSION}); update it first"
        )
    _all_known(PlanFile, given, "the plan")
    try:
        return built(PlanFile, given, "the plan")
    except SettingError as e:
        if "reload the page" in str(e):
            raise SettingError("this plan is incomplete or garbled; see dusk-lamp schema") from e
        raise


def _all_known(kind: Any, given: Any, where: str) -> None:
    """Refuse keys that nothing reads: a slip of the pen must not be passed over."""
    kind = _bare(kind)
    if get_origin(kind) is list and isinstance(given, list):
        for k, one in enumerate(given):
            _all_known(get_args(kind)[0], one, f"{where}, number {k + 1}")
    elif is_dataclass(kind) and isinstance(given, Mapping):
        hints = get_type_hints(kind)
        for key, value in given.items():
            if key not in hints:
                raise SettingError(
                    f"{where} has “{str(key)[:40]}”, which this bench does not know; known are {', '.join(hints)}"
                )
            _all_known(hints[key], value, f"{where}, {key}")


def _bare(kind: Any) -> Any:
    if get_origin(kind) in (Union, UnionType):
        return next(k for k in get_args(kind) if k is not NoneType)
    return kind


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a plan."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Dusk Lamp plan", **_schema_of(PlanFile),
    }  # fmt: skip


def _schema_of(kind: Any) -> dict[str, Any]:
    kind = _bare(kind)
    origin, of = get_origin(kind), get_args(kind)
    if is_dataclass(kind):
        hints, properties, needed = get_type_hints(kind), {}, []
        for f in fields(kind):
            properties[f.name] = _field(f, hints[f.name])
            if f.default is MISSING and f.default_factory is MISSING:
                needed.append(f.name)
        return {"type": "object", "properties": properties, "required": needed, "additionalProperties": False}
    if origin in (list, tuple):
        return {"type": "array", "items": _schema_of(of[0]) if of else {}}
    if origin is dict or kind is Any:
        return {"type": "object"} if origin is dict else {}
    return {"type": {str: "string", int: "integer", float: "number", bool: "boolean"}[kind]}


def _field(f: Any, kind: Any) -> dict[str, Any]:
    out = _schema_of(kind)
    allowed = range_of(f)
    if allowed is not None:
        if allowed.options:
            out["enum"] = list(allowed.options)
        elif allowed.letters:
            out |= {"maxLength": allowed.letters[1]}
        else:
            out |= {k: v for k, v in (("minimum", allowed.low), ("maximum", allowed.high)) if abs(v) != float("inf")}
        out["description"] = f"{allowed.words}{f', {allowed.unit}' if allowed.unit else ''}"
    if get_origin(kind) in (Union, UnionType) and NoneType in get_args(kind):
        none = {"type": "null"}
        return {"anyOf": [out, none]}
    return out
