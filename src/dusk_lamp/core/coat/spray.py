"""Spraying: where the paint of an airbrush or a can lands, how thick, and how much of it misses.

What is sprayed leaves the nozzle as a cone whose density is a Gaussian of the angle; it thins with the square of the
distance, lands by the cosine, and only where the nozzle can be seen. A burst stands still; a stroke is carried evenly
over the whole outline of the model; a turn is a stroke while the model goes once round.

Strokes and turns look along whole directions. Where the visibility of the sculpt is known, most spots see all or none
of the directions round one, and only the others are looked at by rays; `roughly` asks no ray at all.
"""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..datasets import by, rows
from ..directions import (
    GOLDEN_TURN,
    cross_of,
    direction_of,
    frame_round,
    from_words,
    height_words,
    ring_round,
    tilted,
)
from ..errors import SettingError
from ..paint.mix import Mix
from ..paint.thin import Airbrush
from ..paint.thin import warnings as airbrush_warnings
from ..plain import checked, choice, number, plain
from ..rays import THREADS, Caster, in_threads
from ..sculpt.site import Site
from ..sculpt.surface import Surface
from ..sculpt.visibility import Visibility
from ..units import kpa, number_word, per_cent, psi_words
from .technique import Technique

WAYS = ("burst", "stroke", "turn")
TOOLS = ("airbrush", "can")
FLOW_ML_MIN = {float(row["needle_mm"]): float(row["flow_ml_min"]) for row in rows("needles")}
CONE_DEGREES = {float(row["needle_mm"]): float(row["cone_degrees"]) for row in rows("needles")}
CAN_FLOW_ML_MIN, CAN_CONE_DEGREES = (float(by("tools", "tool")["can"][k]) for k in ("flow_ml_min", "cone_degrees"))
STICKS = {tool: float(by("tools", "tool")[tool]["sticks"]) for tool in TOOLS}
USUAL_PSI, USUAL_WATER = 20.0, 1.0
NOZZLE_RAYS = 4  # directions a stroke's soft cone is looked along
BURST_RAYS = 4  # places on the nozzle that a burst is looked at from
NOZZLE_MM = 3.0  # how large the cloud is where it leaves
MISS_RAYS = 4096
TURN_STEPS = 24  # of a turn; each looks along one direction of the cone and every second one along one of the drift
USUAL_DRIFT = 0.04  # of what lands: carried round corners by the air
DRIFT_DEGREES, DRIFT_RAYS = 40.0, 3
RUNS_UM, SPECKLE_MM = 60.0, 220.0  # wetter than this in one pass runs; further than this an airbrush lands dry
CAN_MM = (250.0, 450.0)  # between them a can works, CP-4
NEIGHBOURS = 5  # known directions round one that is asked for; they lie about 13 degrees apart
SURE = 3  # so many of them a spot must face before they speak for the one between
NEIGHBOUR_DEGREES = 8.0  # how their say falls off with the angle, where no ray is asked (one sigma)
TRIGGERS = (1.0, 0.5, 0.25, 0.1)  # full, half, a quarter, a touch
SHORTEST_S = 3.0  # a half second more or less then matters little
TRIGGER_WORDS = {1.0: "full", 0.5: "half", 0.25: "a quarter", 0.1: "a touch"}


