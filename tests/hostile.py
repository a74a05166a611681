"""What nobody sends who means well: bodies, numbers and files, used by the tests and by `bin/attack`."""

import io
import json
import struct
import zipfile

NUMBERS = ["nan", "inf", "-inf", "1e308", "-1e308", "9" * 5000, "0x10", "", "½", "1;2"]
BODIES: list[tuple[str, bytes]] = [
    ("application/json", b""),
    ("application/json", b"null"),
    ("application/json", b"[]"),
    ("application/json", b"7"),
    ("application/json", b'"words"'),
    ("application/json", b"{}"),
    ("application/json", b"\xff\xfe{"),
    ("application/json", b"[" * 20_000),
    ("application/json", b'{"a":' * 5_000),
    ("application/json", (b'{"number": Infinity}')),
    ("application/json", b'{"number": NaN, "do": "mute"}'),
    ("application/json", b'{"number": 1' + b"0" * 400 + b"}"),
    ("application/json", b'{"do": ["mute"], "number": {"a": 1}, "rays": 5, "wells": "x", "rig": 3, "settings": 4}'),
    ("application/json", b'{"do": "brush", "rays": [[]], "radius": "x", "number": null, "stroke": 0}'),
    ("application/json", b'{"do": "pick", "origin": [1,2], "direction": "up", "stroke": 0}'),
    ("application/json", b'{"do": "set", "number": 1, "settings": {"film_um": [1], "seconds": {}}}'),
    ("application/json", b'{"do": "add", "technique": {"x": 1}, "paint": []}'),
    ("application/json", b'{"do": "look", "azimuth": 1e309, "elevation": -1e309}'),
    ("application/json", json.dumps({"do": "describe", "number": 1, "name": "x" * 100_000}).encode()),
    ("application/json", b'{"wells": [{"paint": "Soot", "parts": 99999999999999}], "colour": 5, "sketch": {"a": 1}}'),
    (
        "application/json",
        (b'{"rig": {"lamp": {"azimuth": "east"}}, "greys": [], "exposure": {"gain": true}, "revision": "x"}'),
    ),
    ("application/json", b'{"sculpts": ["x", {}], "swatch": [5], "grey": "here", "sculpt": -1, "most": 1e9}'),
    ("application/x-www-form-urlencoded", b""),
    ("application/x-www-form-urlencoded", b"name=%ff%fe&height=nan&up=q&front=&number=1e400&kind=x"),
    ("application/x-www-form-urlencoded", b"name=" + b"x" * 200_000),
    ("application/x-www-form-urlencoded", b"what=%00&stock_ml=inf&colour=%23zzzzzz&minutes=" + b"9" * 5000),
    (
        "multipart/form-data; boundary=b",
        (b'--b\r\nContent-Disposition: form-data; name="file"; filename="a.stl"\r\n\r\n'),
    ),
    (
        "multipart/form-data; boundary=b",
        (b'--b\r\nContent-Disposition: form-data; name="file"; filename="../../x\x00.json"\r\n\r\n{\r\n--b--\r\n'),
    ),
    ("multipart/form-data", b"no boundary"),
    ("text/plain", b"hello"),
    ("application/octet-stream", bytes(range(256)) * 40),
]


def regions_that_wrap() -> bytes:
    """Runs of labels whose lengths add up to the right number only because a sum of 64 bits wraps round."""
    most = 2**63 - 1
    return json.dumps({"regions": [], "places_um": [0, 0, 0], "runs": [[0, most], [0, most], [0, 3]]}).encode()


def three_mf(objects: str, items: str) -> bytes:
    """A 3MF of these resources and this build."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr(
            "[Content_Types].xml", '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'
        )
        z.writestr(
            "_rels/.rels",
            '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship '
            'Target="/3D/m.model" Id="r" '
            'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>',
        )
        z.writestr(
            "3D/m.model",
            '<model unit="millimeter" '
            f'xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">'
            f"<resources>{objects}</resources><build>{items}</build></model>",
        )
    return out.getvalue()


ONE = (
    '<object id="1" type="model"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex '
    'x="0" y="1" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object>'
)


def many_items(count: int = 20_000) -> bytes:
    """A kilobyte that puts one object on the plate twenty thousand times."""
    return three_mf(ONE, '<item objectid="1"/>' * count)


def doubling_components(deep: int = 40) -> bytes:
    """Each object holds the one before it twice."""
    more = "".join(
        f'<object id="{k}" type="model"><components><component objectid="{k - 1}"/><component '
        f'objectid="{k - 1}"/></components></object>'
        for k in range(2, deep + 2)
    )
    return three_mf(ONE + more, f'<item objectid="{deep + 1}"/>')


def glb(scene: dict, binary: bytes = b"") -> bytes:
    """A GLB of a scene's JSON."""
    text = json.dumps(scene).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text
    if binary:
        body += struct.pack("<I4s", len(binary), b"BIN\0") + binary
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def glb_chain(nodes: int = 5000) -> bytes:
    """A node under a node under a node."""
    chain = [{"children": [k + 1]} for k in range(nodes - 1)] + [{}]
    return glb({"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "scene": 0, "nodes": chain})


def glb_of_nothing(count: int = 30_000_000) -> bytes:
    """A kilobyte that promises thirty million matrices and has no buffer."""
    return glb(
        {
            "asset": {"version": "2.0"},
            "scenes": [{"nodes": [0]}],
            "scene": 0,
            "nodes": [{"mesh": 0}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
            "accessors": [
                {"componentType": 5126, "count": count, "type": "MAT4"},
                {"componentType": 5125, "count": count, "type": "SCALAR"},
            ],
        }
    )


def obj_of_objects(count: int = 30_000) -> bytes:
    """An object for each triangle."""
    return b"".join(b"o part%d\nv %d 0 0\nv %d 1 0\nv %d 0 1\nf -3 -2 -1\n" % (k, k, k, k) for k in range(count))


FILES = {
    "items.3mf": many_items,
    "components.3mf": doubling_components,
    "chain.glb": glb_chain,
    "nothing.glb": glb_of_nothing,
    "nodes.glb": lambda: glb_chain(200_000),
    "zeros.obj": lambda: b"v 0 0\nf 1 1 1\n",
    "nan.obj": lambda: (b"v nan 0 0\n") * 3 + b"f 1 2 3\n",
}
