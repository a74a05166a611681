"""Techniques: what each can say of itself, and the registry they are found in.

A technique is one file of this folder with a class below `Technique` and one of it as `TECHNIQUE`. Nothing else has
to be changed for it: forms, the command line, the words of a step, its cautions and its cost are read from here.
"""

from collections.abc import Mapping
from dataclasses import replace
from functools import cache
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from ..datasets import rows
from ..errors import SettingError
from ..paint.mix import Mix
from ..plain import Range, described, number
from ..registry import registered
from ..sculpt.site import Site
from ..units import film_ml

EFFICIENCY = {
    row["tool"]: float(row["efficiency"]) for row in rows("tools")
}  # share of the paint that ends on the model
SPOTTED = 0.4  # of the pace is left on scattered spots
THICKEST_UM = 5000.0  # thicker than any paste


def film_um(usual: float) -> Any:
    """The setting that every technique by hand has: µm of dry film where it lies thickest."""
    return number(usual, 0, THICKEST_UM, "a film", "µm", step=0.5, form="Film where it lies thickest, µm dry")


class Technique:
    """One way to put paint on. What a subclass does not say is that of a brush."""

    name: ClassVar[str]  # as it is kept
    order: ClassVar[int]  # among the others, as one works
    title: ClassVar[str]  # at the head of a step: “Spray”
    Settings: ClassVar[type]  # a frozen dataclass of described fields; see plain.number
    by_hand: ClassVar[bool] = True  # whether a painter may add it: not the primer, which comes with a school
    handling: ClassVar[float] = 1.0  # minutes to take a model up, look, and put it down; common practice, from memory
    pace: ClassVar[float] = 250.0  # mm² a minute; common practice, from memory
    drying_share: ClassVar[float] = 1.0  # of what the paint's kind needs: thin films dry sooner
    by_finish: ClassVar[bool] = (
        False  # whether its film depends on what it lies on: then it has a `film_on` of its own
    )
    from_afar: ClassVar[bool] = False  # whether what stands in the way stops it, and what misses lands beside it
    even: ClassVar[bool] = False  # whether its film is the same everywhere
    costly: ClassVar[bool] = False  # whether its film takes a good part of a second to find, and is kept for good
    floods: ClassVar[bool] = False  # whether it runs onto neighbours
    wiped: ClassVar[bool] = False  # whether most of it comes off again: a varnish belongs under it (CP-32)
    primes: ClassVar[bool] = False  # whether it is the ground of all others, in an amount nobody changes
    thinner: ClassVar[str] = "thinner"  # what its paint is thinned with
    fine: ClassVar[bool] = False  # whether it is lines, specks or haze: too narrow or too thin to compare a colour by
    drawn_out: ClassVar[bool] = False  # whether it is laid, and then pulled thinner toward its edge
    careful: ClassVar[bool] = False  # whether it takes longer where one looks: a brush does, a wash does not
    times: ClassVar[tuple[float, float]] = (0.5, 2.0)  # of its usual amount, between which it stays what it is
    when_to_stop: ClassVar[str] = ""
    mishap: ClassVar[tuple[str, str]] = ("", "")  # what usually goes wrong at this step, and the way out

    def film(self, site: Site, settings: Any, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) µm of dry paint at every sample, wherever the technique can lay it.

        solids: dry share by volume of what goes on, thinner and all.
        """
        raise NotImplementedError

    def film_on(
        self, site: Site, settings: Any, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) the same on a finish (N,), or on one that is not known."""
        return self.film(site, settings, solids)

    def spotwise(self, settings: Any) -> bool:
        """Whether its film at a spot is the same whatever other spots are asked for, and costs by the spot."""
        return False

    def film_roughly(
        self, site: Site, settings: Any, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) the same without a ray, to choose by."""
        return self.film_on(site, settings, solids, finish)

    def scaled(self, settings: Any, times: float) -> Any:
        """The settings with so many times the amount, in steps that a hand can keep: half µm."""
        return replace(settings, film_um=max(0.5, round(2 * settings.film_um * times) / 2))

    def aimed(self, settings: Any, azimuth: float, elevation: float) -> Any:
        """The settings of a pass that comes from a direction (degrees); the same where it comes from nowhere."""
        return settings

    def facts(self, settings: Any, site: Site) -> dict[str, Any]:
        """What else a step shows of it: names and plain values."""
        return {}

    def tool(self, settings: Any) -> str:
        """What it is done with: a row of datasets/tools.csv."""
        return "brush"

    def water(self, settings: Any) -> float:
        """Parts of thinner to one of paint."""
        return 0.0

    def bottle_ml(self, settings: Any, film: NDArray[np.float32], areas: NDArray[np.float32], solids: float) -> float:
        """ml out of the bottle for a film (N,) µm on areas (N,) mm²."""
        thinned = film_ml(float(film.astype(np.float64) @ areas)) / solids / EFFICIENCY[self.tool(settings)]
        return thinned / (1 + self.water(settings))

    def hand_minutes(self, settings: Any, mm2: float, spotted: bool) -> float:
        """At one model, for so many mm². spotted: on scattered spots, which the brush has to find."""
        return self.handling + mm2 / (self.pace * (SPOTTED if spotted else 1.0))

    def coats(self, settings: Any, mix: Mix) -> int:
        """How many thin coats its film is laid in, each dry before the next."""
        return 1

    def usual(self, mix: Mix) -> Any:
        """Its settings where nobody has set any, for a mix."""
        return self.Settings()

    def quantity(self, settings: Any) -> tuple[float, str]:
        """How much of it, and the unit that is counted in: seconds of a spray, µm of anything else."""
        return settings.film_um, "µm"

    def drying(self, settings: Any, mix: Mix) -> float:
        """The share of what the paint's kind needs, that it dries in."""
        return self.drying_share

    def warnings(self, settings: Any, film: NDArray[np.float32], mix: Mix) -> list[str]:
        """What it does with these settings that nobody wants, and the way out."""
        return []

    def on_finish(self, finish: float) -> str:
        """What is wrong with laying it on such a finish, and the way out; "" where nothing is."""
        return ""

    def cautions(self, settings: Any, mix: Mix) -> tuple[str, ...]:
        """Names of the sets in plan.cautions that apply."""
        return ()

    def how(self, settings: Any) -> str:
        """How it is done with these settings, as a step says it: whole sentences."""
        raise NotImplementedError

    def where_from(self, settings: Any) -> str:
        """Where it comes from, in a few words; "" where that does not matter."""
        return ""

    def described(self) -> dict[str, Range]:
        """Its settings with their ranges, units and words."""
        return described(self.Settings)


@cache
def techniques() -> Mapping[str, Technique]:
    """Every technique by its name, in working order: whatever file of this folder has one."""
    return registered(__name__.rpartition(".")[0], "TECHNIQUE")


def technique(name: str) -> Technique:
    """The technique of a name.

    Raises:
        SettingError: there is none.
    """
    try:
        return techniques()[name]
    except KeyError:
        raise SettingError(f"a technique is one of {', '.join(techniques())}, not '{name[:40]}'") from None
