"""Cards that are printed, painted and photographed: what is read off them, against what was painted."""

import io

import colour
import numpy as np
import pytest
from PIL import Image, ImageOps

from dusk_lamp.core.card import card_called, cards
from dusk_lamp.core.card.drawing import card_light, card_pdf
from dusk_lamp.core.card.reading import flat_card
from dusk_lamp.core.card.simulated import Snap, card_photo
from dusk_lamp.core.check.photo import read_photo
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.paint.colour import XYZ_TO_RGB, delta_e, encoded, lab, xyz
from dusk_lamp.core.paint.film import WHITE_CARD
from dusk_lamp.core.paint.pigment import from_drawdown, from_swatch


def photographed(own, painted, grey=None):
    """A card photographed straight on, in even light."""
    light = card_light(own, painted, grey, 8.0)
    framed = np.pad(light, ((60, 60), (60, 60), (0, 0)), constant_values=0.1)
    out = io.BytesIO()
    Image.fromarray(np.round(255 * encoded(framed)).astype(np.uint8)).save(out, "PNG")
    return read_photo(out.getvalue())


def grey_of(value):
    """Linear light of a Munsell value, as colour-science has ASTM D1535."""
    return np.full(3, colour.notation.munsell.luminance_ASTMD1535(value) / 100)


def read(own, painted, grey=None):
    return own.graded(flat_card(own, photographed(own, painted, grey)))


def test_every_card_prints_on_one_page_with_its_marks():
    assert len(cards()) == 4
    numbers = {own.number for own in cards().values()}
    assert len(numbers) == 4, "the marks tell the cards apart"
    for own in cards().values():
        pdf = card_pdf(own)
        assert pdf.startswith(b"%PDF") and pdf.count(b"/Type /Page\n") == 1


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.parametrize("name", ["value-string", "glaze-ramp", "brush-strip"])
def test_what_was_painted_is_read_in_uneven_coloured_light(name, seed):
    own = card_called(name)
    content, truth = card_photo(own, seed, Snap(falloff=0.45, red=1.3, blue=0.75, noise=2.0))
    grade = own.graded(flat_card(own, read_photo(content)))
    if name == "value-string":
        assert [r["value"] for r in grade.rows] == pytest.approx(truth["values"], abs=0.12)
    elif name == "glaze-ramp":
        passes = np.cumsum(truth["passes"]) / np.mean(truth["passes"])
        assert [r["passes"] for r in grade.rows[1:]] == pytest.approx(passes, abs=0.15)
        assert any("Pass 3" in words for words in grade.words)
    else:
        assert grade.rows[1]["at_mm"] == pytest.approx(truth["border_mm"], abs=5)
        assert "smooth" in grade.words[0] and "border" in grade.words[1]


def test_the_perfect_string_has_no_error_and_one_that_is_off_its_own():
    own = card_called("value-string")
    perfect = {p.name: grey_of(n) for n, p in enumerate(own.places, 1)}
    assert read(own, perfect, 0.18).error == pytest.approx(0, abs=0.03)
    off = {p.name: grey_of(min(n + 0.8, 9.2)) for n, p in enumerate(own.places, 1)}
    grade = read(own, off, 0.18)
    assert grade.error == pytest.approx((8 * 0.8 + 0.2) / 9, abs=0.04) and "lean light" in " ".join(grade.words)
    swapped = perfect | {"value 4": grey_of(5), "value 5": grey_of(4)}
    assert "swapped" in " ".join(read(own, swapped, 0.18).words)


def test_a_grey_card_says_how_white_the_paper_is():
    """Paper of 84 % beside a card that seems to reflect a fifth more than 18 %: all of it is a fifth darker."""
    own = card_called("value-string")
    painted = {p.name: grey_of(n) for n, p in enumerate(own.places, 1)}
    sure, plain = (read(own, painted, grey) for grey in (0.18, None))
    assert not sure.troubles and "usual office paper" in plain.troubles[0]
    darker = read(own, painted, 0.18 * 1.2)
    light = colour.notation.munsell.luminance_ASTMD1535(np.array([sure.rows[5]["value"], darker.rows[5]["value"]]))
    assert light[0] / light[1] == pytest.approx(1.2, rel=0.03)


def test_even_passes_of_a_glaze_are_even_and_a_layer_is_none():
    """Thin films take light as Beer and Lambert say: equal passes, equal shares."""
    own = card_called("glaze-ramp")
    ramp = {f"pass {n}": 0.84 * np.exp(-n * np.array([0.15, 0.1, 0.06])) for n in range(1, 7)}
    even = read(own, ramp)
    assert even.error < 0.08 and "count on" in " ".join(even.words)
    thick = {f"pass {n}": 0.84 * np.exp(-n * np.full(3, 0.45)) for n in range(1, 7)}
    assert "that is a layer" in " ".join(read(own, thick).words)


