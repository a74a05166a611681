"""Photos against plans: pose, light and paint, checked against cameras and renderers whose truth is known."""

import io
import json
from dataclasses import replace

import colour
import cv2
import mitsuba as mi
import numpy as np
import pytest
from PIL import Image

from dusk_lamp.core.check.align import aligned
from dusk_lamp.core.check.booth import Booth, Mistake, mistaken, photograph
from dusk_lamp.core.check.compare import compared
from dusk_lamp.core.check.lamp_photo import lamp_of
from dusk_lamp.core.check.merge import disagreements, merged
from dusk_lamp.core.check.outline import CORNERS, proposed_pose
from dusk_lamp.core.check.perspective import pixels_covered, seen_by
from dusk_lamp.core.check.photo import photo_troubles, read_photo
from dusk_lamp.core.check.pinhole import Pinhole
from dusk_lamp.core.check.pose import points_from, pose_of
from dusk_lamp.core.check.shine import shine_coats, shone
from dusk_lamp.core.check.verdict import faults_of, verdict_words
from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.directions import direction_of
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.paint.colour import XYZ_TO_RGB, cones, encoded, from_cones, lab, reflectance_from_hex, xyz
from dusk_lamp.core.paint.mix import only, values_of
from dusk_lamp.core.sculpt.decimate import thinned
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.sculpt.visibility import visibility_of

from ..shapes import RACK, ball, surface_of

COLOURS = {"Head": "#b98a62", "Back": "#3d5a80", "Chest": "#8a2f2a", "Feet": "#6b6a4a", "Ears": "#c9c4b4"}
SIZE = (640, 480)


@pytest.fixture(scope="module")
def scene(bunny):
    """An open scan in five regions, by where they lie, with a little shading painted on."""
    x, y, z = (bunny.points - bunny.points.min(axis=0)).T / np.ptp(bunny.points, axis=0)[:, None]
    label = np.select([z > 0.82, (x < 0.45) & (z > 0.5), z < 0.2, y < 0.45], [5, 1, 4, 3], 2).astype(np.uint8)
    regions = tuple(Region(name) for name in COLOURS)
    site = Site(bunny, visibility_of(bunny), marking=Marking(label, regions))
    own = np.stack([reflectance_from_hex("#777777"), *(reflectance_from_hex(c) for c in COLOURS.values())])
    shade = 0.75 + 0.25 * np.clip(bunny.normals[:, 2], -1, 1)
    return site, (own[label] * shade[:, None]).astype(np.float32)


def camera_at(site, azimuth=20.0, elevation=12.0, distance=150.0, lens=55.0, k1=0.0):
    points = site.surface.points
    middle = (points.max(axis=0) + points.min(axis=0)) / 2
    return Pinhole.looking_at(middle, azimuth, elevation, distance, lens, SIZE, k1)


def degrees_between(one, other):
    """Degrees from one lamp to another."""
    a, b = (direction_of(lamp.azimuth, lamp.elevation).astype(float) for lamp in (one, other))
    return np.degrees(np.arccos(np.clip(a @ b, -1, 1)))


def clicks(site, camera, count, rng, noise=1.5):
    """Places in sight, spread out, and the pixels that a hand would click."""
    shot = seen_by(site.surface, camera, 320, 240)
    spots = np.unique(shot.corners[shot.seen][:, 0])
    places = site.surface.points[rng.choice(spots, 300, replace=False)].astype(float)
    chosen = [0]
    while len(chosen) < count:
        chosen.append(int(np.argmax(np.linalg.norm(places[:, None] - places[chosen][None], axis=2).min(axis=1))))
    return camera.project(places[chosen])[0] + rng.normal(0, noise, (count, 2)), places[chosen]


