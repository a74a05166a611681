"""Makes the demo sculpts that ship: `python -m dusk_lamp.demo.build`. Needs scikit-image, a build-time package."""

import lzma
from pathlib import Path

import numpy as np

from ..core.sculpt.edges import compact
from ..core.sculpt.mend import mend, shells_of
from ..core.sculpt.mesh import Mesh
from ..core.view.formats import ply_bytes
from . import wick_warden
from .forms import mesh_of

HERE = Path(__file__).parent
CELL_MM = 0.11
TRIANGLES = 320_000
SCULPTS = {"wick-warden": wick_warden}


def build(name: str, cell: float = CELL_MM, triangles: int = TRIANGLES) -> Mesh:
    """Mesh one demo sculpt; the same numbers give the same mesh."""
    import fast_simplification

    module = SCULPTS[name]
    dense = _whole(mesh_of(module.form, module.LOW, module.HIGH, cell))
    if len(dense.faces) <= triangles:
        return dense
    points, faces = fast_simplification.simplify(dense.vertices, dense.faces, target_count=triangles)
    # a ten-thousandth of a millimetre is finer than any printer, and packs better than full floats
    rounded = np.round(points.astype(np.float64) * 8192).astype(np.float32) / 8192
    return mend(Mesh(rounded, faces.astype(np.int32))).mesh


def _whole(mesh: Mesh) -> Mesh:
    """The mesh without the crumbs that cutting cloth leaves: every shell under half a percent of the surface."""
    shell = shells_of(mesh)
    area = np.bincount(shell, mesh.face_areas())
    return Mesh(*compact(mesh.vertices, mesh.faces[(area > 0.005 * area.sum())[shell]]))


def main() -> None:
    """Build every demo sculpt into this folder."""
    for name in SCULPTS:
        mesh = build(name)
        packed = lzma.compress(ply_bytes(mesh.vertices, mesh.faces), preset=9)
        (HERE / f"{name}.ply.xz").write_bytes(packed)
        print(f"{name}: {len(mesh.faces):,} triangles, {len(packed) / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