@dataclass(frozen=True)
class Spray:
    """One pass.

    azimuth, elevation: where from, degrees as a lamp's. distance: mm from the nozzle to the middle of the model.
    seconds: of trigger. way: burst, stroke or turn (then the azimuth does not matter). tool, needle (mm), psi: what
    it comes out of. drift: share of what lands that goes a little round corners. aim: (3,) mm off the middle that a
    burst is pointed at. trigger: of an airbrush, how far it is drawn, as a share of its full flow. water: parts of
    thinner to one of paint.
    """

    azimuth: float = number(0.0, -360, 360, "the direction round the model", "degrees", step=15, form="Direction, °")
    elevation: float = number(60.0, -90, 90, "the height of the nozzle", "degrees", step=15, form="Height, °")
    distance: float = number(100.0, 5, 2000, "the distance", "mm", step=5, form="Distance, mm")
    seconds: float = number(2.0, 0, 600, "the time on the trigger", "s", step=0.5, form="Seconds")
    way: str = choice("stroke", WAYS, "the way of a pass", form="Moved as a")
    tool: str = choice(
        "airbrush", TOOLS, "what paint is sprayed with", {"airbrush": "an airbrush", "can": "a can"}, "Sprayed with"
    )
    needle: float = number(
        0.3, 0.1, 1.2, "the needle", "mm", usual={n: f"{n:g}" for n in FLOW_ML_MIN}, form="Needle, mm"
    )
    psi: float = number(USUAL_PSI, 5, 60, "the pressure", "psi", step=1, form="Pressure, psi")
    drift: float = number(USUAL_DRIFT, 0, 1, "the drift")
    aim: tuple[float, float, float] = (0.0, 0.0, 0.0)
    trigger: float = number(1.0, 0.05, 1, "the trigger, as a share of its way,", usual=TRIGGER_WORDS, form="Trigger")
    water: float = number(USUAL_WATER, 0, 10, "thinner to one of paint", "parts", step=0.5, form="Thinner to 1 paint")

    def __post_init__(self) -> None:
        checked(self)

    @property
    def wet_ml(self) -> float:
        """What leaves the nozzle, ml of thinned paint. Flow goes with the root of the pressure (Bernoulli)."""
        if self.tool == "can":
            return CAN_FLOW_ML_MIN * self.seconds / 60
        flow = float(np.interp(self.needle, list(FLOW_ML_MIN), list(FLOW_ML_MIN.values())))
        return float(flow * np.sqrt(self.psi / USUAL_PSI) * self.trigger * self.seconds / 60)

    @property
    def cone(self) -> float:
        """Spread of the cone, radians (one sigma). More pressure spreads it a little."""
        if self.tool == "can":
            return float(np.radians(CAN_CONE_DEGREES))
        degrees = float(np.interp(self.needle, list(CONE_DEGREES), list(CONE_DEGREES.values())))
        return float(np.radians(degrees * (self.psi / USUAL_PSI) ** 0.15))

    @property
    def spread_mm(self) -> float:
        """Radius of the cone (one sigma) where it meets the middle of the model."""
        return float(np.tan(self.cone) * self.distance)


class Landed:
    """Where a pass landed.

    film: (N,) float32 µm of dry paint. sprayed, landed, waste: dry mm³: what left the nozzle, what stays on the
    model, and what was counted as missing or bouncing off (counted when first asked for).
    """

    def __init__(self, site: Site, pass_: Spray, film: NDArray[np.float32], sprayed: float) -> None:
        self.film, self.sprayed = film, sprayed
        self.landed = float(film.astype(np.float64) @ site.surface.areas) / 1000
        self._site, self._pass = site, pass_

    @cached_property
    def waste(self) -> float:
        """dry mm³ that miss or bounce off."""
        body = _body(self._site.surface)
        return self.sprayed * (1 - _share_that_hits(body, self._pass) * STICKS[self._pass.tool])


def spray(site: Site, pass_: Spray, solids: float = 0.2) -> Landed:
    """Where one pass lands.

    Args:
        site: the sculpt. solids: dry share by volume of the thinned paint.
    Raises:
        SettingError: the nozzle would be inside the model, or solids outside 0..1.
    """
    return _landed(site, pass_, solids, rays=True)


def roughly(site: Site, pass_: Spray, solids: float = 0.2) -> Landed:
    """The same from the visibility alone, without a ray: to choose by. Off from `spray` by about 8 % of the mean film
    (rms).

    Bursts stand too near for whole directions and are cast all the same, and so is everything where there is no
    visibility.
    """
    return _landed(site, pass_, solids, rays=False)