# --- cameras
@pytest.mark.parametrize(("azimuth", "elevation", "ambient", "red"), [(16, 6, 0.8, 1.0), (-50, 25, 0.5, 1.3)])
def test_the_outline_alone_gives_the_pose(scene, azimuth, elevation, ambient, red):
    """Without a click: the direction within four degrees, the model within 2 % of its height of where it is, and half
    of that once the pictures are laid over each other."""
    site, seen = scene
    camera = camera_at(site, azimuth, elevation, 140, 60)
    content, _ = photograph(site, seen, camera, Booth(ambient=ambient, red=red, exposure=-0.3), azimuth % 7)
    photo = read_photo(content)
    first = proposed_pose(site, seen, photo, (0.0, 12.0))
    assert first.common > 0.9 and len(first.photo) == len(first.sculpt) >= 6
    places = site.surface.points[::200].astype(float)
    true = camera.project(places)[0]

    def off(own):
        return np.median(np.linalg.norm(own.sized(*SIZE).project(places)[0] - true, axis=1)) / np.ptp(true[:, 1])

    angle = np.degrees(np.arccos(np.clip(np.dot(first.camera.toward, camera.toward), -1, 1)))
    assert angle < 4 and off(first.camera) < 0.02 and off(aligned(site, seen, photo, first.camera)) < 0.01
    again = pose_of(first.photo, first.sculpt, SIZE, photo.lens * SIZE[0])
    assert again.reprojection_px < 2, "its spots stand for clicks"


def test_no_pose_is_proposed_where_nothing_stands_out_or_something_else_does(scene, rng):
    site, seen = scene
    blank = rng.normal(120, 2, (300, 400, 3)).clip(0, 255).astype(np.uint8)
    with pytest.raises(SettingError, match="stand out"):
        proposed_pose(site, seen, read_photo(as_bytes(Image.fromarray(blank))))
    stick = blank.copy()
    stick[20:280, 190:206] = 230
    with pytest.raises(SettingError, match="fits the outline"):
        proposed_pose(site, seen, read_photo(as_bytes(Image.fromarray(stick))))


@pytest.mark.parametrize("k1", [0.0, 0.08])
def test_a_camera_projects_as_opencv_does(scene, k1):
    """OpenCV's own projection, with its radial distortion."""
    site, _ = scene
    camera = camera_at(site, -140, 35, 120, 40, k1)
    matrix = np.array([[camera.focal_px, 0, SIZE[0] / 2], [0, camera.focal_px, SIZE[1] / 2], [0, 0, 1]])
    turn = cv2.Rodrigues(camera.rows)[0]
    move = -camera.rows @ np.array(camera.position)
    places = site.surface.points[::500].astype(float)
    theirs = cv2.projectPoints(places, turn, move, matrix, np.array([k1, 0, 0, 0]))[0].reshape(-1, 2)
    ours, depth = camera.project(places)
    assert (depth > 0).all() and np.abs(ours - theirs).max() < 1e-6
    rays = camera.rays(ours)
    away = places - camera.position
    assert np.abs(np.cross(rays, away / np.linalg.norm(away, axis=1)[:, None])).max() < 1e-4


def test_an_outline_filled_face_by_face_is_that_of_a_ray_a_pixel(scene):
    """Of the same faces every pixel is the same; of the rough form that poses are looked for on, all but the rim."""
    site, _ = scene
    whole = Mesh(site.surface.points, site.surface.faces)
    rough, _ = thinned(whole, np.zeros(len(whole.faces), np.int32), CORNERS)
    assert len(rough.faces) < 0.2 * len(whole.faces)
    for azimuth, elevation, distance in ((0, 12, 150), (75, 40, 110), (-160, -20, 60)):
        camera = camera_at(site, azimuth, elevation, distance).sized(112, 84)
        seen = seen_by(site.surface, camera, 112, 84).seen
        assert seen.sum() > 300 and (pixels_covered(whole, camera) != seen).sum() <= 2
        assert (pixels_covered(rough, camera) != seen).mean() < 0.004


@pytest.mark.long
def test_six_clicks_give_the_pose_and_the_picture_makes_it_exact(scene):
    """Six points, each a pixel and a half off, of a model some 150 pixels high: by the clicks alone within 3 % of its
    height, and after the sculpt was laid over the photo usually within 1 %; the direction within a degree and a
    half."""
    site, seen = scene
    places = site.surface.points[::200].astype(float)
    clicked, laid = [], []
    for seed in range(4):
        rng = np.random.default_rng(seed)
        camera = camera_at(
            site, rng.uniform(-180, 180), rng.uniform(-5, 45), rng.uniform(110, 200), rng.uniform(45, 90)
        )
        content, _ = photograph(site, seen, camera, Booth(), seed)
        photo = read_photo(content)
        assert photo.lens == pytest.approx(camera.focal_px / SIZE[0], rel=0.02), "as phones write it down"
        first = pose_of(*clicks(site, camera, 6, rng), SIZE, photo.lens * SIZE[0])
        found = aligned(site, seen, photo, first.camera.sized(*photo.size)).sized(*SIZE)
        true, height = camera.project(places)[0], np.ptp(camera.project(places)[0][:, 1])
        for own, out in ((first.camera, clicked), (found, laid)):
            out.append(float(np.median(np.linalg.norm(own.project(places)[0] - true, axis=1)) / height))
        angle = np.degrees(np.arccos(np.clip(np.dot(found.toward, camera.toward), -1, 1)))
        assert angle < 1.5
    assert max(clicked) < 0.05 and np.median(laid) < 0.01 and np.median(laid) < 0.7 * np.median(clicked), (
        clicked,
        laid,
    )


