"""The plan: one versioned document of everything about how a sculpt is painted.

It holds how the sculpt stands and what it is made of, view, light, regions, the wishes of every feature and the one
list of coats. A page keeps it as revisions, a file brings it to another bench, the command line runs it: all the same
document. Version 1, which knew undercoat and colour only, is read and brought along."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import MISSING, dataclass, field, fields, is_dataclass, replace
from types import NoneType, UnionType
from typing import Any, Union, get_args, get_origin, get_type_hints

import numpy as np

from ..coat.coat import Coat, coat_from
from ..errors import SettingError
from ..light.rig import Rig
from ..light.tint import Tints
from ..paint.rack import Paint, Rack
from ..plain import built, checked, choice, number, plain, range_of, text
from ..sculpt.display import Display
from ..sculpt.marking import MOST_REGIONS, Marking, Region
from ..sculpt.parts import MOST_PARTS, Part
from ..sculpt.site import Where
from ..sculpt.stand import AXES, SHORTEST_MM, TALLEST_MM, Standing
from ..target.exposure import Exposure
from ..target.greys import Greys
from ..workplace.tools import Tools
from .features.colour.ways import ways
from .wishes import kinds_of_wishes

VERSION = 2
LARGEST_BYTES = 64_000_000
MOST_COATS = 400
MOST_PAINTS = 2000
MOST_MODELS = 200
GARBLED = "this plan is incomplete or garbled; see dusk-lamp schema"


@dataclass(frozen=True)
class SculptFile:
    """The sculpt's file and how it stands. file: beside the plan; more: the others it is made of, in their order. up,
    front: axes; None as long as that is not known. height: mm, None where the files are in mm. samples: laid out,
    None for as many as the bench takes; most_samples: but no more than so many. holes_closed: whether its holes are.
    apart: numbers of the parts painted apart, from 0; a part is a shell of a file, the largest first."""

    file: str = text("", (0, 400), "the sculpt's file")
    more: tuple[str, ...] = ()
    up: str | None = choice(None, AXES, "the axis that points up")
    front: str | None = choice(None, AXES, "the axis that the figure faces")
    height: float | None = number(None, SHORTEST_MM, TALLEST_MM, "the height", "mm")
    samples: int | None = number(None, 500, 400_000, "the number of samples")
    most_samples: int | None = number(None, 100, 400_000, "the most samples")
    holes_closed: bool = False
    apart: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        checked(self)

    @property
    def standing(self) -> Standing | None:
        """How it stands, once that is known."""
        return Standing(self.up, self.front, self.height) if self.up and self.front else None


@dataclass(frozen=True)
class Plan:
    """A plan.

    plan: the version of this form. sculpt, parts: what is painted and how it stands. display: how it is looked at.
    light, tints, exposure, greys: its light; dusk: the share of the lamp's light that is left. small_forms: how much
    sooner studs, scales and knuckles go bright (CP-13). tools, rack: what there is, for a plan that brings its own.
    regions: with the spots they cover in marking, as the regions' file has them (docs/formats.md); without, the first
    region is the whole model. wishes: of every feature by its name; what is not there is as usual. coats: all of
    them, in order, each with the feature it belongs to. settled: names of the features whose coats are as listed,
    also where there are none; the coats of the others are worked out from their wishes. models: how many it is
    painted on. last_id: the highest id that a region or a glow was ever given."""

    plan: int = VERSION
    sculpt: SculptFile = field(default_factory=SculptFile)
    parts: tuple[Part, ...] = ()
    display: Display = field(default_factory=Display)
    light: Rig = field(default_factory=Rig)
    tints: Tints = field(default_factory=Tints)
    exposure: Exposure = field(default_factory=Exposure)
    greys: Greys = field(default_factory=Greys)
    dusk: float = number(
        1.0, 0, 1, "the share of the lamp that is left", step=0.05, form="Lamp's light kept", slide=1
    )
    small_forms: float = number(
        0.0, 0, 1, "how much sooner small forms go bright", step=0.05, form="Small forms brighter"
    )
    tools: Tools = field(default_factory=Tools)
    rack: tuple[Paint, ...] = ()
    regions: tuple[Region, ...] = ()
    marking: dict[str, Any] = field(default_factory=dict)
    wishes: dict[str, Any] = field(default_factory=dict)
    coats: tuple[Coat, ...] = ()
    settled: tuple[str, ...] = ()
    models: int = number(1, 1, MOST_MODELS, "the number of models", step=1)
    last_id: int = number(0, 0, 2**31 - 1, "the highest id")

    def __post_init__(self) -> None:
        checked(self)
        strange = [r.way for r in self.regions if r.way and r.way not in ways()]
        if strange:
            raise SettingError(f"a way is one of {', '.join(ways())}, not '{strange[0][:40]}'")
        for name in (*self.wishes, *self.settled, *(c.stage for c in self.coats)):
            if name not in kinds_of_wishes():
                raise SettingError(f"a stage is one of {', '.join(kinds_of_wishes())}, not '{str(name)[:40]}'")
        given = (i for wishes in self.wishes.values() for i in wishes.ids)
        highest = max([self.last_id, *(r.id for r in self.regions), *given])
        object.__setattr__(self, "last_id", highest)

    def wishes_of(self, feature: str) -> Any:
        """What is wished of a feature, as usual where nobody has set it."""
        return self.wishes.get(feature) or kinds_of_wishes()[feature]()

    def with_wishes(self, feature: str, wishes: Any) -> "Plan":
        """The plan with other wishes of a feature."""
        usual = wishes == kinds_of_wishes()[feature]()
        others = {k: v for k, v in self.wishes.items() if k != feature}
        return replace(self, wishes=others if usual else {**others, feature: wishes})

    @property
    def own_rack(self) -> Rack | None:
        """Its paints, None where it brings none."""
        return Rack(list(self.rack)) if self.rack else None

    @property
    def loose(self) -> frozenset[int]:
        """The numbers of the parts painted apart."""
        return frozenset([*(k for k, p in enumerate(self.parts) if p.apart), *self.sculpt.apart])

    @property
    def shadowless(self) -> list[tuple[int, tuple[int, ...]]]:
        """The parts painted apart on which some others do not cast, with the numbers of those."""
        return [(k, p.uncast) for k, p in enumerate(self.parts) if p.apart and p.uncast]

    def marked(self, marking: Marking) -> "Plan":
        """The plan for another marking. What was wished for a region that is gone goes with it; its coats stay on the
        spots they were on, which the caller has bound them to (see `bound_to_spots`)."""
        gone = {r.id for r in self.regions} - {r.id for r in marking.regions}
        out = replace(self, regions=marking.regions, last_id=max(self.last_id, marking.last_id))
        for id_ in sorted(gone):
            for name, wishes in out.wishes.items():
                out = out.with_wishes(name, wishes.without_region(id_))
        return out

    def bound_to_spots(self, marking: Marking, ids: Sequence[int]) -> "Plan":
        """The plan with coats that go on some regions bound to the spots those cover now, so that they stay when the
        regions go."""

        def bound(coat: Coat) -> Coat:
            if coat.where.kind != "region" or coat.where.number not in ids:
                return coat
            return replace(coat, where=Where.some(marking.labels == marking.number_of(coat.where.number)))

        return replace(self, coats=tuple(bound(c) for c in self.coats))

    def carried(self, nearest: Any) -> "Plan":
        """The plan for another laying-out of the same sculpt: every coat bound to spots goes on those whose nearest
        former sample it was on. nearest: (M,) number of the former sample nearest to each new one."""

        def moved(coat: Coat) -> Coat:
            if coat.where.kind != "mask":
                return coat
            was, share = coat.where.samples(coat.where.number), coat.where.shares(coat.where.number)
            return replace(
                coat, where=Where.some(np.asarray(was)[nearest], None if share is None else share[nearest])
            )

        return replace(self, coats=tuple(moved(c) for c in self.coats))


# --- reading and writing
PARTS_OF_FILE = ("marking", "rack", "tools")  # what a bench has by itself, and only a file brings along


def document_of(plan: Plan) -> dict[str, Any]:
    """A plan as plain values, as a file holds it."""
    return {**plain(plan), "coats": [plain(c) for c in plan.coats]}


def plan_from(given: Mapping[str, Any]) -> Plan:
    """A plan from plain values.

    Raises:
        SettingError: it is garbled, hostile, or of a newer version; it says what.
    """
    version = given.get("plan")
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise SettingError(f'this is no plan: it has no "plan": {VERSION}; see dusk-lamp schema')
    if version > VERSION:
        raise SettingError(
            f"this plan was made by a newer Dusk Lamp (version {version}, this one reads {VERSION}); update it first"
        )
    given = _from_first(given) if version == 1 else dict(given)
    for name, most, words in (
        ("coats", MOST_COATS, "coats"),
        ("rack", MOST_PAINTS, "paints"),
        ("regions", MOST_REGIONS, "regions"),
        ("parts", MOST_PARTS, "parts"),
    ):
        if isinstance(given.get(name), Sequence) and len(given[name]) > most:  # counted before any is made
            raise SettingError(f"a plan has at most {most:,} {words}; this one has {len(given[name]):,}")
    _all_known(Plan, given, "the plan")
    wishes, coats = given.pop("wishes", {}), given.pop("coats", [])
    if not isinstance(wishes, Mapping) or not isinstance(coats, list):
        raise SettingError(GARBLED)
    try:
        made = {}
        for name, wish in wishes.items():
            if name not in kinds_of_wishes():
                raise SettingError(f"a stage is one of {', '.join(kinds_of_wishes())}, not '{str(name)[:40]}'")
            _all_known(kinds_of_wishes()[name], wish, f"the wishes of {name}")
            made[name] = built(kinds_of_wishes()[name], wish, f"the wishes of {name}")
        plan = built(Plan, {**given, "plan": VERSION}, "the plan")
        return replace(plan, wishes=made, coats=tuple(coat_from(c) for c in coats))
    except SettingError as e:
        if "reload the page" in str(e):
            raise SettingError(GARBLED) from e
        raise


FIRST_FORM = {  # keys of version 1, and where they went
    "plan",
    "sculpt",
    "light",
    "tints",
    "exposure",
    "display",
    "tools",
    "rack",
    "regions",
    "marking",
    "undercoat",
    "every",
    "coats",
}
FIRST_UNDERCOAT = {"school", "primer", "through", "steps", "coats"}


def _from_first(given: Mapping[str, Any]) -> dict[str, Any]:
    """A plan of version 1 as one of this version."""
    _known(given, FIRST_FORM, "the plan")
    undercoat = given.get("undercoat") or {}
    if not isinstance(undercoat, Mapping):
        raise SettingError(GARBLED)
    _known(undercoat, FIRST_UNDERCOAT, "the plan, undercoat")
    out = {k: v for k, v in given.items() if k not in ("undercoat", "every", "coats")}
    under, coats = undercoat.get("coats") or [], given.get("coats") or []
    if not isinstance(under, list) or not isinstance(coats, list):
        raise SettingError(GARBLED)
    out["wishes"] = {"undercoat": {k: undercoat[k] for k in ("school", "primer", "through") if k in undercoat}}
    if given.get("every"):
        out["wishes"]["colour"] = {"every": given["every"]}
    if "steps" in undercoat:
        out["greys"] = {"steps": undercoat["steps"]}
    out["coats"] = [*under, *coats]
    out["settled"] = [
        *(["undercoat"] if under else []),
        *([n for n in kinds_of_wishes() if n != "undercoat"] if coats else []),
    ]
    return out


def read_plan(content: bytes) -> Plan:
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
    return plan_from(given)


def _known(given: Mapping[str, Any], names: Any, where: str) -> None:
    strange = next((k for k in given if k not in names), None)
    if strange is not None:
        raise SettingError(
            f"{where} has “{str(strange)[:40]}”, which is not known here; known are {', '.join(sorted(names))}"
        )


def _all_known(kind: Any, given: Any, where: str) -> None:
    """Refuse keys that nothing reads: a slip of the pen must not be passed over."""
    kind = _bare(kind)
    if get_origin(kind) in (list, tuple) and isinstance(given, list):
        for k, one in enumerate(given):
            _all_known(get_args(kind)[0], one, f"{where}, number {k + 1}")
    elif get_origin(kind) is dict and isinstance(given, Mapping):
        for key, one in given.items():
            _all_known(get_args(kind)[1], one, f"{where}, {str(key)[:40]}")
    elif is_dataclass(kind) and kind is not Coat and isinstance(given, Mapping):
        hints = get_type_hints(kind)
        _known(given, [f.name for f in fields(kind)], where)
        for key, value in given.items():
            _all_known(hints[key], value, f"{where}, {key}")


def _bare(kind: Any) -> Any:
    if get_origin(kind) in (Union, UnionType):
        return next(k for k in get_args(kind) if k is not NoneType)
    return kind


# --- the schema
def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a plan."""
    out = _schema_of(Plan)
    wishes = {name: _schema_of(kind) for name, kind in kinds_of_wishes().items()}
    out["properties"]["wishes"] = {"type": "object", "properties": wishes, "additionalProperties": False}
    out["properties"]["plan"] |= {"minimum": 1, "maximum": VERSION}
    out["properties"]["settled"]["items"] = {"enum": list(kinds_of_wishes())}
    out["required"] = ["plan"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Dusk Lamp plan", **out}


def _schema_of(kind: Any) -> dict[str, Any]:
    kind = _bare(kind)
    origin, kinds = get_origin(kind), get_args(kind)
    if kind is Coat or kind is Any:
        return {"type": "object"} if kind is Coat else {}
    if is_dataclass(kind):
        hints, properties, needed = get_type_hints(kind), {}, []
        for f in fields(kind):
            properties[f.name] = _field(f, hints[f.name])
            if f.default is MISSING and f.default_factory is MISSING:
                needed.append(f.name)
        return {"type": "object", "properties": properties, "required": needed, "additionalProperties": False}
    if origin in (list, tuple):
        return {"type": "array", "items": _schema_of(kinds[0]) if kinds else {}}
    if origin is dict:
        return {"type": "object", "additionalProperties": _schema_of(kinds[1])}
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
        return {"anyOf": [out, {"type": "null"}]}
    return out
