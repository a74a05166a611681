"""Makes the demo sculpts that ship: `python -m tools.sculpts.build [NAME ...]`. Needs scikit-image, a build-time
package."""

import lzma
import sys
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_lamp import demo
from dusk_lamp.core.sculpt.edges import compact
from dusk_lamp.core.sculpt.marking import Region
from dusk_lamp.core.sculpt.mend import holes_closed, mend, shells_of
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.view.formats import marked_ply

from . import kiln_keeper, reed_runner, sluice_knight, wick_warden
from .forms import mesh_of

HERE = Path(demo.__file__).parent
SCULPTS: dict[str, Any] = {  # name: what is sculpted, mm to a cell, triangles
    "wick-warden": (wick_warden, 0.11, 320_000),
    "sluice-knight": (sluice_knight, 0.11, 320_000),
    "kiln-keeper": (kiln_keeper, 0.16, 300_000),
    **{f"reed-runner-{k + 1}": (posed, 0.11, 130_000) for k, posed in enumerate(reed_runner.SQUAD)},
}


def build(name: str, cell: float | None = None, triangles: int | None = None) -> Mesh:
    """Mesh one demo sculpt, part by part; the same numbers give the same mesh."""
    import fast_simplification

    sculpt, usual_cell, usual_triangles = SCULPTS[name]
    cell, triangles = cell or usual_cell, triangles or usual_triangles
    # a part may ask for finer cells, and gets as many more triangles for its area
    fine = np.array([part[4] if len(part) > 4 else 1.0 for part in sculpt.PARTS])
    dense = [_whole(mesh_of(part[1], part[2], part[3], cell / f)) for part, f in zip(sculpt.PARTS, fine, strict=True)]
    areas = np.array([part.area() for part in dense]) * fine**2
    vertices, faces, before = [], [], 0
    for part, share in zip(dense, areas / areas.sum(), strict=True):
        points, corners = part.vertices, part.faces
        if len(corners) > share * triangles:
            points, corners = fast_simplification.simplify(points, corners, target_count=int(share * triangles))
        vertices.append(points)
        faces.append(corners + before)
        before += len(points)
    # a ten-thousandth of a millimetre is finer than any printer, and packs better than full floats
    rounded = (np.round(np.concatenate(vertices).astype(np.float64) * 8192) / 8192).astype(np.float32)
    return holes_closed(mend(Mesh(rounded, np.concatenate(faces).astype(np.int32)))).mesh


def regions_of(name: str, mesh: Mesh) -> tuple[NDArray[np.uint8], tuple[Region, ...]]:
    """The region of each vertex, 1 and up: the form whose surface it is, the one that reaches furthest out there."""
    sculpt = SCULPTS[name][0]
    best = np.full(len(mesh.vertices), np.inf, np.float32)
    labels = np.zeros(len(mesh.vertices), np.uint8)
    for number, (_, _, _, form) in enumerate(sculpt.REGIONS, 1):
        for start in range(0, len(labels), 4096):  # in blocks: a form far from all of a block is not worked out
            rows = slice(start, start + 4096)
            distance = form(mesh.vertices[rows])
            nearer = distance < best[rows]
            best[rows][nearer] = distance[nearer]
            labels[rows][nearer] = number
    return labels, tuple(Region(*facts) for *facts, _ in sculpt.REGIONS)


def _whole(mesh: Mesh) -> Mesh:
    """The mesh without the crumbs that cutting cloth leaves: every shell under half a percent of the surface."""
    shell = shells_of(mesh)
    area = np.bincount(shell, mesh.face_areas())
    return Mesh(*compact(mesh.vertices, mesh.faces[(area > 0.005 * area.sum())[shell]]))


def ship(name: str, mesh: Mesh) -> None:
    """Write a demo sculpt with its regions into the package of the demo world."""
    packed = lzma.compress(marked_ply(mesh, *regions_of(name, mesh)), preset=9)
    (HERE / f"{name}.ply.xz").write_bytes(packed)
    print(f"{name}: {len(mesh.faces):,} triangles, {len(packed) / 1e6:.1f} MB")


def main() -> None:
    """Build the named demo sculpts, or every one, into the package of the demo world."""
    for name in sys.argv[1:] or SCULPTS:
        ship(name, build(name))


if __name__ == "__main__":
    main()
