"""Spraying: where the paint of an airbrush or a can lands, how thick, and how much of it misses.

What is sprayed leaves the nozzle as a cone whose density is a Gaussian of the angle; it thins with the square of the
distance, lands by the cosine, and only where the nozzle can be seen. A burst stands still; a stroke is carried evenly
over the whole outline of the model; a turn is a stroke while the model goes once round.
"""

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..directions import GOLDEN_TURN, direction_of
from ..errors import SettingError
from ..rays import THREADS, Caster, in_threads
from ..sculpt.surface import Surface

WAYS = ("burst", "stroke", "turn")
TOOLS = ("airbrush", "can")
# wet paint in ml a minute at 20 psi, and the cone's spread (one sigma, degrees), by needle in mm; from memory
FLOW_ML_MIN = {0.2: 0.8, 0.3: 1.8, 0.4: 3.0, 0.5: 4.5}
CONE_DEGREES = {0.2: 4.0, 0.3: 5.5, 0.4: 7.0, 0.5: 8.5}
CAN_FLOW_ML_MIN, CAN_CONE_DEGREES = 50.0, 11.0
USUAL_PSI, USUAL_WATER = 20.0, 1.0
STICKS = {"airbrush": 0.65, "can": 0.55}  # of what is aimed at a surface: the rest bounces off or dries in the air
NOZZLE_RAYS = 4  # directions a stroke's soft cone is looked along
BURST_RAYS = 4  # places on the nozzle that a burst is looked at from
NOZZLE_MM = 3.0  # how large the cloud is where it leaves
MISS_RAYS = 4096
TURN_STEPS = 24  # of a turn; each looks along one direction of the cone and every second one along one of the drift
USUAL_DRIFT = 0.04  # of what lands: carried round corners by the air
DRIFT_DEGREES, DRIFT_RAYS = 40.0, 3
RUNS_UM, SPECKLE_MM = 60.0, 220.0  # wetter than this in one pass runs; further than this an airbrush lands dry


@dataclass(frozen=True)
class Spray:
    """One pass.

    azimuth, elevation: where from, degrees as a lamp's. distance: mm from the nozzle to the middle of the model. seconds: of
    trigger. way: burst, stroke or turn (then the azimuth does not matter). tool, needle (mm), psi: what it comes out of.
    drift: share of what lands that goes a little round corners. aim: (3,) mm off the middle that a burst is pointed at.
    trigger: of an airbrush, how far it is drawn, as a share of its full flow. water: parts of thinner to one of paint.
    """

    azimuth: float = 0.0
    elevation: float = 60.0
    distance: float = 100.0
    seconds: float = 2.0
    way: str = "stroke"
    tool: str = "airbrush"
    needle: float = 0.3
    psi: float = USUAL_PSI
    drift: float = USUAL_DRIFT
    aim: tuple[float, float, float] = (0.0, 0.0, 0.0)
    trigger: float = 1.0
    water: float = USUAL_WATER

    def __post_init__(self) -> None:
        if self.way not in WAYS:
            raise SettingError(f"a pass is a {', a '.join(WAYS)}, not '{self.way}'")
        if self.tool not in TOOLS:
            raise SettingError(f"paint is sprayed by {' or '.join(TOOLS)}, not '{self.tool}'")
        for words, value, low, high in (
            ("the angle round the model", self.azimuth, -360, 360),
            ("the angle above level", self.elevation, -90, 90),
            ("the distance (mm)", self.distance, 5, 2000),
            ("the time on the trigger (s)", self.seconds, 0, 600),
            ("the needle (mm)", self.needle, 0.1, 1.2),
            ("the pressure (psi)", self.psi, 5, 60),
            ("the drift", self.drift, 0, 1),
            ("the trigger, as a share of its way,", self.trigger, 0.05, 1),
            ("the thinner (parts to one of paint)", self.water, 0, 10),
        ):
            if not (np.isfinite(value) and low <= value <= high):
                raise SettingError(f"{words} is between {low:g} and {high:g}, not {value:g}")

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return {**asdict(self), "aim": list(self.aim)}

    @property
    def wet_ml(self) -> float:
        """What leaves the nozzle, ml of thinned paint."""
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


@dataclass(frozen=True)
class Landed:
    """film: (N,) float32 µm of dry paint. sprayed, landed, waste: dry mm³: what left the nozzle, what stays on the model, and
    what was counted as missing or bouncing off."""

    film: NDArray[np.float32]
    sprayed: float
    landed: float
    waste: float


def spray(surface: Surface, pass_: Spray, solids: float = 0.2) -> Landed:
    """Where one pass lands.

    Args:
        surface: the samples, mm. solids: dry share by volume of the thinned paint.
    Raises:
        SettingError: the nozzle would be inside the model, or solids outside 0..1.
    """
    if not 0 < solids <= 1:
        raise SettingError(f"solids are a share between 0 and 1, not {solids:g}")
    dry = pass_.wet_ml * 1000 * solids
    body = surface.blockers or surface
    if pass_.way == "burst":
        per_mm3 = _burst(surface, pass_)
        hits = _share_that_hits(body, pass_)
    elif pass_.way == "stroke":
        per_mm3, hits = _stroke(surface, pass_, direction_of(pass_.azimuth, pass_.elevation))
    else:
        per_mm3, hits = _turn(surface, pass_)
    stays = STICKS[pass_.tool]
    film = (per_mm3 * np.float32(1000 * dry * stays)).astype(np.float32)  # mm to µm
    landed = float((film.astype(np.float64) * surface.areas).sum()) / 1000
    return Landed(film, dry, landed, dry * (1 - hits * stays))


