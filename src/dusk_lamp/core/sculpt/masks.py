"""Markings as files: a PLY with a `region` property, or JSON; made elsewhere or on another bench."""

import io
import json
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SculptFileError, SettingError
from ..plain import built, plain
from .marking import ATTENTION, LONGEST_NAME, MATERIALS, MOST_REGIONS, Marking, Region, suggested_material
from .regions import labels_carried
from .stand import Placing
from .surface import Surface

MICRO = 1000  # places are written in whole micrometres
SAME_MM = 0.001  # places are rounded to that
FITS = 0.03  # a mask fits where its bounds differ by no more than this share of the size
REACH_SHARE = 0.03  # and where no spot is further from the mask than this


@dataclass(frozen=True)
class Mask:
    """Labels (M,) uint8 at places (M, 3), and the regions they name."""

    places: NDArray[np.float64]
    labels: NDArray[np.uint8]
    regions: tuple[Region, ...]

    @property
    def marking(self) -> Marking:
        """The same for its own places."""
        return Marking(self.labels, self.regions)

    def on(self, surface: Surface, placing: Placing) -> Marking:
        """The marking of a surface: each sample takes the label of the nearest place of the mask.

        The mask may be in mm on the bench or in the sculpt's own file axes; whichever fits is taken.

        Raises:
            SettingError: it fits neither way: it belongs to another sculpt.
        """
        if len(self.places) == len(surface) and np.abs(self.places - surface.points).max(initial=0) <= SAME_MM:
            return Marking(self.labels, self.regions)  # made on this very surface: two spots may share a place
        places = placing.to_file(surface.points)
        for points in (surface.points.astype(np.float64), places):
            low, high = points.min(axis=0), points.max(axis=0)
            size = float((high - low).max())
            off = np.abs(np.stack([self.places.min(axis=0) - low, self.places.max(axis=0) - high])).max()
            if off <= FITS * size:
                return Marking(labels_carried(self.labels, self.places, points, REACH_SHARE * size), self.regions)
        raise SettingError("these regions belong to another sculpt: they lie somewhere else, or it has another size")


def mask_json(surface: Surface, marking: Marking) -> bytes:
    """A marking as JSON: the regions, the places of the samples in µm, and runs of labels; see docs/formats.md."""
    micro = np.round(surface.points * MICRO).astype(np.int64)
    runs = [[int(label), len(list(run))] for label, run in groupby(marking.labels.tolist())]
    content = {"regions": plain(marking.regions), "places_um": micro.ravel().tolist(), "runs": runs}
    return json.dumps(content, ensure_ascii=False, separators=(",", ":")).encode()


def read_mask(path: str | Path, file_format: str) -> Mask | None:
    """The mask in a file; None for a PLY without a `region` property.

    Raises:
        SculptFileError: neither PLY nor JSON, or garbled.
    """
    try:
        if file_format == "json":
            return _from_json(json.loads(Path(path).read_bytes()))
        if file_format == "ply":
            return _from_ply(Path(path))
    except (SettingError, MemoryError):
        raise
    except Exception as e:  # whatever hostile bytes make the readers trip over
        raise SculptFileError("these regions cannot be read: the file is cut short, garbled or something else") from e
    raise SculptFileError("regions come as PLY (with a region property) or as JSON")


def mask_of(content: dict[str, Any], count: int | None = None) -> Mask:
    """The mask in what `mask_json` wrote, read already. count: of regions that are described elsewhere.

    Raises:
        SettingError: it is garbled: places, runs and regions do not fit each other.
    """
    try:
        if count is not None and not content.get("regions"):
            content = {**content, "regions": [{"name": f"Region {k + 1}"} for k in range(min(count, MOST_REGIONS))]}
        return _from_json(content)
    except SettingError:
        raise
    except (KeyError, TypeError, ValueError, OverflowError) as e:
        raise SettingError("this marking is garbled: its places, runs and regions do not fit each other") from e


def _from_json(content: dict[str, Any]) -> Mask:
    places = np.array(content["places_um"], np.float64).reshape(-1, 3) / MICRO
    runs = np.array(content["runs"], np.int64).reshape(-1, 2)
    # no run longer than all places, before they are added up: a sum that wraps round would pass for the right one
    if (runs < 0).any() or (runs[:, 1] > len(places)).any() or len(runs) > len(places):
        raise ValueError("a run longer than the sculpt")
    if int(runs[:, 1].sum()) != len(places):
        raise ValueError("runs do not add up")
    if len(content["regions"]) > MOST_REGIONS:
        raise SettingError(f"a plan has at most {MOST_REGIONS} regions; this one has {len(content['regions']):,}")
    regions = tuple(built(Region, r) for r in content["regions"])
    return _mask(places, np.repeat(runs[:, 0], runs[:, 1]), regions)


def _from_ply(path: Path) -> Mask | None:
    import trimesh

    data = path.read_bytes()
    mesh: Any = trimesh.load(io.BytesIO(data), file_type="ply", process=False)
    rows = mesh.metadata["_ply_raw"]["vertex"]["data"]
    if "region" not in (rows.dtype.names or ()):
        return None
    labels = np.asarray(rows["region"]).reshape(-1).astype(np.int64)
    regions = []
    for line in data[: data.index(b"end_header")].splitlines():
        if line.startswith(b"comment region "):
            words = json.loads(b'"' + line[len(b"comment region ") :].strip() + b'"').split(" | ", 1)[1]
            regions.append(_region(words.split(" | ")))
    for k in range(len(regions), min(int(labels.max(initial=0)), MOST_REGIONS)):  # made elsewhere, without names
        regions.append(Region(f"Region {k + 1}"))
    return _mask(np.asarray(mesh.vertices, np.float64), labels, tuple(regions))


def _region(words: list[str]) -> Region:
    """The region of a comment's words: name, material, attention and perhaps a colour; a name may hold the sign
    between."""
    coloured = len(words) > 3 and words[-3] in MATERIALS and words[-2] in ATTENTION
    colour = words.pop() if coloured else ""
    attention = words.pop() if words[-1] in ATTENTION else "important"
    material = words.pop() if words and words[-1] in MATERIALS else ""
    name = " | ".join(words).strip()[:LONGEST_NAME] or "Region"
    return Region(name, material or suggested_material(name), attention, colour[:LONGEST_NAME])


def _mask(places: NDArray[np.float64], labels: NDArray[np.int64], regions: tuple[Region, ...]) -> Mask:
    if not len(places) or not np.isfinite(places).all():
        raise ValueError("no places")
    if len(regions) > MOST_REGIONS:
        raise SettingError(f"{MOST_REGIONS} regions are as many as can be kept apart; this file has {len(regions)}")
    if labels.min() < 0 or labels.max() > len(regions):
        raise ValueError("a label without a region")
    return Mask(places, labels.astype(np.uint8), regions)
