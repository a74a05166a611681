"""Reading a sculpt's file. Every file is hostile until it has been checked here."""

import io
import struct
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SculptFileError, SculptShapeError
from . import declared_size
from .declared_size import refuse_too_many
from .mesh import Mesh

FORMATS = ("stl", "obj", "ply", "glb", "3mf", "off")
MOST_UNPACKED_BYTES = 1_500_000_000  # a 3MF is a zip: what it may unpack to, however small it looks
STL_HEADER_BYTES, STL_TRIANGLE_BYTES = 84, 50

_STL_TRIANGLE = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def read_sculpt(path: str | Path, file_format: str | None = None) -> Mesh:
    """Read triangles from an STL (binary or ASCII), OBJ, PLY, GLB, 3MF or OFF file.

    Args:
        path: where the file lies.
        file_format: one of FORMATS; taken from the file's name where it is not given.
    Returns:
        the triangles in the file's own vertices, axes and units: nothing welded, nothing moved.
    Raises:
        SculptFileError: not one of the formats, empty, cut short, or garbled.
        SculptShapeError: read well, but without faces, with points that are not numbers, or far too large.
    """
    path = Path(path)
    file_format = (file_format or path.suffix.lstrip(".")).lower()
    if file_format not in FORMATS:
        raise SculptFileError(
            f"a file of the kind '{file_format or 'without an ending'}' is not a sculpt this bench can read; "
            f"bring {', '.join(f.upper() for f in FORMATS)}"
        )
    try:
        size = path.stat().st_size
    except OSError as e:
        raise SculptFileError(f"the file '{path.name}' cannot be opened: {e.strerror or e}") from e
    if size == 0:
        raise SculptFileError("the file is empty; export or download it again")
    mesh = _read_stl(path, size) if file_format == "stl" else _read_other(path, file_format)
    return _checked(mesh)


def bounds_of(path: Path, file_format: str) -> NDArray[np.float32]:
    """(2, 3) lowest and highest corner of a sculpt's file, in its own units; raises what read_sculpt raises."""
    return read_sculpt(path, file_format).bounds


def _read_stl(path: Path, size: int) -> Mesh:
    with path.open("rb") as f:
        head = f.read(STL_HEADER_BYTES)
    triangles = struct.unpack("<I", head[80:84])[0] if len(head) == STL_HEADER_BYTES else 0
    wanted = STL_HEADER_BYTES + triangles * STL_TRIANGLE_BYTES
    # a few stray bytes at the end are an exporter's habit; a whole triangle more is a lie
    if triangles and wanted <= size < wanted + STL_TRIANGLE_BYTES:
        return _stl_binary(path, triangles)
    if head.lstrip()[:5].lower() == b"solid":
        return _stl_ascii(path)
    if head.isascii() and b"\0" not in head:
        raise SculptFileError("this is text with the ending .stl, not a sculpt; choose the real file")
    if len(head) < STL_HEADER_BYTES:
        raise SculptFileError("this is not an STL file: it is shorter than an STL's heading; export it again")
    held = (size - STL_HEADER_BYTES) // STL_TRIANGLE_BYTES
    if triangles == 0 and held == 0:
        raise SculptShapeError("the file holds no triangles; export it again with the figure selected")
    raise SculptFileError(
        f"the file says it holds {triangles:,} triangles, but there is room for {held:,}: it was cut short or "
        "garbled; download or export it again"
    )


def _stl_binary(path: Path, count: int) -> Mesh:
    refuse_too_many(count)
    # a memory map: the normals and attribute bytes are never copied, so 50 MB of file cost 36 MB of memory
    triangles: NDArray[Any] = np.memmap(path, dtype=_STL_TRIANGLE, mode="r", offset=STL_HEADER_BYTES, shape=(count,))
    vertices = np.ascontiguousarray(triangles["corners"]).reshape(-1, 3).astype(np.float32, copy=False)
    return Mesh(vertices, np.arange(len(vertices), dtype=np.int32).reshape(-1, 3))


