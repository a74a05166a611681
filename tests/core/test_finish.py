"""Finish, order and faces: what lies on what, what comes before what, and where a pupil goes."""

from dataclasses import replace

import numpy as np
import pytest

from dusk_lamp.core.coat.coat import Coat, usual_coat
from dusk_lamp.core.coat.finish import films_of, finish_of, finish_words, shares_of
from dusk_lamp.core.coat.stack import appearance
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.mix import Mix, only
from dusk_lamp.core.plan.features.face.eyes import FURTHEST, IRIS, LEAST_DOT_MM, face_of, warm_spots, warmth
from dusk_lamp.core.plan.steps.order import WHOLE_MODEL, move_refused, ordered, out_of_order, region_of, touching
from dusk_lamp.core.plan.steps.step import steps_of
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.site import Site, Where
from dusk_lamp.core.sculpt.visibility import visibility_of
from dusk_lamp.core.view.flat import face_svg

from ..shapes import RACK, ball, surface_of, together

GLASS, DEW, DUST = (only(RACK.find(n)) for n in ("Glass Varnish", "Dew Varnish", "Dust Varnish"))
OIL, WASH = only(RACK.find("Burnt Foundation")), only(RACK.find("Bilge Wash"))


@pytest.fixture(scope="module")
def quarters():
    """A ball in three regions: left, right and a cap that meets both; nothing of it is the rest."""
    surface = surface_of(ball(radius=10, at=(0, 0, 10), fine=4))
    labels = np.where(surface.points[:, 2] > 16, 3, np.where(surface.points[:, 0] > 0, 2, 1)).astype(np.uint8)
    return Site(surface, marking=Marking(labels, (Region("Left"), Region("Right"), Region("Cap", "skin"))))


def coat(site, technique, mix, number=None, label="", **settings):
    own = usual_coat(technique, mix, label or mix.words(), "colour").with_settings(settings)
    return own if number is None else replace(own, where=Where.some(site.labels == number))


def test_a_varnish_changes_the_finish_and_no_colour(quarters):
    """Common practice, CP-32: the last varnish makes the sheen one."""
    stack = [coat(quarters, "brush", only(RACK.find("Tide Blue"))), coat(quarters, "brush", GLASS, 2)]
    films = films_of(quarters, stack)
    finish = finish_of(zip(stack, films, strict=True), len(quarters))
    assert finish[quarters.labels == 2].min() == 1 and finish[quarters.labels == 1].max() == 0
    shares = shares_of(finish, quarters.areas)
    assert shares["gloss"] > 0.2 and shares["matt"] > 0.2 and "last coat of varnish" in finish_words(shares)
    seen = appearance(list(zip(stack, films, strict=True)), len(quarters))
    assert np.array_equal(seen, appearance([(stack[0], films[0])], len(quarters)))
    stack.append(coat(quarters, "brush", DUST))
    even = shares_of(finish_of(zip(stack, films_of(quarters, stack), strict=True), len(quarters)), quarters.areas)
    assert even["matt"] == 1 and finish_words(even) == "It is matt all over."


def test_oil_wipes_clean_off_gloss_and_stains_matt(quarters):
    """Common practice, CP-32: gloss lets oil wipe clean, satin holds some, matt more; and over bare matt the step
    says so."""
    wiped = [
        films_of(quarters, [coat(quarters, "brush", under), coat(quarters, "oil wipe", OIL, pressure=1.0)])[1]
        for under in (GLASS, DEW, DUST)
    ]
    top = quarters.surface.normals[:, 2] > 0.9
    on_gloss, on_satin, on_matt = (float(f[top].mean()) for f in wiped)
    assert on_gloss < 0.05 and on_gloss < on_satin < on_matt and on_matt > 2
    for under, says in ((DUST, True), (DEW, False)):
        coats = [coat(quarters, "brush", under), coat(quarters, "oil wipe", OIL)]
        step = steps_of(quarters, coats, films_of(quarters, coats))[1]
        assert any("bare matt" in w for w in step.warnings) == says
    wash = [films_of(quarters, [coat(quarters, "brush", u), coat(quarters, "wash", WASH)])[1] for u in (GLASS, DUST)]
    assert wash[0][top].mean() < 0.6 * wash[1][top].mean(), "it runs off a glossy flat"


def test_the_order_keeps_what_is_allowed(quarters):
    """Common practice, sections 7 and 9, CP-32, CP-34."""
    black, white, tin = (only(RACK.find(n)) for n in ("Soot", "Chalk", "Tin"))
    grey = only(RACK.find("Gull"))
    parts = {
        3: [coat(quarters, "brush", grey, 3), coat(quarters, "brush", white, 3)],
        1: [coat(quarters, "brush", black, 1), coat(quarters, "wash", WASH, 1)],
        2: [coat(quarters, "brush", tin, 2)],
        WHOLE_MODEL: [coat(quarters, "brush", DUST)],
    }
    places = ordered(parts, touching(quarters))
    assert [p.region for p in places] == [1, 2, 3, WHOLE_MODEL]
    good = [c for p in places for c in parts[p.region]]
    assert out_of_order(quarters, good) == []
    for moved, says in ((0, "whole model"), (3, "stain the white"), (2, "dulls the metal")):
        bad = [c for c in good if c not in parts[places[moved].region]]
        bad = {0: [good[-1], *good[:-1]], 3: [*parts[3], *bad], 2: [*parts[2], *parts[1], *parts[3]]}[moved]
        assert says in move_refused(quarters, good, bad)
    assert region_of(quarters, parts[WHOLE_MODEL][0]) == WHOLE_MODEL and region_of(quarters, parts[3][0]) == 3
    oil = [
        coat(quarters, "brush", black, 1),
        coat(quarters, "brush", DEW, 1),
        coat(quarters, "oil wipe", OIL, 1),
        parts[2][0],
    ]
    assert out_of_order(quarters, oil) == []
    assert "under the oil" in move_refused(quarters, oil, [oil[0], oil[2], oil[1], oil[3]])