def test_a_click_on_the_wrong_spot_is_left_out(scene):
    site, _ = scene
    camera, rng = camera_at(site), np.random.default_rng(3)
    pixels, places = clicks(site, camera, 8, rng, 1.0)
    pixels[4] += [160, -120]
    found = pose_of(pixels, places, SIZE)
    assert found.outliers == (4,) and found.reprojection_px < 4


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda p, s: (p[:3], s[:3]), "at least 4"),
        (lambda p, s: (p, np.outer(np.arange(8), [1.0, 2.0, 0.5])), "in a line"),
        (lambda p, s: (np.tile(p[:1], (8, 1)), s), "in a line"),
        (lambda p, s: (np.column_stack([SIZE[0] - p[:, 0], p[:, 1]]), s), "contradict|no camera"),
        (lambda p, s: (p[::-1], s), "contradict|no camera"),
        (lambda p, s: (p * np.nan, s), "no place"),
    ],
)
def test_points_that_cannot_be_are_told(scene, change, says):
    """Too few, in a line, mirrored, mixed up."""
    site, _ = scene
    pixels, places = clicks(site, camera_at(site), 8, np.random.default_rng(1), 0.5)
    with pytest.raises(SettingError, match=says):
        pose_of(*change(pixels, places), SIZE)


def test_points_of_a_file_are_read_or_refused():
    photo, sculpt = points_from(json.loads('[{"photo": [1, 2], "sculpt": [3, 4, 5]}]'))
    assert photo.tolist() == [[1, 2]] and sculpt.tolist() == [[3, 4, 5]]
    for bad in (
        [{"photo": [1], "sculpt": [1, 2, 3]}],
        [{"photo": [1, 2]}],
        [1],
        [{"photo": "ab", "sculpt": [1, 2, 3]}],
    ):
        with pytest.raises(SettingError):
            points_from(bad)


# --- what is off
def looked_at(site, seen, painted, camera, booth, seed=0):
    content, card = photograph(site, painted, camera, booth, seed)
    photo = read_photo(content)
    grey = None if card is None else (card[0] / photo.times, card[1] / photo.times)
    return compared(site, seen, photo, camera.sized(*photo.size), grey)


@pytest.mark.parametrize(
    "booth",
    [
        Booth(),
        Booth(ambient=0.4, azimuth=60, elevation=35),
        Booth(exposure=-1.0, red=1.25, blue=0.8, noise=3),
        Booth(ambient=0.2, azimuth=-80, elevation=60, exposure=-0.5),
    ],
)
def test_what_is_painted_right_is_found_right_in_any_light(scene, booth):
    """Regions within 0.3 of a value, and no word against any."""
    site, seen = scene
    found = looked_at(site, seen, seen, camera_at(site), booth)
    assert max(abs(r.value_off) for r in found.regions) < 0.3 and len(found.regions) >= 4
    assert faults_of(site, found, seen, []) == []
    assert "as planned" in verdict_words([], found)[0]


@pytest.mark.parametrize("region", ["Back", "Chest", "Head", "Feet"])
@pytest.mark.parametrize(("kind", "sign"), [("light", 1), ("dark", -1)])
def test_a_region_that_is_a_step_off_is_named_with_its_size(scene, region, kind, sign):
    site, seen = scene
    painted = mistaken(site, seen, seen, [Mistake(kind, region, 1.0)])
    found = looked_at(site, seen, painted, camera_at(site, 25 if region != "Back" else 110), Booth(ambient=0.6))
    faults = faults_of(site, found, seen, [])
    assert faults and faults[0].region == region and faults[0].kind == kind
    own = next(r for r in found.regions if r.name == region)
    assert own.value_off == pytest.approx(sign, abs=0.35)
    assert [f.region for f in faults] == [region], "and no other is accused"


