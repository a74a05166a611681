"""Files of every kind, and files that are not what they say."""

import io
import struct
import zipfile

import numpy as np
import pytest
import trimesh

from dusk_lamp.core.errors import SculptFileError, SculptShapeError
from dusk_lamp.core.sculpt import declared_size, read
from dusk_lamp.core.sculpt.read import FORMATS, read_sculpt

from ..shapes import ball


def _binary_stl(count=None, triangles=12, tail=b""):
    data = trimesh.creation.box().export(file_type="stl")
    body = data[84 : 84 + 50 * triangles]
    return data[:80] + struct.pack("<I", len(body) // 50 if count is None else count) + body + tail


@pytest.mark.parametrize("kind", FORMATS)
def test_every_promised_format_brings_the_same_shape(tmp_path, kind):
    shape = ball(fine=2)
    path = tmp_path / f"ball.{kind}"
    exported = shape.export(file_type=kind)
    path.write_bytes(exported if isinstance(exported, bytes) else exported.encode())
    mesh = read_sculpt(path)
    assert len(mesh.faces) == len(shape.faces)
    assert mesh.area() == pytest.approx(shape.area, rel=1e-4)


def test_ascii_stl_is_read(tmp_path):
    path = tmp_path / "ball.stl"
    path.write_text(trimesh.exchange.stl.export_stl_ascii(ball(fine=1)))
    assert len(read_sculpt(path).faces) == len(ball(fine=1).faces)


def test_a_binary_stl_that_begins_with_solid_is_still_binary(tmp_path):
    path = tmp_path / "trick.stl"
    path.write_bytes(b"solid by an exporter".ljust(80) + _binary_stl()[80:])
    assert len(read_sculpt(path).faces) == 12


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("empty.stl", b"", "empty"),
        ("letter.stl", b"Dear painter, here is my figure.\n" * 9, "text"),
        ("short.stl", b"hello", "text"),
        ("cut.stl", _binary_stl()[:-120], "cut short"),
        ("liar.stl", _binary_stl(count=4_000_000_000), "cut short"),
        ("modest.stl", _binary_stl(count=3), "cut short"),
        ("none.stl", b"\0" * 84, "no triangles"),
        ("broken.stl", b"solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0", "breaks off"),
        ("words.stl", b"solid x\nvertex a b c\nvertex 0 0 1\nvertex 0 1 1\nendsolid", "not a number"),
        ("points.ply", trimesh.PointCloud(np.eye(3)).export(file_type="ply"), "only points"),
        ("cut.ply", ball(fine=2).export(file_type="ply")[:-400], "cut short"),
        ("cut.glb", ball(fine=2).export(file_type="glb")[:500], "cut short"),
        ("flat.glb", ball(fine=1).export(file_type="glb").replace(b'"VEC3"', b'"VEC2"'), "three numbers"),
        ("not.3mf", b"PK\3\4 nothing", "garbled"),
        ("wild.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", ""),
        ("empty.obj", b"# nothing\n", ""),
        ("sketch.blend", b"x", "not a sculpt this bench can read"),
    ],
)
def test_bad_files_are_refused_with_a_reason(tmp_path, name, content, words):
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises((SculptFileError, SculptShapeError)) as refused:
        read_sculpt(path)
    assert words in str(refused.value)
    assert "Traceback" not in str(refused.value) and str(tmp_path) not in str(refused.value)


@pytest.mark.parametrize("wrong", [np.nan, np.inf, -np.inf])
def test_corners_that_are_not_numbers_are_refused(tmp_path, wrong):
    shape = ball(fine=1)
    data = bytearray(shape.export(file_type="stl"))
    data[96:100] = struct.pack("<f", wrong)
    path = tmp_path / "nan.stl"
    path.write_bytes(data)
    with pytest.raises(SculptShapeError, match="not numbers"):
        read_sculpt(path)


def test_a_3mf_that_unpacks_to_gigabytes_is_not_opened(tmp_path, monkeypatch):
    monkeypatch.setattr(read, "MOST_UNPACKED_BYTES", 1_000_000)  # the same rule on a bomb small enough for a test
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("3D/3dmodel.model", b" " * 5_000_000)
    path = tmp_path / "bomb.3mf"
    path.write_bytes(packed.getvalue())
    assert path.stat().st_size < 10_000
    with pytest.raises(SculptFileError, match="unpacks to"):
        read_sculpt(path)


def test_too_many_triangles_are_refused_before_they_are_read(tmp_path, monkeypatch):
    monkeypatch.setattr(declared_size, "MOST_TRIANGLES", 10)
    path = tmp_path / "many.stl"
    path.write_bytes(_binary_stl())
    with pytest.raises(SculptShapeError, match="decimate"):
        read_sculpt(path)
