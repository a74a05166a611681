"""The plans of the demo sculpts: their light and view, and what is wished for them, by the names of their regions."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from importlib.resources import files
from typing import Any

from ..core.light.lamp import Lamp
from ..core.light.rig import Rig
from ..core.paint.rack import Rack, rack_from_csv
from ..core.plan.document import Plan, SculptFile
from ..core.plan.economy.budget import EVENING, GAME, Budget
from ..core.plan.features.colour.feature import ColourWishes
from ..core.plan.features.edges.feature import EdgeWishes
from ..core.plan.features.edges.wishes import RegionEdges
from ..core.plan.features.face.feature import FaceWishes
from ..core.plan.features.finish.feature import FinishWishes
from ..core.plan.features.glow.feature import GlowWish, GlowWishes
from ..core.plan.features.metal.feature import MetalWishes
from ..core.plan.features.metal.painted import usual_metal
from ..core.plan.features.metal.wishes import CUSTOMARY, Metal
from ..core.plan.features.prepare.feature import PrepareWishes
from ..core.plan.features.wear.feature import WearWishes
from ..core.sculpt.display import Display
from ..core.sculpt.marking import Marking, Region
from ..core.sculpt.parts import Part
from ..core.target.hue import usual_path


@cache
def _rack() -> Rack:
    return rack_from_csv((files("dusk_lamp.demo") / "rack.csv").read_bytes())


Ids = dict[str, int]  # of regions by their names
LONG = replace(Budget.usual(GAME), minutes=180.0)  # with glow, metal, wear and varnish over the colours


@dataclass(frozen=True)
class Demo:
    """One demo sculpt. file: its file's name without the ending. height: mm. colours: of regions by their names.
    finished: whether its plan ships worked out; painted: how many steps of it are done already. wishes: of stages,
    given the ids of regions."""

    name: str
    file: str
    height: float
    light: Rig
    display: Display
    parts: tuple[Part, ...] = ()
    colours: dict[str, str] = field(default_factory=dict)
    wishes: Callable[[Ids], dict[str, Any]] = lambda ids: {}
    finished: bool = True
    painted: int = 0

    def standing(self) -> Plan:
        """Its plan as it stands on a fresh shelf: light, view and parts, nothing wished yet."""
        sculpt_file = SculptFile(f"{self.file}.ply", (), "z", "-y", self.height)
        return Plan(sculpt=sculpt_file, light=self.light, display=self.display, parts=self.parts)

    def _coloured(self, region: Region) -> Region:
        """A region in its colour of the scheme, its shadows and lights with hues of their own (CP-36)."""
        name = self.colours.get(region.name)
        if name is None:
            return region
        path = usual_path(_rack().find(name).looks.hex)
        return replace(region, colour=name, dark=path.dark, bright=path.bright)

    def plan(self, marking: Marking) -> Plan:
        """Its whole plan, for the regions that its file carries."""
        regions = tuple(self._coloured(r) for r in marking.regions)
        return replace(self.standing(), regions=regions, wishes=self.wishes({r.name: r.id for r in regions}))


def _laddered() -> Metal:
    """Metal through the customary steel ladder."""
    return replace(usual_metal("metal"), mixes=CUSTOMARY)


def _warden(ids: Ids) -> dict[str, Any]:
    flame = GlowWish(101, "region", "Lantern", ids["Flame"], colour="#ffb347", strength=2.4)
    return {
        "prepare": PrepareWishes("paste and stones"),
        "colour": ColourWishes("", LONG),
        "face": FaceWishes(warm=(ids["Face"],)),
        "metal": MetalWishes({str(ids["Lantern"]): _laddered()}),
        "edges": EdgeWishes({str(ids["Straps and bags"]): RegionEdges(highlight=True, least=2.0)}),
        "glow": GlowWishes((flame,)),
        "wear": WearWishes({"scuffs": 0.2, "dust": 0.15}, (ids["Face"], ids["Flame"])),
        "finish": FinishWishes("Soot", "matt"),
    }


def _knight(ids: Ids) -> dict[str, Any]:
    shining = [ids[n] for n in ("Cuirass", "Helm", "Legs", "Arms", "Scale skirt")]
    edged = {str(i): RegionEdges(highlight=True, lining=True, least=1.5) for i in shining[:3]}
    return {
        "colour": ColourWishes("", LONG),
        "metal": MetalWishes(
            {
                **{str(i): usual_metal("metal") for i in shining},
                str(ids["Blade"]): replace(usual_metal("metal"), school="facet"),
                # upright and round, they would mirror nothing but the horizon
                str(ids["Legs"]): replace(usual_metal("metal"), school="layered"),
                str(ids["Chain"]): usual_metal("metal"),
            }
        ),
        "edges": EdgeWishes(edged),
        "wear": WearWishes({"chips": 0.25, "dust": 0.2}, (ids["Cape"],)),
        "finish": FinishWishes("Soot", "satin"),
    }


def _keeper(ids: Ids) -> dict[str, Any]:
    coals = GlowWish(101, "region", "Coals", ids["Coals and glass"], colour="#ff5a1f", strength=1.6)
    return {
        "colour": ColourWishes("glazes"),
        "face": FaceWishes(warm=(ids["Face and neck"],)),
        "glow": GlowWishes((coals,), (ids["Eyes"],)),
    }


def _runner(number: int, name: str, height: float, azimuth: float, face: tuple[float, float, float]) -> Demo:
    light = Rig(Lamp(40, 55, 14), 0.25, "overcast", 0.15)
    colours = {
        "Tunic": "Eel Green",
        "Cap": "Cockle Red",
        "Reed cape": "Reed",
        "Gear": "Saddle",
        "Marsh": "Mud Bank",
        "Reeds": "Duckweed",
    }
    return Demo(
        f"Reed-runner, {name}",
        f"reed-runner-{number}",
        height,
        light,
        Display(azimuth, 10, (face,)),
        (),
        colours,
        lambda ids: {"colour": ColourWishes("", Budget.usual(EVENING)), "face": FaceWishes(warm=(ids["Face"],))},
    )


# The first is the newest on the shelf, so it is brought last.
DEMO = (
    _runner(5, "bow", 33.4, -25, (0.6, -3.2, 28.6)),
    _runner(4, "lamp", 33.2, 15, (-0.6, -4.0, 28.0)),
    _runner(3, "horn", 34.3, -20, (0.0, -2.9, 29.3)),
    _runner(2, "knife", 31.0, -15, (0.2, -5.2, 26.0)),
    _runner(1, "pole", 35.1, 10, (0.3, -3.4, 28.6)),
    Demo(
        "Kiln-keeper",
        "kiln-keeper",
        51.7,
        Rig(Lamp(30, 25, 20), 0.12, "overcast", 0.15),
        Display(18, 6, ((1.0, -8.0, 38.5), (9.5, -11.0, 8.0))),
        (Part("Kiln and plinth", 0, 0, apart=True), Part("Bust", 0, 1, apart=True)),
        {
            "Head-wrap": "Tide Blue",
            "Shirt": "Sailcloth",
            "Coals and glass": "Ember",
            "Apron": "Saddle",
            "Kiln": ("Kiln Brick"),
        },
        _keeper,
        finished=False,
    ),
    Demo(
        "Sluice knight",
        "sluice-knight",
        37.6,
        Rig(Lamp(35, 60, 14), 0.2, "overcast", 0.15),
        Display(-15, 10, ((0.0, -4.0, 33.2), (-8.1, -6.6, 12.0))),
        (
            Part("Body", 0, 0),
            Part("Ground", 0, 1, apart=True),
            Part("Helm", 0, 2, apart=True),
            Part("Blade", 0, 3, apart=True),
        ),
        {"Cape": "Cockle Red", "Quay": "Rain Barrel"},
        _knight,
    ),
    Demo(
        "Wick-warden",
        "wick-warden",
        40.0,
        Rig(Lamp(40, 58, 16), 0.22, "overcast", 0.15),
        Display(15, 8, ((0.0, -3.0, 30.2), (10.7, -6.5, 31.5))),
        (),
        {
            "Cloak": "Tide Blue",
            "Hood": "Tide Blue",
            "Coat": "Cockle Red",
            "Arms": "Sailcloth",
            "Flame": "Marigold",
            "Straps and bags": "Saddle",
            "Crook": "Tan Bark",
            "Boots": "Mud Bank",
            "Cobbles": "Rain Barrel",
            "Mooring post": "Driftwood",
        },
        _warden,
        painted=10,
    ),
)
