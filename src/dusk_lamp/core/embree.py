"""Embree's own packets of sixteen rays, which its Python wrapper `embreex` does not hand on: rays that start side by
side and run the same way take a third of the time together. The wheel of `embreex` brings the library; this calls it.

Source of names and layouts: Embree 4, API reference (rtcNewScene, RTCRay16, RTCRayHit16).
"""

import ctypes
import os
import weakref
from functools import cache
from typing import Any, NamedTuple

import llvmlite.binding as llvm
import numba
import numpy as np
from embreex import rtcore_scene
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic
from numpy.typing import NDArray

WIDE = 16  # rays of a packet
ALIGNED = 64  # bytes that a packet begins at a multiple of
TRIANGLES, INDEX, VERTEX, UINT3, FLOAT3 = 0, 0, 1, 0x5003, 0x9003  # of the library's enumerations
COHERENT, ALL_FEATURES = 1 << 16, -1
ROBUST = 1 << 2
ORIGIN, NEAR, TOWARD, FAR, MASK = 0, 48, 64, 128, 144  # where in a packet, in numbers of four bytes, RTCRay16
U, V, FACE, PACKET = 240, 256, 272, 384  # RTCRayHit16, and room for its last fields

_library = ctypes.CDLL(rtcore_scene.__file__)  # with all that it was linked against
_pointer, _size = ctypes.c_void_p, ctypes.c_size_t
for _name, _result, _arguments in (
    ("rtcNewDevice", _pointer, [ctypes.c_char_p]),
    ("rtcNewScene", _pointer, [_pointer]),
    ("rtcSetSceneFlags", None, [_pointer, ctypes.c_int]),
    ("rtcNewGeometry", _pointer, [_pointer, ctypes.c_int]),
    (
        "rtcSetSharedGeometryBuffer",
        None,
        [_pointer, ctypes.c_int, ctypes.c_uint, ctypes.c_int, _pointer, _size, _size, _size],
    ),
    ("rtcCommitGeometry", None, [_pointer]),
    ("rtcAttachGeometry", ctypes.c_uint, [_pointer, _pointer]),
    ("rtcReleaseGeometry", None, [_pointer]),
    ("rtcCommitScene", None, [_pointer]),
    ("rtcReleaseScene", None, [_pointer]),
):
    _function = getattr(_library, _name)
    _function.restype, _function.argtypes = _result, _arguments
for _name in ("rtcOccluded16", "rtcIntersect16"):
    llvm.add_symbol(_name, ctypes.cast(getattr(_library, _name), _pointer).value)
_packet = types.void(*[types.voidptr] * 4)
_rtc_occluded = types.ExternalFunction("rtcOccluded16", _packet)
_rtc_intersect = types.ExternalFunction("rtcIntersect16", _packet)


@cache
def _device(_process: int) -> int:
    """The library, made ready once in each process: threads that a fork left behind would be waited for in vain."""
    return _library.rtcNewDevice(None)


class RayLook(NamedTuple):
    """free: (D, N) whether nothing lies along a direction from a place. place, direction, face: (H,) of the rays that
    go down and first meet a face that is wanted, direction by direction."""

    free: NDArray[np.bool_]
    place: NDArray[np.int32]
    direction: NDArray[np.int32]
    face: NDArray[np.int32]