def _stl_ascii(path: Path) -> Mesh:
    with path.open("rb") as f:
        text = f.read()
    try:
        # every "vertex x y z" in the text, in order: whatever else the exporter wrote does not matter
        numbers = b" ".join(piece.split(b"\n", 1)[0] for piece in text.lower().split(b"vertex")[1:])
        values = np.array(numbers.split(), dtype=np.float32)
    except ValueError as e:
        raise SculptFileError("a corner in this text STL is not a number; export the file again") from e
    if not len(values):
        raise SculptShapeError("the file holds no triangles; export it again with the figure selected")
    if len(values) % 9 or not text.rstrip().lower().rsplit(b"\n", 1)[-1].strip().startswith(b"endsolid"):
        raise SculptFileError("the text STL breaks off in the middle of a triangle; download or export it again")
    vertices = values.reshape(-1, 3)
    refuse_too_many(len(vertices) // 3)
    return Mesh(vertices, np.arange(len(vertices), dtype=np.int32).reshape(-1, 3))


def _read_other(path: Path, file_format: str) -> Mesh:
    import trimesh

    content = path.read_bytes()
    # what a few bytes can blow up to is counted before anything is built
    if file_format == "3mf":
        _refuse_zip_bomb(path)
        declared_size.of_3mf(content)
    elif file_format == "glb":
        declared_size.of_glb(content)
    elif file_format == "obj":
        content = declared_size.plain_obj(content)
    # given as bytes without a resolver, so that no file can name another file on this machine
    data = io.BytesIO(content)
    options: dict[str, Any] = {"obj": {"maintain_order": True, "skip_materials": True}}.get(file_format, {})
    try:
        loaded = trimesh.load(data, file_type=file_format, process=False, **options)
        if isinstance(loaded, trimesh.Scene):
            loaded = loaded.to_mesh() if loaded.geometry else trimesh.Trimesh()
    except MemoryError as e:
        raise SculptShapeError("the file is too large for this machine's memory; decimate it first") from e
    except Exception as e:  # the readers below raise whatever the bytes make them trip over
        raise SculptFileError(
            f"the file cannot be read as {file_format.upper()}: it is cut short, garbled or something else; "
            "export it again, or bring it as STL"
        ) from e
    faces = getattr(loaded, "faces", None)
    vertices = getattr(loaded, "vertices", None)
    if vertices is None or not len(vertices):
        raise SculptShapeError("there is nothing in the file; export it again with the figure selected")
    if faces is None or not len(faces):
        raise SculptShapeError("the file holds only points, no faces; export the sculpt as a mesh of triangles")
    if np.shape(faces)[1:] != (3,) or np.shape(vertices)[1:] != (3,):
        raise SculptFileError(
            "a corner has not three numbers, or a face not three corners; export the sculpt again as triangles"
        )
    refuse_too_many(len(faces))
    with np.errstate(over="ignore", invalid="ignore"):  # a number too large for float32 is refused below
        return Mesh(np.asarray(vertices, dtype=np.float32), np.asarray(faces, dtype=np.int32))


def _refuse_zip_bomb(path: Path) -> None:
    try:
        with zipfile.ZipFile(path) as z:
            unpacked = sum(entry.file_size for entry in z.infolist())
    except (zipfile.BadZipFile, OSError) as e:
        raise SculptFileError("the 3MF file is cut short or garbled; export it again") from e
    if unpacked > MOST_UNPACKED_BYTES:
        raise SculptFileError(
            f"the 3MF file unpacks to {unpacked / 1e9:.1f} GB, which no sculpt needs; it was not opened"
        )


def _checked(mesh: Mesh) -> Mesh:
    if mesh.faces.min() < 0 or mesh.faces.max() >= len(mesh.vertices):
        raise SculptFileError("a face names a corner that is not in the file; export it again")
    if not np.isfinite(mesh.vertices).all():
        raise SculptShapeError("some corners are not numbers (NaN or infinite); export the file again")
    size = float(np.ptp(mesh.bounds, axis=0).max())
    if size == 0:
        raise SculptShapeError("all the triangles lie in one point: there is no surface to paint")
    # squares of lengths must stay inside float32, and points must differ
    if not 1e-12 < size < 1e12:
        raise SculptShapeError(f"the sculpt is {size:.3g} units large, which cannot be right; export it in mm")
    return mesh