def _landed(site: Site, pass_: Spray, solids: float, rays: bool) -> Landed:
    if not 0 < solids <= 1:
        raise SettingError(f"solids are a share between 0 and 1, not {solids:g}")
    dry = pass_.wet_ml * 1000 * solids
    laid = {"burst": _burst, "stroke": _stroke, "turn": _turn}[pass_.way]
    per_mm3 = laid(site, pass_, rays)
    film = (per_mm3 * np.float32(1000 * dry * STICKS[pass_.tool])).astype(np.float32)  # mm to µm
    return Landed(site, pass_, film, dry)


def _body(surface: Surface) -> Surface:
    return surface.blockers or surface


def middle_of(surface: Surface) -> NDArray[np.float64]:
    """(3,) mm: the middle of a model's box, which passes are aimed at."""
    body = _body(surface)
    return (body.outermost.min(axis=0).astype(float) + body.outermost.max(axis=0)) / 2


def nozzle_of(surface: Surface, pass_: Spray) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Where the nozzle is, what it is pointed at (3,) mm, and the unit vector from there to it."""
    toward = direction_of(pass_.azimuth, pass_.elevation).astype(float)
    aim = middle_of(surface) + np.asarray(pass_.aim, float)
    return aim + pass_.distance * toward, aim, toward


def _cone_norm(sigma: float) -> float:
    """The cone's density on its axis per steradian, so that it integrates to 1."""
    angle = np.linspace(0, min(np.pi, 8 * sigma), 4001)
    return float(1 / (2 * np.pi * np.trapezoid(np.exp(-(angle**2) / (2 * sigma**2)) * np.sin(angle), angle)))


def _burst(site: Site, pass_: Spray, _rays: bool) -> NDArray[np.float32]:
    """(N,) mm of film for each mm³ sprayed that sticks."""
    surface, body = site.surface, _body(site.surface)
    nozzle, _, axis = nozzle_of(surface, pass_)
    if body.caster.crossings(nozzle.astype(np.float32), np.array([0.137, 0.261, 0.955], np.float32)) % 2:
        raise SettingError("the nozzle would be inside the model; move it further away")
    way = nozzle - surface.points
    far = np.linalg.norm(way, axis=1)
    way /= np.maximum(far, 1e-9)[:, None]
    angle = np.arccos(np.clip(way @ axis, -1, 1))
    cosine = np.einsum("ij,ij->i", way, surface.normals)
    density = _cone_norm(pass_.cone) * np.exp(-(angle**2) / (2 * pass_.cone**2)) / np.maximum(far, 1.0) ** 2
    facing = np.flatnonzero((cosine > 0) & (angle < 4 * pass_.cone))
    seen = np.zeros(len(surface), np.float32)
    side, over = frame_round(axis)
    for k in range(BURST_RAYS):
        turn, out = k * GOLDEN_TURN, NOZZLE_MM / 2 * np.sqrt((k + 0.5) / BURST_RAYS)
        place = nozzle + out * (np.cos(turn) * side + np.sin(turn) * over)
        free = ~body.caster.blocked_before(surface.origins[facing], place.astype(np.float32))
        seen[facing[free]] += np.float32(1 / BURST_RAYS)
    direct = density * np.maximum(cosine, 0)
    return _with_drift(site, pass_, (direct * seen).astype(np.float32), direct.astype(np.float32), axis)


def _with_drift(
    site: Site,
    pass_: Spray,
    landed: NDArray[np.float32],
    unblocked: NDArray[np.float32],
    axis: NDArray,
) -> NDArray[np.float32]:
    """A small share goes a little round corners: it comes from anywhere within a wide cone round the nozzle. So soft
    a thing needs no rays where there is an visibility."""
    if not pass_.drift:
        return landed
    soft = _each(site, ring_round(axis, np.radians(DRIFT_DEGREES), DRIFT_RAYS), rays=False).mean(axis=0)
    near = float(np.percentile(unblocked, 90)) if len(unblocked) else 0.0
    strength = np.maximum(unblocked, np.float32(0.3 * near))
    return np.float32(1 - pass_.drift) * landed + np.float32(pass_.drift) * strength * soft