class Scene:
    """Triangles that rays run into, from both sides. vertices: (V, 3) float32. faces: (F, 3) int32. robust: whether a
    ray along an edge of two faces is sure to meet one of them; without that they are a sixth quicker."""

    def __init__(self, vertices: NDArray[np.float32], faces: NDArray[np.int32], robust: bool = True) -> None:
        # the library reads a vertex as four numbers, so one more follows the last
        self._vertices = np.concatenate([vertices.ravel(), np.zeros(1, np.float32)]).astype(np.float32, copy=False)
        self._faces = np.ascontiguousarray(faces, dtype=np.uint32)
        device = _device(os.getpid())
        self._scene = _library.rtcNewScene(device)
        _library.rtcSetSceneFlags(self._scene, ROBUST if robust else 0)
        weakref.finalize(self, _library.rtcReleaseScene, self._scene)
        geometry = _library.rtcNewGeometry(device, TRIANGLES)
        for what, layout, numbers, count in (
            (VERTEX, FLOAT3, self._vertices, len(vertices)),
            (INDEX, UINT3, self._faces, len(faces)),
        ):
            _library.rtcSetSharedGeometryBuffer(geometry, what, 0, layout, numbers.ctypes.data, 0, 12, count)
        _library.rtcCommitGeometry(geometry)
        _library.rtcAttachGeometry(self._scene, geometry)
        _library.rtcReleaseGeometry(geometry)  # the scene holds it
        _library.rtcCommitScene(self._scene)

    def occluded(
        self, origins: NDArray[np.float32], toward: NDArray[np.float32], far: NDArray[np.float32] | None = None
    ) -> NDArray[np.bool_]:
        """(N,) whether rays from origins (N, 3) toward directions (N, 3), or one for all (1, 3), meet anything before
        far (N,) lengths of their direction, or at all."""
        out = np.empty(len(origins), np.bool_)
        starts, ways, reach = _rays(origins, toward, far)
        _occluded(self._scene, starts, ways, reach, out)
        return out

    def met(
        self, origins: NDArray[np.float32], toward: NDArray[np.float32], far: NDArray[np.float32] | None = None
    ) -> tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """The first face (N,) that each ray meets, −1 for none, how far (N,) along its direction, and the place
        within the face, barycentric u and v (N,). Arguments as in `occluded`."""
        face = np.empty(len(origins), np.int32)
        distance, u, v = (np.empty(len(origins), np.float32) for _ in range(3))
        starts, ways, reach = _rays(origins, toward, far)
        _met(self._scene, starts, ways, reach, face, distance, u, v)
        return face, distance, u, v

    def looked(
        self,
        origins: NDArray[np.float32],
        normals: NDArray[np.float32],
        directions: NDArray[np.float32],
        wanted: NDArray[np.bool_],
    ) -> RayLook:
        """What places (N, 3) with normals (N, 3) see along the directions (D, 3) that they face. wanted: (F,) bool,
        the faces of which it is said where they are met from above."""
        free = np.zeros((len(directions), len(origins)), np.bool_)
        return RayLook(free, *_looked(self._scene, origins, normals, directions, wanted, free))


def _rays(
    origins: NDArray[np.float32], toward: NDArray[np.float32], far: NDArray[np.float32] | None
) -> list[NDArray[np.float32]]:
    reach = np.full(1, np.inf, np.float32) if far is None else far
    return [np.ascontiguousarray(a, dtype=np.float32) for a in (origins, toward, reach)]


def _number_as_address(_typing, _number):
    return types.voidptr(types.uintp), lambda _c, builder, _s, a: builder.inttoptr(a[0], cgutils.voidptr_t)


_address: Any = intrinsic(_number_as_address)


@numba.njit(cache=True, nogil=True)
def _room():
    """A packet, sixteen flags of which rays count, and the arguments of a query, each where the library wants it."""
    numbers = np.zeros(PACKET + 3 * ALIGNED, np.float32)
    skip = (-numbers.ctypes.data) % ALIGNED // 4
    packet = numbers[skip : skip + PACKET]
    rest = numbers[skip + PACKET :].view(np.int32)
    packet[MASK : MASK + WIDE].view(np.int32)[:] = -1
    counts, query = rest[:WIDE], rest[WIDE : 2 * WIDE]
    return packet, counts, query


@numba.njit(cache=True, nogil=True)
def _filled(packet, counts, origins, toward, far, start):
    """Put the next sixteen rays into a packet; how many there were."""
    many = min(WIDE, len(origins) - start)
    for k in range(many):
        i = start + k
        _put(packet, k, origins, i, toward, i if len(toward) > 1 else 0, far[i if len(far) > 1 else 0])
    _count(counts, many)
    return many


