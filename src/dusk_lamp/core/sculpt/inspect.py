"""What a file holds: size, parts, area, volume, and what was found and mended."""

from typing import Any

import numpy as np

from .mend import Mended


def inspected(mended: Mended) -> dict[str, Any]:
    """The facts of a mended sculpt as plain values, in the file's own units (taken as mm).

    `volume` is None where the surface is not closed. `parts` are the connected shells, largest first.
    """
    mesh, found = mended.mesh, mended.findings
    areas = mesh.face_areas()
    low, high = mesh.bounds
    parts = []
    for k in range(found.shells):
        corners = mesh.vertices[np.unique(mesh.faces[mended.shell == k])]
        parts.append(
            {
                "number": k + 1,
                "triangles": int((mended.shell == k).sum()),
                "area": round(float(areas[mended.shell == k].sum()), 4),
                "size": [round(float(s), 4) for s in np.ptp(corners, axis=0)],
            }
        )
    return {
        "triangles": found.triangles,
        "vertices": found.vertices,
        "parts": parts,
        "size": [round(float(s), 4) for s in high - low],
        "area": round(float(areas.sum()), 4),
        "volume": round(mesh.volume(), 4) if found.holes == 0 and found.nonmanifold_edges == 0 else None,
        "holes": found.holes,
        "open_edge_length": round(found.open_edge_length, 4),
        "mended": {
            "welded": found.welded,
            "degenerate_faces": found.degenerate_faces,
            "duplicate_faces": found.duplicate_faces,
            "specks": found.specks,
            "fins": found.fins,
            "turned_faces": found.turned_faces,
            "flipped_shells": found.flipped_shells,
        },
        "nonmanifold_edges": found.nonmanifold_edges,
        "said": found.sentences(),
    }
