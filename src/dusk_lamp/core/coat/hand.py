"""By hand: even coats, drybrush, wash, oil wash and wipe, sponge, varnish; each a film in µm from what the brush meets."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..directions import direction_of
from ..errors import SettingError
from ..sculpt.surface import Surface

FLAT_EXPOSED = 0.02  # exposedness of a flat spot, by the grain of the rays
CREST_EXPOSED = 0.22  # and of a crest a brush surely catches
POSES = {  # how a model is laid down while a wash dries: which way of it is up
    "standing": (0.0, 0.0, 1.0),
    "upside down": (0.0, 0.0, -1.0),
    "on its back": tuple(float(x) for x in direction_of(0, 0)),
    "on its face": tuple(float(x) for x in direction_of(180, 0)),
    "right side up": tuple(float(x) for x in direction_of(90, 0)),
    "left side up": tuple(float(x) for x in direction_of(-90, 0)),
}
SETTINGS: dict[str, dict[str, float | str]] = {  # what can be set of a technique, and what it is where nobody set it
    "drybrush": {"softness": 0.4},
    "wash": {"pooling": 4.0, "pose": "standing"},
    "oil wipe": {"pressure": 0.7},
    "sponge": {"cover": 0.2},
}
SPONGE_MM_SHARE = 0.5 / 32  # grain of a sponge over height


@dataclass(frozen=True)
class Relief:
    """What a brush feels of a surface: cavity and exposed (N,) 0..1, at the brush's scale; see sculpt.relief."""

    cavity: NDArray[np.float32]
    exposed: NDArray[np.float32]


def even(surface: Surface, film_um: float, mask: NDArray[np.bool_] | None = None) -> NDArray[np.float32]:
    """(N,) an even coat, on a region (N,) where one is given: a brushed base coat, a varnish.

    Raises:
        SettingError: the film is no thickness.
    """
    _checked(film_um)
    film = np.full(len(surface), film_um, np.float32)
    return film if mask is None else np.where(mask, film, np.float32(0))


def drybrush(
    surface: Surface,
    relief: Relief,
    film_um: float,
    softness: float = 0.4,
    azimuth: float | None = None,
    elevation: float = 60.0,
) -> NDArray[np.float32]:
    """(N,) an almost dry brush: it leaves paint on what stands out and skips what lies low.

    Args:
        film_um: on the most exposed crests, all strokes together. softness: 0 touches crests only, 1 nearly all but recesses.
        azimuth, elevation: strokes come from there, and what faces them takes more; None for all round.
    Raises:
        SettingError: a setting outside its range.
    Source: common practice, craft school C; CP-13 (small forms and thin edges catch more).
    """
    _checked(film_um)
    if not 0 <= softness <= 1:
        raise SettingError(f"a brush's softness is between 0 and 1, not {softness:g}")
    out = (relief.exposed - FLAT_EXPOSED) / (CREST_EXPOSED - FLAT_EXPOSED) - 1.2 * relief.cavity
    low = 0.35 - 0.85 * softness  # a soft brush gives way and touches flats too
    touch = np.clip((out - low) / (1 - low), 0, 1)
    touch = touch * np.clip(1 - relief.cavity / 0.35, 0, 1)
    if azimuth is not None:
        touch = touch * np.clip(0.15 + 0.85 * surface.normals @ direction_of(azimuth, elevation), 0, 1)
    return (np.float32(film_um) * touch).astype(np.float32)


def wash(
    surface: Surface, relief: Relief, film_um: float, pooling: float = 4.0, pose: str = "standing"
) -> NDArray[np.float32]:
    """(N,) a wash: thin everywhere, thicker in proportion to the cavity, most where a cavity faces up while it dries.

    Args:
        film_um: dry, on an open flat. pooling: how many times thicker it would be in a spot that is all cavity.
        pose: one of POSES, how it was laid down while it dried.
    Raises:
        SettingError: a setting outside its range.
    """
    _checked(film_um)
    if not 0 <= pooling <= 50:
        raise SettingError(f"pooling is between 0 and 50, not {pooling:g}")
    if pose not in POSES:
        raise SettingError(f"a model dries {', '.join(POSES)}, not '{pose}'")
    level = 0.75 + 0.25 * np.clip(
        surface.normals @ np.array(POSES[pose], np.float32), -1, 1
    )  # it leaves what hangs over
    return (np.float32(film_um) * (1 + np.float32(pooling) * relief.cavity * level)).astype(np.float32)


def oil_wipe(
    surface: Surface, relief: Relief, film_um: float, pressure: float = 0.7, pulled_down: bool = True
) -> NDArray[np.float32]:
    """(N,) an oil wash wiped off again: it stays in recesses and in the lee of a downward wipe.

    Args:
        film_um: before wiping. pressure: of the cloth, 0 (nothing comes off) to 1.
    Raises:
        SettingError: a setting outside its range.
    """
    _checked(film_um)
    if not 0 <= pressure <= 1:
        raise SettingError(f"the pressure of the cloth is between 0 and 1, not {pressure:g}")
    kept = np.clip(relief.cavity / 0.3, 0, 1)
    lee = np.clip(-surface.normals[:, 2], 0, 1) * 0.35 if pulled_down else 0
    left = 1 - pressure * (1 - np.clip(kept + lee, 0, 1))
    return (np.float32(film_um) * left).astype(np.float32)


def sponge(
    surface: Surface, relief: Relief, film_um: float, cover: float = 0.2, seed: int = 0
) -> NDArray[np.float32]:
    """(N,) dabs of a torn sponge on what stands out: broken spots, the same every time for one seed.

    Args:
        cover: share of exposed surface that is hit.
    Raises:
        SettingError: a setting outside its range.
    """
    _checked(film_um)
    if not 0 <= cover <= 1:
        raise SettingError(f"a sponge covers a share between 0 and 1, not {cover:g}")
    grain = SPONGE_MM_SHARE * (surface.height or surface.size)
    rng = np.random.default_rng(seed)
    noise = np.zeros(len(surface))
    for scale in (1.0, 2.3):
        waves = rng.normal(0, 1 / (grain * scale), (24, 3))
        noise += np.cos(surface.points @ waves.T + rng.uniform(0, 2 * np.pi, 24)).sum(axis=1)
    hit = noise >= np.quantile(noise, 1 - cover)
    open_ = np.clip(1 - relief.cavity / 0.3, 0, 1)
    return (np.float32(film_um) * hit * open_).astype(np.float32)


def _checked(film_um: float) -> None:
    if not (np.isfinite(film_um) and 0 <= film_um <= 5000):
        raise SettingError(f"a film is 0 to 5000 µm, not {film_um:g}")
