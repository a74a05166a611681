"""Results in open formats: PLY, GLB and PNG."""

import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..sculpt.marking import Region
from ..sculpt.mesh import Mesh
from ..sculpt.surface import Surface


def ply_bytes(
    vertices: NDArray[np.float32],
    faces: NDArray[np.int32],
    fields: Mapping[str, NDArray] | None = None,
    comments: Sequence[str] = (),
) -> bytes:
    """A binary little-endian PLY.

    fields: extra properties per vertex, (V,) arrays; uint8 becomes `uchar`, everything else `float`.
    comments: lines for the heading; what is not plain text in them is escaped.
    """
    columns: list[tuple[str, str, NDArray]] = [(axis, "<f4", vertices[:, k]) for k, axis in enumerate("xyz")]
    for name, field in (fields or {}).items():
        columns.append((name, "u1" if field.dtype == np.uint8 else "<f4", field))
    rows = np.empty(len(vertices), [(name, kind) for name, kind, _ in columns])
    for name, _, column in columns:
        rows[name] = column
    polygons = np.empty(len(faces), [("count", "u1"), ("index", "<i4", 3)])
    polygons["count"], polygons["index"] = 3, faces
    header = ["ply", "format binary_little_endian 1.0"]
    header += [f"comment {json.dumps(line)[1:-1]}" for line in comments]
    header += [f"element vertex {len(vertices)}"]
    header += [f"property {'uchar' if kind == 'u1' else 'float'} {name}" for name, kind, _ in columns]
    header += [f"element face {len(faces)}", "property list uchar int vertex_indices", "end_header", ""]
    return "\n".join(header).encode("ascii") + rows.tobytes() + polygons.tobytes()


def lit_ply(surface: Surface, fields: Mapping[str, Any], regions: Sequence[Region] = ()) -> bytes:
    """A PLY of the surface with its normals and the given fields on the vertices; the names of regions as
    comments."""
    normals = {f"n{axis}": surface.normals[:, k] for k, axis in enumerate("xyz")}
    return ply_bytes(surface.points, surface.faces, {**normals, **fields}, _region_lines(regions))


def marked_ply(mesh: Mesh, labels: NDArray[np.uint8], regions: Sequence[Region]) -> bytes:
    """A PLY of a mesh with the region of each vertex (V,), and what the regions are as comments."""
    return ply_bytes(mesh.vertices, mesh.faces, {"region": labels}, _region_lines(regions))


def _region_lines(regions: Sequence[Region]) -> list[str]:
    return [
        " | ".join(w for w in (f"region {k}", r.name, r.material, r.attention, r.colour) if w)
        for k, r in enumerate(regions, 1)
    ]


def lit_glb(surface: Surface, value: NDArray[np.float32], grey: NDArray[np.uint8]) -> bytes:
    """A GLB (y up, metres, as glTF wants it) with the greys as vertex colours and the value as `_VALUE`."""
    import trimesh
    from trimesh.exchange.gltf import export_glb

    upright = np.stack([surface.points[:, 0], surface.points[:, 2], -surface.points[:, 1]], axis=1) / 1000
    normals = np.stack([surface.normals[:, 0], surface.normals[:, 2], -surface.normals[:, 1]], axis=1)
    mesh = trimesh.Trimesh(
        upright,
        surface.faces,
        vertex_normals=normals,
        process=False,
        validate=False,
        vertex_colors=np.column_stack([grey, grey, grey, np.full(len(grey), 255, np.uint8)]),
    )
    mesh.vertex_attributes["_VALUE"] = value.astype(np.float32)
    return export_glb(trimesh.Scene(mesh))


def png_bytes(pixels: NDArray[np.uint8]) -> bytes:
    """A PNG of (H, W) grey, (H, W, 3) or (H, W, 4) colour pixels."""
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=4)
    return out.getvalue()