def test_what_is_too_grey_is_not_taken_for_too_light(scene):
    site, seen = scene
    painted = mistaken(site, seen, seen, [Mistake("grey", "Chest", 0.6)])
    found = looked_at(site, seen, painted, camera_at(site), Booth(red=1.2, blue=0.9))
    faults = faults_of(site, found, seen, [])
    assert [(f.region, f.kind) for f in faults] == [("Chest", "grey")]


@pytest.mark.parametrize("amount", [-30, 40])
def test_a_hue_that_is_off_is_named_with_its_turn(scene, amount):
    """By CIE 1976 hue angles of the paint itself, planned and as it was laid."""
    site, seen = scene
    painted, own = mistaken(site, seen, seen, [Mistake("hue", "Chest", amount)]), site.labels == 3

    def hue(reflectance):
        _, a, b = lab(xyz(reflectance[own].mean(axis=0)))
        return np.degrees(np.arctan2(b, a))

    found = looked_at(site, seen, painted, camera_at(site), Booth(ambient=0.6))
    turned = (hue(painted) - hue(seen) + 180) % 360 - 180
    assert next(r for r in found.regions if r.name == "Chest").hue_off == pytest.approx(turned, abs=15)


def test_the_mend_comes_from_the_plans_own_paints_and_brings_it_nearer(scene):
    """A red that is a step too light is glazed with the darkest mix that the plan has for it; the same films as
    everywhere say that it ends nearer."""
    site, seen = scene
    painted = mistaken(site, seen, seen, [Mistake("light", "Chest", 1.0)])
    found = looked_at(site, seen, painted, camera_at(site), Booth())
    own = site.marking.ids[3]
    from dataclasses import replace

    coats = [replace(usual_coat("brush", only(RACK.find(n))), region=own) for n in ("Cockle Red", "Soot", "Chalk")]
    (fault,) = faults_of(site, found, seen, coats)
    assert fault.coat is not None and fault.coat.mix.words() in ("Cockle Red", "Soot")
    assert "Glaze" in fault.mend and "pass" in fault.mend and fault.coat.region == own
    from dusk_lamp.core.coat.stack import appearance

    after = appearance([(fault.coat, fault.coat.film(site))], len(site), painted)
    chest = np.isfinite(found.off) & (site.labels == 3)
    off = [abs(float(np.mean(values_of(p[chest]) - values_of(seen[chest])))) for p in (painted, after)]
    assert off[1] < 0.5 * off[0]


def test_a_grey_card_says_whether_all_of_it_is_too_light(scene):
    """Without one, nothing can; with it, to a fifth of a step."""
    site, seen = scene
    Y = np.maximum(xyz(seen)[:, 1], 1e-4)
    lighter = np.clip(seen * 1.45, 0, 0.97).astype(np.float32)
    wanted = float(np.median(values_of(lighter) - values_of(seen)))
    assert Y.max() < 0.9
    for painted, off in ((seen, 0.0), (lighter, wanted)):
        found = looked_at(site, seen, painted, camera_at(site), Booth(card=True, exposure=-0.6, red=1.2))
        assert found.overall == pytest.approx(off, abs=0.25)
        assert looked_at(site, seen, painted, camera_at(site), Booth()).overall is None


@pytest.mark.parametrize("illuminant", ["D50", "A", "FL11"])
def test_the_card_takes_the_colour_of_the_light_away(illuminant):
    """A ColorChecker as colour-science has it, under a light, recorded by a camera whose curves are the eye's: with
    the gains of the neutral 5 patch, the mean difference from the chart under daylight."""
    chart = colour.SDS_COLOURCHECKERS["ISO 17321-1"]
    shape = colour.SpectralShape(400, 700, 10)
    lights = {k: colour.SDS_ILLUMINANTS[k].copy().align(shape) for k in ("D65", illuminant)}
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)

    def recorded(light):
        out = []
        for patch in chart.values():
            own = patch.copy().align(shape).values * lights[light].values
            out.append(XYZ_TO_RGB @ (own @ cmfs.values) / (lights[light].values @ cmfs.values[:, 1]))
        return np.array(out)

    day, lamp = recorded("D65"), recorded(illuminant)
    neutral = list(chart).index("neutral 5 (.70 D)")
    balanced = from_cones(cones(lamp) / (cones(lamp[neutral]) / cones(day[neutral])))
    off = colour.delta_E(lab(balanced @ np.linalg.inv(XYZ_TO_RGB).T), lab(day @ np.linalg.inv(XYZ_TO_RGB).T))
    plain = colour.delta_E(lab(lamp @ np.linalg.inv(XYZ_TO_RGB).T), lab(day @ np.linalg.inv(XYZ_TO_RGB).T))
    assert np.mean(off) < (1.0 if illuminant == "D50" else 3.0) and np.mean(off) < 0.3 * np.mean(plain)