@numba.njit(cache=True, nogil=True)
def _put(packet, k, origins, i, toward, j, far):
    """Put the ray from origin i toward direction j into place k of a packet."""
    for axis in range(3):
        packet[ORIGIN + axis * WIDE + k] = origins[i, axis]
        packet[TOWARD + axis * WIDE + k] = toward[j, axis]
    packet[NEAR + k] = 0.0
    packet[FAR + k] = far


@numba.njit(cache=True, nogil=True)
def _count(counts, many):
    """Say that the first so many rays of a packet count."""
    for k in range(WIDE):
        counts[k] = -1 if k < many else 0


@numba.njit(cache=True, nogil=True)
def _occluded(scene, origins, toward, far, out):
    packet, counts, query = _room()
    query[0] = COHERENT if len(toward) == 1 else 0
    query[1] = ALL_FEATURES
    for start in range(0, len(origins), WIDE):
        many = _filled(packet, counts, origins, toward, far, start)
        _rtc_occluded(
            _address(counts.ctypes.data), _address(scene), _address(packet.ctypes.data), _address(query.ctypes.data)
        )
        for k in range(many):
            out[start + k] = packet[FAR + k] < 0


@numba.njit(cache=True, nogil=True)
def _met(scene, origins, toward, far, face, distance, u, v):
    packet, counts, query = _room()
    query[0] = COHERENT if len(toward) == 1 else 0
    query[1] = ALL_FEATURES
    met = packet[FACE:].view(np.int32)  # numbers of faces, geometries, instances
    for start in range(0, len(origins), WIDE):
        many = _filled(packet, counts, origins, toward, far, start)
        met[:] = -1
        _rtc_intersect(
            _address(counts.ctypes.data), _address(scene), _address(packet.ctypes.data), _address(query.ctypes.data)
        )
        for k in range(many):
            face[start + k] = met[k]
            distance[start + k] = packet[FAR + k]
            u[start + k] = packet[U + k]
            v[start + k] = packet[V + k]


@numba.njit(cache=True, nogil=True)
def _faces(normals, i, directions, d):
    """Whether place i faces direction d."""
    x, y, z = normals[i, 0] * directions[d, 0], normals[i, 1] * directions[d, 1], normals[i, 2] * directions[d, 2]
    return x + y + z > 0


@numba.njit(cache=True, nogil=True)
def _looked(scene, origins, normals, directions, wanted, free):
    packet, counts, query = _room()
    query[0], query[1] = COHERENT, ALL_FEATURES
    met = packet[FACE:].view(np.int32)
    at = (
        _address(counts.ctypes.data),
        _address(scene),
        _address(packet.ctypes.data),
        _address(query.ctypes.data),
    )
    rows = np.empty(WIDE, np.int32)
    hits, found = np.empty((3, len(origins)), np.int32), 0
    for d in range(len(directions)):
        down, many = directions[d, 2] < 0, 0
        for i in range(len(origins)):
            if _faces(normals, i, directions, d):
                _put(packet, many, origins, i, directions, d, np.inf)
                rows[many] = i
                many += 1
            if many == 0 or (many < WIDE and i + 1 < len(origins)):
                continue
            _count(counts, many)
            if down:  # only what looks down can see the base
                met[:] = -1
                _rtc_intersect(*at)
            else:
                _rtc_occluded(*at)
            for k in range(many):
                if not down:
                    free[d, rows[k]] = packet[FAR + k] >= 0
                    continue
                free[d, rows[k]] = met[k] < 0
                if met[k] >= 0 and wanted[met[k]]:
                    if found == hits.shape[1]:
                        hits = np.concatenate((hits, np.empty_like(hits)), axis=1)
                    hits[0, found], hits[1, found], hits[2, found] = rows[k], d, met[k]
                    found += 1
            many = 0
    return hits[0, :found].copy(), hits[1, :found].copy(), hits[2, :found].copy()
