"""A coat: one technique, one paint, how much; where its film goes, what it costs, what the model looks like after it."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import rgb, xyz
from ..paint.cost import EFFICIENCY
from ..paint.film import coats as films
from ..paint.mix import Mix, values_of
from ..sculpt.surface import Surface
from . import hand
from .spray import Spray, spray, troubles

TECHNIQUES = ("prime", "spray", "brush", "drybrush", "wash", "oil wipe", "sponge")
PRIMER_COATS = 3  # thin ones, CP-5
HANDLING_MINUTES = {"prime": 6, "spray": 1.5, "brush": 8, "drybrush": 5, "wash": 4, "oil wipe": 12, "sponge": 4}
USUAL_UM = {"wash": 2.5}  # of a coat by hand; anything else 8
RESIN = 0.35  # reflectance of a bare grey print


@dataclass(frozen=True)
class Coat:
    """One coat.

    technique: one of TECHNIQUES. mix: the paint. pass_: where a spray comes from. amount: µm of dry film where the technique lays
    most (a spray's amount is its seconds instead). settings: of the technique, by name. muted: left out when looking.
    label: in a few words what it is for.
    """

    technique: str
    mix: Mix
    pass_: Spray | None = None
    amount: float = 20.0
    settings: dict[str, Any] = field(default_factory=dict)
    muted: bool = False
    label: str = ""

    def __post_init__(self) -> None:
        if self.technique not in TECHNIQUES:
            raise SettingError(f"a technique is one of {', '.join(TECHNIQUES)}, not '{self.technique}'")
        if (self.technique == "spray") != (self.pass_ is not None):
            raise SettingError("a sprayed coat, and only that, says where it comes from")

    @property
    def solids(self) -> float:
        """Dry share by volume of what goes on, thinner and all."""
        own = float(np.average([p.of("solids") for p in self.mix.paints], weights=self.mix.parts))
        return own / (1 + self.pass_.water) if self.pass_ is not None else own

    def film(self, surface: Surface, relief: hand.Relief | None) -> NDArray[np.float32]:
        """(N,) µm of dry paint.

        Raises:
            SettingError: the technique needs the relief and it is not known, or a setting is wrong.
        """
        if self.technique == "spray":
            assert self.pass_ is not None  # noqa: S101 - __post_init__ has seen to it
            return spray(surface, self.pass_, self.solids).film
        if self.technique in ("prime", "brush"):
            return hand.even(surface, self.amount)
        if relief is None:
            raise SettingError("what a brush feels of the surface is not worked out yet")
        laid = {"drybrush": hand.drybrush, "wash": hand.wash, "oil wipe": hand.oil_wipe, "sponge": hand.sponge}
        try:
            return laid[self.technique](surface, relief, self.amount, **self.settings)  # type: ignore[operator]
        except TypeError as e:
            raise SettingError(f"the settings of this {self.technique} are not its own") from e

    def cost(
        self, surface: Surface, film: NDArray[np.float32], paintable: NDArray[np.bool_], drops_per_ml: float
    ) -> dict[str, float]:
        """ml of paint from the bottle, drops, and minutes with drying."""
        if self.pass_ is not None:
            ml = self.pass_.wet_ml / (1 + self.pass_.water)
        else:
            dry = float((film.astype(np.float64) * np.where(paintable, surface.areas, 0)).sum()) / 1e6
            ml = dry / self.solids / EFFICIENCY["airbrush" if self.technique == "prime" else "brush"]
        drying = self.mix.minutes * (0.5 if self.technique == "spray" else 1)
        return {
            "ml": round(ml, 3),
            "drops": round(ml * drops_per_ml, 1),
            "minutes": round(HANDLING_MINUTES[self.technique] + drying, 1),
        }

    def warnings(self, surface: Surface, film: NDArray[np.float32]) -> list[str]:
        """What this coat does that nobody wants."""
        from ..paint.thin import Airbrush
        from ..paint.thin import warnings as of_airbrush
        from .spray import Landed

        if self.pass_ is None:
            return []
        said = troubles(self.pass_, Landed(film, 0, 0, 0), self.solids)
        if self.pass_.tool == "airbrush":
            brush = Airbrush(self.pass_.needle, self.pass_.psi, min(self.pass_.distance, 600), self.pass_.water)
            kind = self.mix.paints[int(np.argmax(self.mix.parts))].kind
            said += of_airbrush(brush, kind, self.mix.colour.value)
        return said

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON and for keeping."""
        return {
            "technique": self.technique,
            "paints": [p.as_dict() for p in self.mix.paints],
            "parts": list(self.mix.parts),
            "pass": self.pass_.as_dict() if self.pass_ else None,
            "amount": self.amount,
            "settings": self.settings,
            "muted": self.muted,
            "label": self.label,
        }

    @classmethod
    def from_dict(cls, given: dict[str, Any]) -> "Coat":
        """The coat from plain values.

        Raises:
            SettingError: something is missing or outside its range.
        """
        from ..paint.rack import Paint

        try:
            told = given["pass"]
            pass_ = Spray(**{**told, "aim": tuple(told["aim"])}) if told else None
            mix = Mix(tuple(Paint(**p) for p in given["paints"]), tuple(int(n) for n in given["parts"]))
            return cls(
                str(given["technique"]), mix, pass_, float(given["amount"]), dict(given["settings"]),
                bool(given["muted"]), str(given["label"])[:80],
            )  # fmt: skip
        except (KeyError, TypeError, ValueError) as e:
            raise e if isinstance(e, SettingError) else SettingError("this coat's settings are incomplete") from e


def by_hand(technique: str, mix: Mix, label: str = "") -> Coat:
    """A coat by hand in its usual amount and settings.

    Raises:
        SettingError: no such technique.
    """
    return Coat(
        technique,
        mix,
        amount=USUAL_UM.get(technique, 8.0),
        settings=dict(hand.SETTINGS.get(technique, {})),
        label=label,
    )


def with_settings(coat: Coat, given: dict[str, Any]) -> Coat:
    """The coat with other settings of its technique; numbers are taken as such, what is not its own is left out.

    Raises:
        SettingError: a technique that has none. ValueError: no number.
    """
    usual: dict[str, Any] = dict(hand.SETTINGS.get(coat.technique, {}))
    if coat.technique == "drybrush":  # strokes from a side, where they have one
        usual |= {"azimuth": 0.0, "elevation": 60.0}
    if not usual:
        raise SettingError(f"there is nothing to set of a coat that is a {coat.technique}")
    own = {k: str(given[k]) if isinstance(v, str) else float(given[k]) for k, v in usual.items() if k in given}
    return replace(coat, settings={**coat.settings, **own})


def with_amount(coat: Coat, amount: float) -> Coat:
    """The coat with another amount: seconds of a spray, µm of anything else."""
    if coat.pass_ is not None:
        return replace(coat, pass_=replace(coat.pass_, seconds=amount))
    return replace(coat, amount=amount)


def appearance(
    stack: Sequence[tuple[Coat, NDArray[np.float32]]], spots: int, under: NDArray | float = RESIN
) -> NDArray[np.float32]:
    """(N, 36) reflectance of the model under a stack of coats and their films (N,) µm; muted coats are left out."""
    ground: NDArray = np.asarray(under, np.float64)
    if ground.ndim < 2:
        ground = np.broadcast_to(ground, (36,))
    seen = [(c, f) for c, f in stack if not c.muted]
    if not seen:
        return np.broadcast_to(np.asarray(ground, np.float32), (spots, 36)).copy()
    K = np.stack([c.mix.pigment.K for c, _ in seen])
    S = np.stack([c.mix.pigment.S for c, _ in seen])
    return films(K, S, np.stack([f for _, f in seen]), ground)


def looks(reflectance: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """(N,) Munsell values and (N, 3) sRGB levels of reflectances (N, 36)."""
    XYZ = xyz(reflectance)
    return values_of(reflectance).astype(np.float32), np.round(rgb(XYZ) * 255).astype(np.uint8)