def _stroke(site: Site, pass_: Spray, rays: bool) -> NDArray[np.float32]:
    """(N,) mm of film for each mm³ that sticks, from a nozzle carried evenly over the outline seen from it."""
    axis = direction_of(pass_.azimuth, pass_.elevation).astype(float)
    swept = _swept(_body(site.surface), pass_, axis)
    share = _each(site, _cone_of(axis, pass_), rays).mean(axis=0)
    even = np.full(len(site), 1 / swept, np.float32)
    return _with_drift(site, pass_, share / np.float32(swept), even, axis)


def _cone_of(axis: NDArray, pass_: Spray) -> NDArray[np.float32]:
    """(NOZZLE_RAYS, 3) directions that stand for a soft cone: its axis, and a ring at one sigma."""
    return np.vstack([axis[None].astype(np.float32), ring_round(axis, pass_.cone, NOZZLE_RAYS - 1)])


def _axes_of(pass_: Spray) -> list[NDArray[np.float64]]:
    """The axes of the steps of a turn, or the one axis of a stroke."""
    turned = np.arange(TURN_STEPS) * 360 / TURN_STEPS if pass_.way == "turn" else [pass_.azimuth]
    return [direction_of(a, pass_.elevation).astype(float) for a in turned]


def _turn(site: Site, pass_: Spray, rays: bool) -> NDArray[np.float32]:
    """As _stroke, while the model goes once round: the directions of the cone are spread over the turn."""
    axes = _axes_of(pass_)
    swept = np.array([_swept(_body(site.surface), pass_, axis) for axis in axes])
    along = np.stack([_cone_of(axis, pass_)[k % NOZZLE_RAYS] for k, axis in enumerate(axes)])
    landed = _each(site, along, rays)
    per_mm3 = (landed / swept[:, None].astype(np.float32)).mean(axis=0)
    if pass_.drift:
        angle = np.radians(DRIFT_DEGREES)
        rings = [ring_round(axis, angle, DRIFT_RAYS)[k % DRIFT_RAYS] for k, axis in enumerate(axes)]
        soft = _each(site, np.stack(rings[::2]), rays=False).mean(axis=0) * np.float32((1 / swept).mean())
        per_mm3 = np.float32(1 - pass_.drift) * per_mm3 + np.float32(pass_.drift) * soft
    return per_mm3


def _each(site: Site, directions: NDArray[np.float32], rays: bool) -> NDArray[np.float32]:
    """(D, N) what is received from each direction: its cosine where it is free, 0 elsewhere.

    rays: look closer where the visibility leaves a doubt; without, its say is taken as a share.
    """
    share = np.zeros((len(directions), len(site)), np.float32)

    def one(k: int) -> None:
        share[k] = _received(site, directions[k], rays)

    in_threads(one, range(len(directions)))
    return share


def _received(site: Site, toward: NDArray[np.float32], rays: bool) -> NDArray[np.float32]:
    surface, known = site.surface, site.visibility
    out = np.zeros(len(surface), np.float32)
    if known is None:
        doubtful = np.flatnonzero(surface.normals @ toward > 0)
    else:
        near, weight = _round(known, toward)
        doubt = np.zeros(len(surface), np.bool_)
        _from_known(surface.normals, known.bits, known.directions, near, weight, toward, out, doubt)
        for chosen, _ in site.apart:  # their visibility leaves out some neighbours, which stop paint all the same
            doubt[chosen] = surface.normals[chosen] @ toward > 0
        doubtful = np.flatnonzero(doubt)
        if not rays:
            return out
    caster = _body(surface).caster
    free = doubtful[~caster.boxed_blocked(caster.boxed(surface.origins.take(doubtful, axis=0)), toward)]
    out[doubtful] = 0
    out[free] = surface.normals.take(free, axis=0) @ toward
    return out