def test_two_wet_transparent_neighbours_are_kept_apart(quarters):
    """Common practice, section 7: two that touch are never wet together."""
    veil = [coat(quarters, "brush", only(RACK.find(n)), k + 1) for k, n in enumerate(("Dusk Veil", "Moss Veil"))]
    opaque = coat(quarters, "brush", only(RACK.find("Tan Bark")), 3)
    meets = touching(quarters)
    assert (1, 2) in meets and (2, 1) in meets and (1, 1) not in meets
    with_third = [p.region for p in ordered({1: [veil[0]], 2: [veil[1]], 3: [opaque]}, meets)]
    assert with_third[1] == 3, "another is painted in between"
    alone = ordered({1: [veil[0]], 2: [veil[1]]}, meets, ["the rest", "Left", "Right"])
    assert "let" in alone[1].why and "dry first" in alone[1].why and alone[0].why.count("dry first") == 0


@pytest.fixture(scope="module")
def head():
    """A ball as a head, 12 mm wide, that faces the front."""
    return surface_of(ball(radius=6, at=(0, 0, 6), fine=5))


def eyes(sideways=2.0, up=7.0):
    y = -np.sqrt(36 - sideways**2 - (up - 6) ** 2)
    return np.array([sideways, y, up]), np.array([-sideways, y, up])


def test_both_pupils_look_at_one_point(head):
    """CP-33. By hand: an eye turned by the angle a shows its pupil R·sin a from the middle, R the ball's radius (24
    mm to an opening of 30, from memory)."""
    left, right = eyes()
    near = face_of(head, left, right, np.array([0.0, left[1] - 10.0, left[2]]))
    assert near.left.toward_right < 0 < near.right.toward_right, "they converge"
    assert near.left.toward_right == pytest.approx(-near.right.toward_right, abs=1e-6)
    wanted = near.left.width * 12 / 30 * 2.0 / np.hypot(2.0, 10.0)
    assert abs(near.left.toward_right) == pytest.approx(wanted, rel=0.03)
    straight = face_of(head, left, right)
    assert max(
        abs(straight.left.toward_right), abs(straight.right.up)
    ) < 1e-9 and straight.left.width == pytest.approx(2.0)
    aside = face_of(head, left, right, np.array([100.0, -60.0, 7.0]))
    assert aside.left.toward_right > 0 and aside.right.toward_right > 0, "to the viewer's right, both"
    radius = aside.left.width * 12 / 30
    assert aside.left.toward_right == pytest.approx(radius * np.sin(np.radians(FURTHEST)), abs=1e-6)
    assert any("turn so far" in w for w in aside.words)


def test_a_drawing_is_mirrored_rightly_and_small_eyes_get_a_wash(head):
    """As one looks at the model its right eye is at the left, and at 10× a millimetre is ten."""
    left, right = eyes()
    face = face_of(head, left, right, np.array([0.0, -14.0, 7.0]))
    drawn = face_svg(face)
    assert drawn.index("its right eye") < drawn.index("its left eye") and drawn.count("<circle") == 4
    wide = float(drawn.split('viewBox="0 0 ')[1].split()[0])
    assert f'width="{10 * wide:.2f}mm"' in drawn
    mirrored = face_of(head, left, right, np.array([0.0, -14.0, 7.0]) * [-1, 1, 1])
    assert mirrored.right.toward_right == pytest.approx(-face.left.toward_right, abs=1e-6)
    tiny = 1.9 * LEAST_DOT_MM / IRIS / 2
    small = face_of(head, *eyes(tiny / 2))
    assert not small.dots and "wash" in small.words[-1] and "<circle" not in face_svg(small)
    with pytest.raises(SettingError, match="one place"):
        face_of(head, left, left)
    with pytest.raises(SettingError, match="behind itself"):
        face_of(head, left, right, np.array([0.0, 60.0, 7.0]))
    assert "swapped" in face_of(head, right, left).words[0]


def test_warmth_goes_where_skin_stands_out():
    """CP-33: on a ball with a nose, the nose."""
    surface = surface_of(together(ball(radius=6, at=(0, 0, 6)), ball(radius=1.2, at=(0, -6, 6))))
    site = Site(
        surface, visibility_of(surface), marking=Marking(np.ones(len(surface), np.uint8), (Region("Face", "skin"),))
    )
    spots = warm_spots(site, 1)
    on_nose = np.linalg.norm(surface.points - [0, -6, 6], axis=1) < 1.35
    assert surface.areas[spots & on_nose].sum() > 0.5 * surface.areas[spots].sum()
    glaze = warmth(site, 1, RACK)
    assert isinstance(glaze, Coat) and glaze.settings.water >= 10 and glaze.mix.colour.a > 10
    with pytest.raises(SettingError, match="no red"):
        warmth(site, 1, type(RACK)([RACK.find("Soot")]))


def test_a_mix_of_a_varnish_and_a_paint_is_refused_and_a_varnish_is_clear():
    assert GLASS.clear and not OIL.clear and GLASS.finish == 1 and DUST.finish == 0 and DEW.finish == 0.5
    with pytest.raises(SettingError, match="varnish"):
        Mix((RACK.find("Soot"), RACK.find("Glass Varnish")), (1, 1))