def _middle(body: Surface) -> NDArray[np.float64]:
    return (body.points.min(axis=0).astype(float) + body.points.max(axis=0)) / 2


def _nozzle(body: Surface, pass_: Spray) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Where the nozzle is, what it is pointed at, and the unit vector from there to it."""
    toward = direction_of(pass_.azimuth, pass_.elevation).astype(float)
    aim = _middle(body) + np.asarray(pass_.aim, float)
    return aim + pass_.distance * toward, aim, toward


def _cone_norm(sigma: float) -> float:
    """The cone's density on its axis per steradian, so that it integrates to 1."""
    angle = np.linspace(0, min(np.pi, 8 * sigma), 4001)
    return float(1 / (2 * np.pi * np.trapezoid(np.exp(-(angle**2) / (2 * sigma**2)) * np.sin(angle), angle)))


def _burst(surface: Surface, pass_: Spray) -> NDArray[np.float32]:
    """(N,) mm of film for each mm³ sprayed that sticks."""
    body = surface.blockers or surface
    nozzle, _, axis = _nozzle(body, pass_)
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
    side = np.cross(axis, [0, 0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0, 0])
    side /= np.linalg.norm(side)
    over = np.cross(axis, side)
    places = [
        nozzle
        + NOZZLE_MM
        / 2
        * np.sqrt((k + 0.5) / BURST_RAYS)
        * (np.cos(k * GOLDEN_TURN) * side + np.sin(k * GOLDEN_TURN) * over)
        for k in range(BURST_RAYS)
    ]
    for place in places:
        free = ~body.caster.blocked_before(surface.origins[facing], place.astype(np.float32))
        seen[facing[free]] += np.float32(1 / BURST_RAYS)
    direct = density * np.maximum(cosine, 0)
    return _with_drift(surface, pass_, (direct * seen).astype(np.float32), direct.astype(np.float32), axis)


def _with_drift(
    surface: Surface, pass_: Spray, landed: NDArray[np.float32], unblocked: NDArray[np.float32], axis: NDArray
) -> NDArray[np.float32]:
    """A small share goes a little round corners: it comes from anywhere within a wide cone round the nozzle."""
    if not pass_.drift:
        return landed
    soft = np.zeros(len(surface), np.float32)
    ring = _round(axis, np.radians(DRIFT_DEGREES), DRIFT_RAYS)
    for toward in ring:
        soft += _received(surface, toward) / np.float32(len(ring))
    near = float(np.percentile(unblocked, 90)) if len(unblocked) else 0.0
    strength = np.maximum(unblocked, np.float32(0.3 * near))
    return np.float32(1 - pass_.drift) * landed + np.float32(pass_.drift) * strength * soft


def _received(surface: Surface, toward: NDArray[np.float32], split: bool = True) -> NDArray[np.float32]:
    """(N,) cosine to a direction where it is free, 0 elsewhere."""
    body = surface.blockers or surface
    cosine = surface.normals @ toward
    facing = np.flatnonzero(cosine > 0)
    free = facing[~body.caster.blocked(surface.origins[facing], toward, split=split)]
    out = np.zeros(len(surface), np.float32)
    out[free] = cosine[free]
    return out


def _round(axis: NDArray, angle: float, count: int, turn: float = 0.4) -> NDArray[np.float32]:
    """(count, 3) unit vectors at an angle round an axis."""
    axis = np.asarray(axis, float)
    side = np.cross(axis, [0, 0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0, 0])
    side /= np.linalg.norm(side)
    over = np.cross(axis, side)
    a = turn + np.arange(count) * 2 * np.pi / count
    out = np.cos(angle) * axis + np.sin(angle) * (np.cos(a)[:, None] * side + np.sin(a)[:, None] * over)
    return out.astype(np.float32)


def _stroke(surface: Surface, pass_: Spray, axis: NDArray) -> tuple[NDArray[np.float32], float]:
    """(N,) mm of film for each mm³ that sticks, from a nozzle carried evenly over the outline seen from it; and the share of
    what is sprayed that meets the model."""
    axis = np.asarray(axis, float)
    swept, outline = _swept(surface, pass_, axis)
    directions = np.vstack([axis[None].astype(np.float32), _round(axis, pass_.cone, NOZZLE_RAYS - 1)])
    share = _each(surface, directions).mean(axis=0)
    even = np.full(len(surface), 1 / swept, np.float32)
    return _with_drift(surface, pass_, share / np.float32(swept), even, axis), outline / swept