def _round(known: Visibility, toward: NDArray[np.float32]) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """The known directions nearest to one, and their weights by angle."""
    angle = np.arccos(np.clip(known.directions @ toward, -1, 1))
    near = np.argsort(angle, kind="stable")[:NEIGHBOURS]
    return near, np.exp(-((angle[near] / np.radians(NEIGHBOUR_DEGREES)) ** 2) / 2).astype(np.float32)


@numba.njit(cache=True, nogil=True, fastmath=True)
def _from_known(normals, bits, directions, near, weight, toward, out, doubt):
    """What is received from a direction by the known ones round it, and where they do not agree."""
    for i in range(len(normals)):
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        cosine = x * toward[0] + y * toward[1] + z * toward[2]
        if cosine <= 0:
            continue
        faced = 0
        seen = 0
        whole = np.float32(0)
        free = np.float32(0)
        for k in range(len(near)):
            j = near[k]
            if x * directions[j, 0] + y * directions[j, 1] + z * directions[j, 2] > 0:
                faced += 1
                whole += weight[k]
                if bits[i, j >> 3] >> (j & 7) & 1:
                    seen += 1
                    free += weight[k]
        if whole > 0:
            out[i] = cosine * free / whole
        doubt[i] = faced < SURE or 0 < seen < faced


def _swept(body: Surface, pass_: Spray, axis: NDArray) -> float:
    """mm²: what a nozzle is carried over to cover the outline seen along an axis."""
    right, up = _seen_along(axis)
    spread = pass_.cone * pass_.distance  # how far the cone reaches past the edge of where it is carried
    return float((np.ptp(body.outermost @ right) + 2 * spread) * (np.ptp(body.outermost @ up) + 2 * spread))


def laying_as(surface: Surface, pass_: Spray, other: Spray) -> Spray:
    """Another stroke or turn from the same side, with the seconds at full trigger in which it lays as much as one
    does."""

    def in_a_second(p: Spray) -> float:
        one = replace(p, seconds=1.0, trigger=1.0)
        swept = [_swept(_body(surface), one, axis) for axis in _axes_of(one)]
        return one.wet_ml * STICKS[one.tool] / float(np.mean(swept))

    full = pass_.seconds * pass_.trigger * in_a_second(pass_)
    return replace(other, seconds=full / in_a_second(other), trigger=1.0)


def _seen_along(axis: NDArray) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    right = cross_of([0, 0, 1.0] if abs(axis[2]) < 0.999 else [0, 1.0, 0], axis)
    right /= np.linalg.norm(right)
    return right.astype(np.float32), cross_of(axis, right).astype(np.float32)


def _outline(caster: Caster, body: Surface, axis: NDArray) -> float:
    """mm²: the area of the model's outline seen along an axis, by a grid of rays."""
    right, up = _seen_along(axis)
    x, y = body.outermost @ right, body.outermost @ up
    n = 72
    gx = np.linspace(x.min(), x.max(), n)
    gy = np.linspace(y.min(), y.max(), n)
    px, py = np.meshgrid((gx[:-1] + gx[1:]) / 2, (gy[:-1] + gy[1:]) / 2)
    far = float((body.outermost @ axis).max()) + body.size
    origins = (px.ravel()[:, None] * right + py.ravel()[:, None] * up + far * axis).astype(np.float32)
    met = caster.blocked(origins, (-axis).astype(np.float32))
    return float(met.mean() * np.ptp(x) * np.ptp(y))