# --- another renderer
def rendered(site, seen, camera, path, samples=12, gloss=None):
    """The same model by Mitsuba 3, global light and all, as a photo. gloss: its surface, if it is not matt."""
    mi.set_variant("scalar_rgb")
    rgb = np.clip(xyz(seen) @ XYZ_TO_RGB.T, 0.001, 0.98)
    surface = site.surface
    head = "\n".join(
        [
            "ply",
            "format binary_little_endian 1.0",
            f"element vertex {len(surface)}",
            *(f"property float {n}" for n in ("x", "y", "z", "nx", "ny", "nz", "r", "g", "b")),
            f"element face {len(surface.faces)}",
            "property list uchar int vertex_index",
            "end_header\n",
        ]
    )
    body = np.column_stack([surface.points, surface.normals, rgb]).astype("<f4").tobytes()
    faces = np.empty(len(surface.faces), [("n", "u1"), ("v", "<i4", 3)])
    faces["n"], faces["v"] = 3, surface.faces
    path.write_bytes(head.encode() + body + faces.tobytes())
    eye, to = np.array(camera.position), np.array(camera.position) + np.array(camera.toward)
    field = 2 * np.degrees(np.arctan(camera.width / 2 / camera.focal_px))
    lit = mi.load_dict(
        {
            "type": "scene",
            "integrator": {"type": "path", "max_depth": 4},
            "sky": {"type": "constant", "radiance": {"type": "rgb", "value": 0.7}},
            "window": {
                "type": "directional",
                "direction": [0.6, 0.5, -0.7],
                "irradiance": {"type": "rgb", "value": [1.0, 0.92, 0.8]},
            },
            "model": {
                "type": "ply",
                "filename": str(path),
                "bsdf": {
                    "type": "twosided",
                    "b": gloss
                    or {
                        "type": "diffuse",
                        "reflectance": {"type": "mesh_attribute", "name": "vertex_color"},
                    },
                },
            },
            "sensor": {
                "type": "perspective",
                "fov": float(field),
                "fov_axis": "x",
                "to_world": mi.ScalarTransform4f().look_at(origin=list(eye), target=list(to), up=list(camera.up)),
                "film": {
                    "type": "hdrfilm",
                    "width": camera.width,
                    "height": camera.height,
                    "rfilter": {"type": "box"},
                },
                "sampler": {"type": "independent", "sample_count": samples},
            },
        }
    )
    picture = np.array(mi.render(lit))[..., :3]
    levels = np.round(255 * encoded(np.clip(0.8 * picture, 0, 1))).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(levels).save(out, "JPEG", quality=93)
    return out.getvalue()


@pytest.mark.parametrize("mistake", [None, Mistake("light", "Chest", 1.0), Mistake("dark", "Head", 1.0)])
def test_photos_by_another_renderer_are_judged_alike(scene, tmp_path, mistake):
    """Mitsuba 3, with light that goes from the model to itself: right within 0.3, a step off found and named."""
    site, seen = scene
    base = camera_at(site, 20, 12, 150, 55)
    camera = base.sized(200, 150)
    painted = seen if mistake is None else mistaken(site, seen, seen, [mistake])
    photo = read_photo(rendered(site, painted, camera, tmp_path / "m.ply"))
    found = compared(site, seen, photo, camera.sized(*photo.size))
    named = {r.name: r.value_off for r in found.regions}
    wrong = {} if mistake is None else {mistake.region: 1.0 if mistake.kind == "light" else -1.0}
    assert all(abs(off - wrong.get(name, 0.0)) < (0.4 if name in wrong else 0.3) for name, off in named.items()), (
        named
    )
    assert {f.region for f in faults_of(site, found, seen, [])} == set(wrong)