def _turn(surface: Surface, pass_: Spray) -> tuple[NDArray[np.float32], float]:
    """As _stroke, while the model goes once round: the directions of the cone are spread over the turn."""
    axes = [direction_of(a, pass_.elevation).astype(float) for a in np.arange(TURN_STEPS) * 360 / TURN_STEPS]
    swept, outline = np.transpose([_swept(surface, pass_, axis) for axis in axes])
    cones = [np.vstack([axis[None].astype(np.float32), _round(axis, pass_.cone, NOZZLE_RAYS - 1)]) for axis in axes]
    landed = _each(surface, np.stack([cone[k % NOZZLE_RAYS] for k, cone in enumerate(cones)]))
    per_mm3 = (landed / swept[:, None].astype(np.float32)).mean(axis=0)
    if pass_.drift:
        rings = [_round(axis, np.radians(DRIFT_DEGREES), DRIFT_RAYS)[k % DRIFT_RAYS] for k, axis in enumerate(axes)]
        soft = _each(surface, np.stack(rings[::2])).mean(axis=0) * np.float32((1 / swept).mean())
        per_mm3 = np.float32(1 - pass_.drift) * per_mm3 + np.float32(pass_.drift) * soft
    return per_mm3, float((outline / swept).mean())


def _each(surface: Surface, directions: NDArray[np.float32]) -> NDArray[np.float32]:
    """(D, N) what is received from each direction."""
    share = np.zeros((len(directions), len(surface)), np.float32)

    def one(k: int) -> None:
        share[k] = _received(surface, directions[k], split=False)

    in_threads(one, range(len(directions)))
    return share


def _swept(surface: Surface, pass_: Spray, axis: NDArray) -> tuple[float, float]:
    """mm²: what a nozzle is carried over to cover the outline seen along an axis, and the outline itself."""
    body = surface.blockers or surface
    right = np.cross([0, 0, 1.0] if abs(axis[2]) < 0.999 else [0, 1.0, 0], axis)
    right /= np.linalg.norm(right)
    up = np.cross(axis, right)
    x, y = body.points @ right, body.points @ up
    spread = pass_.cone * pass_.distance  # how far the cone reaches past the edge of where it is carried
    return float((np.ptp(x) + 2 * spread) * (np.ptp(y) + 2 * spread)), _outline(body.caster, body, axis, right, up)


def _outline(caster: Caster, body: Surface, axis: NDArray, right: NDArray, up: NDArray) -> float:
    """mm²: the area of the model's outline seen along an axis, by a grid of rays."""
    x, y = body.points @ right, body.points @ up
    n = 72
    gx = np.linspace(x.min(), x.max(), n)
    gy = np.linspace(y.min(), y.max(), n)
    px, py = np.meshgrid((gx[:-1] + gx[1:]) / 2, (gy[:-1] + gy[1:]) / 2)
    far = float((body.points @ axis).max()) + body.size
    origins = (px.ravel()[:, None] * right + py.ravel()[:, None] * up + far * axis).astype(np.float32)
    met = caster.blocked(origins, (-axis).astype(np.float32))
    return float(met.mean() * np.ptp(x) * np.ptp(y))


def _share_that_hits(body: Surface, pass_: Spray) -> float:
    """Share of a burst's paint that meets the model, counted by rays from the nozzle, spread as the cone is."""
    nozzle, _, axis = _nozzle(body, pass_)
    i = np.arange(MISS_RAYS)
    table = np.linspace(0, min(np.pi, 8 * pass_.cone), 4001)
    weight = np.exp(-(table**2) / (2 * pass_.cone**2)) * np.sin(table)
    inside = np.concatenate([[0], np.cumsum((weight[1:] + weight[:-1]) / 2)])
    angle = np.interp((i + 0.5) / MISS_RAYS * inside[-1], inside, table)
    side = np.cross(axis, [0, 0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0, 0])
    side /= np.linalg.norm(side)
    over = np.cross(axis, side)
    turn = i * GOLDEN_TURN
    out = -np.cos(angle)[:, None] * axis + np.sin(angle)[:, None] * (
        np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * over
    )
    pieces = np.array_split(out.astype(np.float32), THREADS)
    start = nozzle.astype(np.float32)
    met = [np.isfinite(body.caster.first_distance(np.broadcast_to(start, p.shape), p)) for p in pieces]
    return float(np.concatenate(met).mean())


def troubles(pass_: Spray, landed: Landed, solids: float) -> list[str]:
    """What a pass does that nobody wants: runs where it is too wet, speckle where it is too far."""
    said = []
    wet = float(np.percentile(landed.film, 99)) / solids if len(landed.film) else 0.0
    passes = TURN_STEPS if pass_.way == "turn" else 1
    if wet / passes > RUNS_UM:
        said.append(
            f"Up to {wet:.0f} µm wet at once: it runs. Shorter bursts, with a minute between them, or further away."
        )
    if pass_.tool == "airbrush" and pass_.distance > SPECKLE_MM:
        said.append("So far away the droplets dry on the way and land as speckle: come closer.")
    if pass_.tool == "can" and not 250 <= pass_.distance <= 450:
        said.append("A can wants 36–38 cm: closer it floods, further it lands as dust.")
    return said