def _share_that_hits(body: Surface, pass_: Spray) -> float:
    """Share of what is sprayed that meets the model: of a burst by rays from the nozzle, spread as the cone is; of a
    stroke or a turn, its outline over what the nozzle is carried over."""
    if pass_.way != "burst":
        shares = [_outline(body.caster, body, axis) / _swept(body, pass_, axis) for axis in _axes_of(pass_)]
        return float(np.mean(shares))
    nozzle, _, axis = nozzle_of(body, pass_)
    i = np.arange(MISS_RAYS)
    table = np.linspace(0, min(np.pi, 8 * pass_.cone), 4001)
    weight = np.exp(-(table**2) / (2 * pass_.cone**2)) * np.sin(table)
    inside = np.concatenate([[0], np.cumsum((weight[1:] + weight[:-1]) / 2)])
    angle = np.interp((i + 0.5) / MISS_RAYS * inside[-1], inside, table)
    pieces = np.array_split(tilted(-axis, angle, i * GOLDEN_TURN).astype(np.float32), THREADS)
    start = nozzle.astype(np.float32)
    met = [np.isfinite(body.caster.first_distance(np.broadcast_to(start, p.shape), p)) for p in pieces]
    return float(np.concatenate(met).mean())


def spray_troubles(pass_: Spray, film: NDArray[np.float32], solids: float) -> list[str]:
    """What a pass does that nobody wants: runs where it is too wet, speckle where it is too far. CP-4, CP-7."""
    said = []
    wet = float(np.percentile(film, 99)) / solids if len(film) else 0.0
    passes = TURN_STEPS if pass_.way == "turn" else 1
    if wet / passes > RUNS_UM:
        said.append(
            f"Up to {wet:.0f} µm wet at once: it runs. Shorter bursts, with a minute between them, or further away."
        )
    if pass_.tool == "airbrush" and pass_.distance > SPECKLE_MM:
        said.append("So far away the droplets dry on the way and land as speckle: come closer.")
    if pass_.tool == "can" and not CAN_MM[0] <= pass_.distance <= CAN_MM[1]:
        said.append("A can wants 36–38 cm: closer it floods, further it lands as dust.")
    return said


PASS_S = 1.3  # seconds of a pass across a model; common practice, CP-40; the number from memory


def in_half_seconds(pass_: Spray) -> Spray:
    """The same paint in whole half seconds, which a finger can count: of a short pass the trigger is drawn less
    far."""
    full = pass_.seconds * pass_.trigger
    trigger = trigger_for(full) if pass_.tool == "airbrush" else 1.0
    return replace(pass_, trigger=trigger, seconds=max(0.5, round(2 * full / trigger) / 2))


def trigger_for(seconds: float) -> float:
    """How far the trigger is drawn for what would take so many seconds at full flow: the furthest at which it takes
    long enough to be counted."""
    return next((t for t in TRIGGERS if seconds / t >= SHORTEST_S), TRIGGERS[-1])


