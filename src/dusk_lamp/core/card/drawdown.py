"""Drawdowns: paints over a black and a white bar, in one coat and in two; each paint's absorption and scattering."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import SettingError
from ..paint.colour import XYZ_TO_RGB, delta_e, encoded, lab, reflectance_from_rgb, screen_hex, xyz
from ..paint.film import card_reflectance, film
from ..paint.pigment import NORMAL_COAT_UM, Pigment, from_grounds, from_swatch
from ..plain import plain, rounded
from .card import INK, PAPER, Card, CardPlace, Flat, Graded, Words

ROWS = ("A", "B", "C", "D", "E", "F")
TOP, HIGH, APART, WIDE = 26.0, 10.0, 12.4, 24.0
BLACK_X, COAT_X = 26.0, (30.0, 90.0)  # of the bar's bare end, and where the boxes of one coat and two begin
BARE_DE = 3.0  # of what lies over black and white against bare bar and paper: nothing was painted
TRIALS = 8  # drawings of the colours within their error
GOOD_DE = 2.0
ROUNDS, NUDGE, DAMPING = 12, 1e-4, 1e-6
SWATCHES = ("#2f4f7f", "#8a2b2b", "#c79a3a", "#5a6b4a", "#d8cbb0", "#4a3a34")
HIDINGS = (0.93, 0.9, 0.75, 0.95, 0.88, 0.97)


@dataclass(frozen=True)
class Drawdown:
    """A paint that was measured. over_black, over_white: `#rrggbb` of one coat over the cards of the rack.
    coat_um: its thickness. hiding: contrast ratio of one coat. off: ΔE00 that a film of one or two coats may be off
    (root mean square). words: what to think of it."""

    row: str
    over_black: str
    over_white: str
    coat_um: float
    masstone: str = ""
    words: str = ""
    hiding: float = rounded(3, 0.0)
    off: float = rounded(2, 0.0)


def _row_places(row: str, k: int) -> tuple[CardPlace, ...]:
    y = TOP + k * APART
    out = [CardPlace(f"{row} bare black", BLACK_X - 12, y, 12, HIGH)]
    for coats, x in zip((1, 2), COAT_X, strict=True):
        out.append(CardPlace(f"{row} {coats} over black", x, y, WIDE, HIGH))
        out.append(CardPlace(f"{row} {coats} over white", x + WIDE + 2, y, WIDE, HIGH))
    return tuple(out)


def _spectrum(colour: NDArray) -> NDArray[np.float64]:
    return reflectance_from_rgb(encoded(np.clip(colour, 0, 1)))


def _hex(reflectance: NDArray) -> str:
    return screen_hex(xyz(reflectance) @ XYZ_TO_RGB.T)


def pigment_of(
    colours: Sequence[tuple[NDArray, NDArray]], grounds: tuple[NDArray, NDArray], coat_um: float
) -> Pigment:
    """The pigment whose films look as measured.

    Args:
        colours: for one coat, two coats and so on, linear colours (3,) over black and over white. grounds: linear
        colours (3,) of the bare bar and of bare paper. coat_um: dry thickness of one coat.
    Source: Kubelka (1948) solved for one coat over two grounds, then fitted to all coats by least squares on
    every band.
    """
    under = [_spectrum(g) for g in grounds]
    seen = [[_spectrum(c) for c in pair] for pair in colours]
    first = from_grounds(seen[0][0], seen[0][1], under[0], under[1], coat_um)
    if len(seen) == 1:
        return first
    wanted = np.sqrt(np.array([r for pair in seen for r in pair]))

    def looks(logs: NDArray) -> NDArray:
        K, S = np.exp(logs)
        return np.sqrt([film(K, S, coat_um * n, g) for n in range(1, len(seen) + 1) for g in under])

    logs = np.log(np.clip([first.K, first.S], 1e-7, 10.0))
    for _ in range(ROUNDS):  # Gauss and Newton's step on each band by itself, damped as Levenberg has it
        now = looks(logs)
        slope = np.stack([(looks(logs + NUDGE * nudged) - now) / NUDGE for nudged in np.eye(2)[:, :, None]], axis=-1)
        square = np.einsum("kbi,kbj->bij", slope, slope) + DAMPING * np.eye(2)
        down = np.einsum("kbi,kb->bi", slope, wanted - now)
        logs = np.clip(logs + np.clip(np.linalg.solve(square, down[..., None])[..., 0].T, -1, 1), np.log(1e-7), 2.5)
    return Pigment(*np.exp(logs))


def _films(pigment: Pigment, coat_um: float) -> NDArray[np.float64]:
    """(4, 3) L*a*b* of one and two coats over black and white."""
    return np.array(
        [lab(xyz(pigment.film(n * coat_um, card_reflectance(g)))) for n in (1, 2) for g in ("black", "white")]
    )


class Drawdowns(Card):
    """K and S of paints by their colours over two grounds. Sources: Kubelka (1948); contrast ratio ASTM D2805."""

    name, title, order, number = "drawdowns", "Drawdowns", 10, 0
    teaches = "Measures your paints: what they look like thin, and how well they hide."
    how = (
        "One paint a row, up to six. Thin it as for a coat, and write its name beside the row.",
        "One coat: one even pass over both boxes on the left, the black and the white one. Two coats: the same on "
        "the right, and once more when it is dry. Leave the small black box at the left bare.",
        "Let it dry for an hour.",
    )
    unit, poor = "ΔE that a film may be off", 6.0
    places = tuple(p for k, row in enumerate(ROWS) for p in _row_places(row, k))
    black = tuple(
        CardPlace("", x, TOP + k * APART, wide, HIGH)
        for k in range(len(ROWS))
        for x, wide in ((BLACK_X - 12, 12.0), *((x, WIDE) for x in COAT_X))
    )
    printed = (
        *(Words(6, TOP + k * APART + 7, row, 5.0, True) for k, row in enumerate(ROWS)),
        Words(COAT_X[0], TOP - 2.2, "one coat", 3.2),
        Words(COAT_X[1], TOP - 2.2, "two coats", 3.2),
        Words(BLACK_X - 12, TOP - 2.2, "bare", 3.2),
        *(Words(144, TOP + k * APART + 7, "_________________", 3.0) for k in range(len(ROWS))),
    )

    def measured(self, flat: Flat, coat_um: float = NORMAL_COAT_UM) -> list[Drawdown]:
        """The paints of the rows that were painted. coat_um: dry thickness of one coat.

        Raises:
            SettingError: a row is painted in part, or the colour over white is darker than over black.
        """
        paper = np.array([_paper_light(flat)] * 3)
        return [d for row in ROWS if (d := self._row(flat, row, paper, coat_um)) is not None]

    def _row(self, flat: Flat, row: str, paper: NDArray, coat_um: float) -> Drawdown | None:
        blocks = {p.name: flat.blocks(p).reshape(-1, 3) for p in self.places if p.name.startswith(f"{row} ")}
        means = {name: np.median(b, axis=0) for name, b in blocks.items()}
        bar = means[f"{row} bare black"]

        def painted(coats: int) -> bool:
            over = (means[f"{row} {coats} over black"], means[f"{row} {coats} over white"])
            return max(_far(over[0], bar), _far(over[1], paper)) > BARE_DE

        coats = [n for n in (1, 2) if painted(n)]
        if not coats:
            return None
        if coats == [2]:
            raise SettingError(f"row {row} has two coats but not one; paint one coat over both boxes on the left")
        names = [(f"{row} {n} over black", f"{row} {n} over white") for n in coats]
        pigment = pigment_of([(means[b], means[w]) for b, w in names], (bar, paper), coat_um)
        rng = np.random.default_rng(0)
        films = _films(pigment, coat_um)
        trials = []
        for _ in range(TRIALS):
            shaken = [
                tuple(means[n] + rng.normal(0, 1, 3) * blocks[n].std(axis=0) / np.sqrt(len(blocks[n])) for n in pair)
                for pair in names
            ]
            try:
                other = pigment_of([(s[0], s[1]) for s in shaken], (bar, paper), coat_um)
            except SettingError:
                continue
            trials.append(delta_e(_films(other, coat_um), films))
        off = float(np.sqrt(np.mean(np.square(trials)))) if trials else 0.0
        left = [
            delta_e(lab(xyz(pigment.film(n * coat_um, _spectrum(g)))), lab(xyz(_spectrum(means[name]))))
            for n, pair in zip(coats, names, strict=True)
            for g, name in zip((bar, paper), pair, strict=True)
        ]
        off = float(np.hypot(off, np.sqrt(np.mean(np.square(left)))))
        words = "" if off <= GOOD_DE else "Not sure: paint the row more evenly, and photograph it in even light."
        return Drawdown(
            row,
            _hex(pigment.film(coat_um, card_reflectance("black"))),
            _hex(pigment.film(coat_um, card_reflectance("white"))),
            coat_um,
            _hex(pigment.masstone),
            words,
            pigment.contrast_ratio(coat_um),
            off,
        )

    def graded(self, flat: Flat) -> Graded:
        """What was measured, and how sure it is."""
        found = self.measured(flat)
        if not found:
            raise SettingError("no row is painted; paint the card first")
        error = float(np.mean([d.off for d in found]))
        words = [
            f"Row {d.row}: one coat hides {100 * d.hiding:.0f} %; known within ΔE {d.off:.1f}. {d.words}".strip()
            for d in found
        ]
        rows = tuple({"place": d.row, **plain(d)} for d in found)
        return Graded(error, self.goodness(error), self.unit, tuple(words), rows, flat.troubles)

    def painted(self, rng: np.random.Generator) -> tuple[Mapping[str, NDArray], dict[str, Any]]:
        """Five paints, coats uneven by some hundredths."""
        out, truth = {}, {}
        for row, k in zip(ROWS[:5], rng.permutation(len(SWATCHES)), strict=False):
            pigment = from_swatch(SWATCHES[k], HIDINGS[k])
            for coats in (1, 2):
                um = NORMAL_COAT_UM * coats * float(np.exp(rng.normal(0, 0.02)))
                for ground, light in (("black", INK), ("white", PAPER)):
                    seen = pigment.film(um, np.full_like(pigment.K, light))
                    out[f"{row} {coats} over {ground}"] = xyz(seen) @ XYZ_TO_RGB.T
            truth[row] = {"colour": SWATCHES[k], "hiding": HIDINGS[k]}
        return out, {"rows": truth}


def _paper_light(flat: Flat) -> float:
    """The light of bare paper, all round the boxes."""
    return float(np.quantile(flat.reflectance[..., 1], 0.9))


def _far(one: NDArray, other: NDArray) -> float:
    return float(delta_e(lab(xyz(_spectrum(one))), lab(xyz(_spectrum(other)))))


CARD = Drawdowns()