# --- several photos
def test_photos_from_two_sides_are_judged_together_and_say_where_they_disagree(scene):
    site, seen = scene
    painted = mistaken(site, seen, seen, [Mistake("light", "Chest", 1.0)])
    sides = [camera_at(site, azimuth) for azimuth in (20.0, -60.0)]
    found = [looked_at(site, seen, painted, camera, Booth()) for camera in sides]
    together = merged(found)
    each = [np.isfinite(c.off) for c in found]
    assert (np.isfinite(together.off) == (each[0] | each[1])).all() and (each[0] != each[1]).any()
    offs = {r.name: r.value_off for r in together.regions}
    assert offs["Chest"] == pytest.approx(1.0, abs=0.3)
    assert all(abs(off) < 0.3 for name, off in offs.items() if name not in ("Chest", "the rest"))
    assert not disagreements(found)
    right = looked_at(site, seen, seen, sides[1], Booth())
    assert "disagree on Chest" in disagreements([found[0], right])[0]
    assert right.near(site) > 0.9 > found[0].near(site)
    with pytest.raises(SettingError, match="not of one sculpt"):
        merged([found[0], replace(right, off=right.off[:-1])])


# --- where metal shone
def test_where_it_shone_lies_between_the_lamp_and_the_eye(tmp_path):
    """A ball of glossy plastic by Mitsuba 3 under a directional lamp: a mirror throws the lamp back to the eye where
    its normal halves the angle between both."""
    surface = surface_of(ball(12, 5))
    regions = (Region("Upper", material="metal"), Region("Lower"))
    label = np.where(surface.points[:, 2] > -4, 1, 2).astype(np.uint8)
    site = Site(surface, visibility_of(surface), marking=Marking(label, regions))
    seen = np.tile(reflectance_from_hex("#5c5c5c"), (len(site), 1)).astype(np.float32)
    camera = Pinhole.looking_at(np.zeros(3), 0, 5, 120, 60, (240, 180))
    plastic = {"type": "roughplastic", "alpha": 0.12, "diffuse_reflectance": {"type": "rgb", "value": 0.1}}
    content = rendered(site, seen, camera, tmp_path / "b.ply", 16, plastic)
    photo = read_photo(content)
    found = shone(site, compared(site, seen, photo, camera.sized(*photo.size)), photo, 1)
    lamp, eye = -np.array([0.6, 0.5, -0.7]), np.asarray(camera.position)
    half = lamp / np.linalg.norm(lamp) + eye / np.linalg.norm(eye)
    middle = np.average(surface.normals[found.core], axis=0, weights=site.areas[found.core])
    off = np.degrees(np.arccos(half @ middle / np.linalg.norm(half) / np.linalg.norm(middle)))
    assert off < 6 and found.core_mm2 < found.broad_mm2 < 0.2 * site.areas.sum()
    mixes = [only(RACK.find(name)) for name in ("Soot", "Gull")]
    laid = [replace(usual_coat("brush", mix, "steel", "metal"), region=site.marking.ids[1]) for mix in mixes]
    coats = shine_coats(site, found, laid)
    assert [c.label for c in coats] == ["Upper: where it shone", "Upper: the brightest"]
    value = [float(values_of(c.mix.pigment.masstone[None])[0]) for c in coats]
    assert value[0] < value[1] and all(c.region == site.marking.ids[1] for c in coats)
    with pytest.raises(SettingError, match="no paint in the plan"):
        shine_coats(site, found, [])
    with pytest.raises(SettingError, match="nothing shone"):
        shone(site, compared(site, seen, photo, camera.sized(*photo.size)), photo, 2)


# --- the lamp
@pytest.mark.parametrize(
    ("azimuth", "elevation", "ambient"), [(0, 60, 0.2), (70, 35, 0.3), (-120, 50, 0.5), (150, 20, 0.3)]
)
def test_the_desk_lamp_is_found_within_ten_degrees(scene, azimuth, elevation, ambient):
    """On an open scan, primed in one grey; shadows tell, where the lamp stands behind the model."""
    site, _ = scene
    primed = np.tile(reflectance_from_hex("#8c8c8c"), (len(site), 1)).astype(np.float32)
    content, _ = photograph(site, primed, camera_at(site), Booth(ambient, azimuth, elevation), 2)
    photo = read_photo(content)
    found = lamp_of(site, 0.26, photo, camera_at(site).sized(*photo.size))
    assert degrees_between(found.lamp, Lamp(azimuth, elevation)) < 10
    assert found.sure >= 3 and 0 <= found.ambient <= 1


