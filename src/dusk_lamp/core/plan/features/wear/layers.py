"""Wear: what a model is weathered with, layer on layer, in the order of the craft (craft page, section 12; CP-32).

Grime goes on first, by oil wiped downward over a varnish it wipes clean off; a matt varnish locks it before the
chips; then chips, dark, lighter inside the large ones, rust in the middle of those; streaks straight down from them;
verdigris in the nooks of metal; dust from below last of all.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ....coat.coat import Coat, usual_coat
from ....coat.technique import technique
from ....datasets.materials import UNMARKED, material_called
from ....errors import SettingError
from ....paint.colour import delta_e
from ....paint.mix import Mix, nearest_mix, only
from ....paint.rack import Paint, Rack
from ....plain import built, plain
from ....sculpt.marking import Region
from ....sculpt.site import Site, Where
from ....workplace.tools import Tools
from ...brief import BRUSHED
from ..undercoat.pots import sealer

WEAR = "wear"
INSIDE, MIDDLE = 0.35, 0.65  # of a chip's radius that the lighter colour, and the rust, leave round them; from memory
WIPED = {"pressure": 0.95}


@dataclass(frozen=True)
class Layer:
    """One layer of wear. name: as it is kept. optional: what can be left out for time (craft page, section 13).
    colour: L*a*b* that is mixed for it. settings: of its technique, from an amount 0..1 and a pattern. What it lies
    on: see usual_share."""

    name: str
    title: str
    technique: str
    usual: float
    colour: tuple[float, float, float]
    settings: Callable[[float, int], dict[str, Any]]
    optional: bool = True


LAYERS = (
    Layer(
        "grime",
        "Grime, oil wiped downward",
        "oil wipe",
        0.25,
        (22, 5, 9),
        lambda a, _: {**WIPED, "film_um": round(8 * a, 1)},
    ),
    Layer(
        "chips", "Sponge chips, dark", "chips", 0.3, (17, 4, 4), lambda a, s: {"amount": a, "seed": s}, optional=False
    ),
    Layer(
        "inside",
        "Lighter inside the large chips",
        "chips",
        0.3,
        (58, 0, 2),
        lambda a, s: {"amount": a, "seed": s, "inner": INSIDE},
    ),
    Layer(
        "rust",
        "Rust in the middle of those",
        "chips",
        0.3,
        (38, 26, 32),
        lambda a, s: {"amount": a, "seed": s, "inner": MIDDLE},
    ),
    Layer(
        "scuffs",
        "Bare corners on leather and wood",
        "chips",
        0.2,
        (60, 7, 18),
        lambda a, s: {"amount": a, "seed": s + 1},
    ),
    Layer(
        "streaks", "Streaks down from the chips", "streaks", 0.3, (36, 20, 27), lambda a, s: {"amount": a, "seed": s}
    ),
    Layer(
        "verdigris",
        "Verdigris in nooks of metal",
        "verdigris",
        0.0,
        (66, -23, 4),
        lambda a, s: {"amount": a, "seed": s},
    ),
    Layer("dust", "Dust from below", "dust", 0.3, (62, 5, 17), lambda a, s: {"amount": a, "seed": s}),
)
FOLLOWS = {"inside": "chips", "rust": "chips"}  # whose amount counts: they lie inside it
PART_OF = {"seal": "grime", "lock": "grime"}  # varnishes that are there for a layer's sake, and count in its price
LAYERS_BY_NAME = {layer.name: layer for layer in LAYERS}
NO_SHARES: Mapping[str, Mapping[str, float]] = {}
CLOSES_UM = 10.0  # of a film that hides what is under it; from memory


Shares = Mapping[str, Mapping[str, float]]  # of a region by its id: of a layer by its name, 0..1


def usual_share(layer: str, region: Region | None) -> float:
    """How far a layer goes on a region, 0..1 of its amount, by what that is made of (CP-41); None: what nobody has
    marked beside marked regions."""
    return material_called(UNMARKED if region is None else region.material).wear[layer]


def share_of(layer: str, region: Region | None, shares: Shares) -> float:
    """The same, as the painter changed it."""
    changed = shares.get(str(region.id), {}) if region else {}
    return changed[layer] if layer in changed else usual_share(layer, region)


def _laid(
    site: Site, amounts: Mapping[str, float], spared: Sequence[int], shares: Shares
) -> Iterator[tuple[Layer, float, NDArray[np.bool_]]]:
    """The layers that are asked for, in order, each with its amount and (N,) where it goes, once for every amount;
    those that go nowhere are left out. Where no region is marked it is not known what is what, and all of them go
    everywhere."""
    regions = site.marking.regions
    for layer in LAYERS:
        amount = amounts.get(layer.name, 0.0)
        if not amount:
            continue
        each = [
            0.0 if r is not None and r.id in spared else share_of(layer.name, r, shares) for r in (None, *regions)
        ]
        share = np.round(np.array(each if regions else [1.0]), 2)
        for part in sorted(set(share[share > 0].tolist()), reverse=True):
            on = (share == part)[site.labels]
            if (on & site.paintable).any():
                yield layer, round(amount * part, 3), on


def film_by_material(site: Site, layer: str, amount: float, seed: int) -> NDArray[np.float32]:
    """(N,) µm of the film of one layer, as far as it goes on what each region is made of."""
    by, film = technique(LAYERS_BY_NAME[layer].technique), np.zeros(len(site), np.float32)
    for _, share, on in _laid(site, {layer: amount}, (), NO_SHARES):
        film = np.where(on, by.film(site, by.Settings(amount=share, seed=seed)), film)
    return film


def films_of_wear(
    site: Site, amounts: Mapping[str, float], spared: Sequence[int], seed: int, shares: Shares = NO_SHARES
) -> Iterator[tuple[Layer, NDArray[np.float32], float]]:
    """Each layer of wear with its film (N,) µm, and the µm at which that hides what is under it."""
    for layer, amount, on in _laid(site, amounts, spared, shares):
        by = technique(layer.technique)
        settings: Any = built(by.Settings, {**plain(by.Settings()), **layer.settings(amount, seed)}, "the wear")
        yield layer, np.where(on, by.film(site, settings), np.float32(0)), CLOSES_UM


def wear_coats(
    site: Site,
    amounts: Mapping[str, float],
    spared: Sequence[int],
    seed: int,
    rack: Rack,
    tools: Tools,
    shares: Shares = NO_SHARES,
) -> list[Coat]:
    """The coats of a model's wear, in order; each knows its layer as `way`.

    Args:
        amounts: 0..1 of each layer by its name. spared: ids of the regions that stay clean. seed: of the pattern.
        shares: of regions, as the painter changed them.
    Raises:
        SettingError: the rack has nothing to mix them from.
    """
    out: list[Coat] = []
    for layer, parts in groupby(_laid(site, amounts, spared, shares), key=lambda part: part[0]):
        each = [(amount, on) for _, amount, on in parts]
        whole = np.logical_or.reduce([on for _, on in each])
        oil = technique(layer.technique).wiped
        if oil:
            varnish = sealer(rack, tools.varnishes)
            out += _varnished(varnish, _where(whole), "varnish under the grime, so that it wipes clean", "seal")
        usual = usual_coat(layer.technique, _mix(layer, rack), layer.title, WEAR)
        for amount, on in each:
            coat = usual.with_settings(layer.settings(amount, seed))
            out.append(replace(coat, where=_where(on), way=layer.name))
        if oil:
            label = "matt varnish locks the grime before chips go on"
            out += _varnished(_matt(rack, tools), _where(whole), label, "lock")
    return out


def _where(on: NDArray[np.bool_]) -> Where:
    return Where() if on.all() else Where.some(on)


def _varnished(varnish: Paint | None, where: Where, label: str, way: str) -> list[Coat]:
    return [] if varnish is None else [replace(usual_coat("brush", only(varnish), label, WEAR), where=where, way=way)]


def _matt(rack: Rack, tools: Tools) -> Paint | None:
    pots = [
        p for p in rack if not p.of_kind.changes_colour and p.of("finish") == "matt" and "matt" in tools.varnishes
    ]
    return pots[0] if pots else None


def _mix(layer: Layer, rack: Rack) -> Mix:
    """The oil, or the mix, nearest to a layer's colour."""
    wanted: NDArray = np.array(layer.colour, float)
    if technique(layer.technique).wiped and (oils := [p for p in rack if p.kind == "oil"]):
        return only(min(oils, key=lambda p: float(delta_e(p.looks.lab, wanted))))
    paints = [p for p in rack if p.kind in BRUSHED]
    if not paints:
        raise SettingError("there is no base or layer paint on the rack to mix wear from")
    return nearest_mix(wanted, paints)