def test_the_best_strip_counts_and_a_short_one_is_told():
    own = card_called("brush-strip")
    smooth = np.array([grey_of(v) for v in np.linspace(2, 8, 300)])
    stepped = np.array([grey_of(v) for v in np.repeat([2, 4, 6, 8], 75)])
    short = np.array([grey_of(v) for v in np.linspace(4, 5, 300)])
    grade = read(own, {"first": stepped, "second": smooth, "third": short})
    assert grade.error < 0.1 and grade.good > 0.85
    assert "border of 1." in grade.words[0] and "spans 0.9" in " ".join(grade.words)
    only = read(own, {"first": stepped})
    assert only.error > 1.5 and only.good == 0 and len(only.rows) == 1


PAINTS = [("#2f4f7f", 0.93), ("#c79a3a", 0.75), ("#d8cbb0", 0.88), ("#1e1c20", 0.99), ("#f2efe6", 0.8)]


@pytest.mark.parametrize("noise", [1.0, 4.0])
def test_drawdowns_bring_back_the_films_of_one_and_two_coats(noise, monkeypatch):
    """Films of the measured paint, over grounds that it was not measured on, within ΔE00 2 of the true paint's."""
    own = card_called("drawdowns")
    truth, painted = {}, {}
    for row, (swatch, hiding) in zip("ABCDE", PAINTS, strict=True):
        truth[row] = pigment = from_swatch(swatch, hiding)
        for coats in (1, 2):
            for ground, light in (("black", 0.045), ("white", 0.84)):
                seen = pigment.film(20.0 * coats, np.full_like(pigment.K, light))
                painted[f"{row} {coats} over {ground}"] = xyz(seen) @ XYZ_TO_RGB.T
    monkeypatch.setattr(type(own), "painted", lambda self, rng: (painted, {}))
    content, _ = card_photo(own, 3, Snap(noise=noise))
    found = own.measured(flat_card(own, read_photo(content)))
    assert [d.row for d in found] == list("ABCDE")
    for drawn in found:
        measured = from_drawdown(drawn.over_black, drawn.over_white, drawn.coat_um)
        for under in (0.02, 0.3, WHITE_CARD):
            for um in (20.0, 40.0):
                ground = np.full_like(measured.K, under)
                pair = [lab(xyz(p.film(um, ground))) for p in (measured, truth[drawn.row])]
                assert delta_e(*pair) < 2.0, (drawn.row, under, um)
        assert 0 < drawn.off < 2 and drawn.hiding == pytest.approx(truth[drawn.row].contrast_ratio(20.0), abs=0.03)


def test_a_row_that_was_painted_in_part_is_told_and_bare_rows_are_left_out():
    own = card_called("drawdowns")
    one = {"B 1 over black": np.full(3, 0.2), "B 1 over white": np.full(3, 0.3)}
    assert [r["place"] for r in read(own, one).rows] == ["B"], "one coat is enough"
    two = {"B 2 over black": np.full(3, 0.2), "B 2 over white": np.full(3, 0.3)}
    with pytest.raises(SettingError, match="row B has two coats but not one"):
        read(own, two)
    swapped = {"B 1 over black": np.full(3, 0.5), "B 1 over white": np.full(3, 0.3)}
    with pytest.raises(SettingError, match="swapped"):
        read(own, swapped)


@pytest.mark.parametrize("name", list(cards()))
def test_a_bare_card_is_told(name):
    own = card_called(name)
    with pytest.raises(SettingError, match="paint"):
        read(own, {}, 0.18)


def test_what_is_no_photo_of_the_card_is_told():
    own = card_called("value-string")
    painted = {p.name: grey_of(n) for n, p in enumerate(own.places, 1)}
    photo = photographed(own, painted)

    def changed(image):
        out = io.BytesIO()
        image.save(out, "PNG")
        return read_photo(out.getvalue())

    whole = Image.fromarray(photo.levels)
    wide, high = whole.size
    for image, says in (
        (ImageOps.mirror(whole), "not mirrored"),
        (whole.crop((0, 0, wide, round(0.7 * high))), "four square marks"),
        (Image.new("RGB", (800, 600), (120, 120, 120)), "four square marks"),
    ):
        with pytest.raises(SettingError, match=says):
            flat_card(own, changed(image))
    with pytest.raises(SettingError, match="another card"):
        flat_card(card_called("brush-strip"), photo)
    levels = photo.levels.copy()
    levels[high // 2 - 60 : high // 2 + 60, wide // 3 : wide // 2] = 255
    with pytest.raises(SettingError, match="burnt out"):
        flat_card(own, changed(Image.fromarray(levels)))
    turned = flat_card(own, changed(whole.rotate(180)))
    assert own.graded(turned).error < 0.05, "which way up it lies does not matter"
    with pytest.raises(SettingError, match="a card is one of"):
        card_called("juggling")