def test_on_a_ball_too(rng):
    surface = surface_of(ball(12, 4))
    site = Site(surface, visibility_of(surface))
    primed = np.tile(reflectance_from_hex("#8c8c8c"), (len(site), 1)).astype(np.float32)
    camera = Pinhole.looking_at(np.zeros(3), 0, 5, 120, 60, SIZE)
    content, _ = photograph(site, primed, camera, Booth(0.3, 40, 45), 1)
    photo = read_photo(content)
    found = lamp_of(site, 0.26, photo, camera.sized(*photo.size))
    assert degrees_between(found.lamp, Lamp(40, 45)) < 6


# --- photos
def as_bytes(picture, form="PNG", **more):
    out = io.BytesIO()
    picture.save(out, form, **more)
    return out.getvalue()


def test_photos_are_turned_as_they_were_held_and_keep_no_place(rng):
    """EXIF orientation 6: held upright, recorded lying."""
    levels = rng.integers(40, 200, (300, 500, 3)).astype(np.uint8)
    exif = Image.Exif()
    exif[0x0112] = 6
    photo = read_photo(as_bytes(Image.fromarray(levels), "JPEG", exif=exif, quality=95))
    assert photo.size == (300, 500) and photo.times == 1.0
    large = read_photo(as_bytes(Image.fromarray(np.zeros((3000, 4000, 3), np.uint8) + 90), "JPEG"))
    assert max(large.size) == 1400 and large.times == pytest.approx(4000 / 1400, rel=1e-3)
    deep = Image.fromarray(np.full((300, 300), 30_000, np.uint16))
    assert read_photo(as_bytes(deep)).levels.mean() == pytest.approx(117, abs=2)
    assert read_photo(as_bytes(Image.new("CMYK", (300, 300), (0, 0, 0, 128)), "JPEG")).size == (300, 300)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "no photo"),
        (b"\0\0\0\x18ftypheic\0\0\0\0", "HEIC"),
        (b"%PDF-1.4", "no photo"),
        (as_bytes(Image.new("RGB", (1, 1))), "1 × 1"),
        (
            as_bytes(
                Image.new("RGB", (300, 300)), "GIF", save_all=True, append_images=[Image.new("RGB", (300, 300), 99)]
            ),
            "moves",
        ),
        (as_bytes(Image.new("1", (11_000, 11_000))), "100 megapixels"),
        (as_bytes(Image.new("RGB", (400, 400)), "PNG")[:90], "no photo"),
    ],
    ids=["nothing", "heic", "pdf", "one pixel", "moving", "huge", "cut"],
)
def test_what_is_no_photo_is_told(content, says):
    with pytest.raises(SettingError, match=says):
        read_photo(content)


@pytest.mark.parametrize("level", [0, 255])
def test_all_black_and_all_white_are_no_photos_of_a_model(scene, level):
    site, seen = scene
    photo = read_photo(as_bytes(Image.new("RGB", SIZE, (level,) * 3)))
    with pytest.raises(SettingError, match=r"not in the photo|too little"):
        compared(site, seen, photo, camera_at(site).sized(*photo.size))
    assert photo_troubles(photo, np.ones(photo.size[::-1], np.bool_))


def test_blur_and_burnt_out_lights_are_named(scene):
    site, seen = scene
    content, _ = photograph(site, seen, camera_at(site), Booth(glare=1.0, exposure=1.2), 0)
    photo = read_photo(content)
    found = compared(site, seen, photo, camera_at(site).sized(*photo.size))
    inside = seen_by(site.surface, camera_at(site), *photo.size).seen
    assert any("burnt out" in s for s in photo_troubles(photo, inside))
    from PIL import ImageFilter

    soft = Image.open(io.BytesIO(content)).filter(ImageFilter.GaussianBlur(9))
    assert any("blurred" in s for s in photo_troubles(read_photo(as_bytes(soft, "JPEG", quality=95)), inside))
    assert not any("blurred" in s for s in photo_troubles(photo, inside)) and found.looked_at.any()


def test_a_mistake_on_a_region_that_is_not_there_is_told(scene):
    site, seen = scene
    with pytest.raises(SettingError, match="no region 'Tail'"):
        mistaken(site, seen, seen, [Mistake("light", "Tail", 1.0)])
    with pytest.raises(SettingError):
        Mistake("eaten", "Head", 1.0)