class Spraying(Technique):
    """An airbrush or a can."""

    name, order, title = "spray", 10, "Spray"
    Settings = Spray
    handling = 1.2
    drying_share = 0.5
    from_afar = costly = True
    times = (0.2, 5.0)
    when_to_stop = "Stop when the amber parts have taken it; the rest stays as the picture shows."
    mishap = ("It lands as speckle or webs.", "Closer, or less thinner; flow improver against a dry tip.")

    def film(self, site: Site, settings: Spray, solids: float = 1.0) -> NDArray[np.float32]:
        """(N,) see spray."""
        return spray(site, settings, solids).film

    def film_roughly(
        self, site: Site, settings: Spray, solids: float, finish: NDArray[np.float32] | None
    ) -> NDArray[np.float32]:
        """(N,) see roughly."""
        return roughly(site, settings, solids).film

    def spotwise(self, settings: Spray) -> bool:
        """Strokes and turns are; what drifts of a burst goes by how thick it lies elsewhere."""
        return settings.way != "burst"

    def scaled(self, settings: Spray, times: float) -> Spray:
        """In half seconds."""
        return in_half_seconds(replace(settings, seconds=settings.seconds * times))

    def aimed(self, settings: Spray, azimuth: float, elevation: float) -> Spray:
        """A stroke from there."""
        return replace(settings, azimuth=azimuth, elevation=elevation, way="stroke")

    def facts(self, settings: Spray, site: Site) -> dict[str, Any]:
        """Needle, pressure and flow, and where the nozzle is on the model."""
        p = settings
        return {
            "way": p.way,
            "azimuth": p.azimuth,
            "elevation": p.elevation,
            "distance_mm": round(p.distance, 1),
            "trigger": p.trigger,
            "tool": p.tool,
            "needle": p.needle,
            "psi": round(p.psi, 1),
            "kpa": round(kpa(p.psi)),
            "flow": f"{p.wet_ml * 1000 / max(p.seconds, 1e-9):.0f} µl a second",
            "nozzle": plain(nozzle_of(site.surface, p)[0], 2),
            "spread": round(p.spread_mm, 2),
            "middle": plain(middle_of(site.surface), 3),
        }

    def tool(self, settings: Spray) -> str:
        """An airbrush or a can."""
        return settings.tool

    def water(self, settings: Spray) -> float:
        """As it was thinned; a can comes as it is."""
        return settings.water

    def bottle_ml(self, settings: Spray, film: NDArray, areas: NDArray, solids: float) -> float:
        """What leaves the nozzle, but for the thinner: most of it misses."""
        return settings.wet_ml / (1 + settings.water)

    def hand_minutes(self, settings: Spray, mm2: float, spotted: bool) -> float:
        """The trigger is drawn about half the time."""
        return self.handling + 2 * settings.seconds / 60

    def quantity(self, settings: Spray) -> tuple[float, str]:
        """Seconds on the trigger."""
        return settings.seconds, "s"

    def warnings(self, settings: Spray, film: NDArray[np.float32], mix: Mix) -> list[str]:
        """Runs, speckle, and what an airbrush set like this does."""
        said = spray_troubles(settings, film, mix.solids / (1 + settings.water))
        if settings.tool == "airbrush":
            airbrush = Airbrush(settings.needle, settings.psi, min(settings.distance, 600), settings.water)
            said += airbrush_warnings(airbrush, mix.kind, mix.colour.value)
        return said

    def cautions(self, settings: Spray, mix: Mix) -> tuple[str, ...]:
        """Those of the tool."""
        return (settings.tool,)

    def how(self, settings: Spray) -> str:
        """In a step's words."""
        moved = {
            "burst": "one burst, held still",
            "stroke": "strokes over the whole outline, beginning and ending past the model",
            "turn": "strokes while the model is turned once round",
        }[settings.way]
        passes = max(1, round(settings.seconds / PASS_S))
        light = (
            f"{'One light pass' if passes == 1 else f'{number_word(passes)} light passes'}, until it looks like "
            "the picture"
        )
        guide = f"as a guide {settings.seconds:g} s in all"
        if settings.tool == "can":
            return f"{light}: {settings.distance / 10:.0f} cm away, {moved}; {guide}."
        trigger = TRIGGER_WORDS.get(settings.trigger, per_cent(settings.trigger))
        drawn = (
            "full trigger"
            if settings.trigger == 1
            else f"{trigger} trigger"
            if settings.trigger == 0.5
            else f"{trigger} of the trigger"
        )
        return (
            f"{light}: {settings.needle:g} mm needle, {psi_words(settings.psi)}, {settings.distance:.0f} mm away, "
            f"{moved}; {guide}, at {drawn}."
        )

    def where_from(self, settings: Spray) -> str:
        """Where the nozzle is."""
        if settings.way == "turn":
            return f"all round, {height_words(settings.elevation)}"
        return from_words(settings.azimuth, settings.elevation)


TECHNIQUE = Spraying()
