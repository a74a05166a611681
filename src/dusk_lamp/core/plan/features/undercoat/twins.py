"""Touch-up twins: what mends a primed or a sprayed colour by brush, named before the work starts."""

from collections.abc import Sequence
from dataclasses import dataclass

from ....coat.coat import Coat
from ....paint.mix import SHINE, Mix, match
from ....paint.rack import Rack
from ....plain import rounded

BRUSHABLE = ("base", "layer")
TWIN, SAME_FINISH = 1.0, 0.3  # ΔE00 that nobody finds again; of the way from matt to gloss


@dataclass(frozen=True)
class Twin:
    """of: the mix that is primed or sprayed. mix: the one to brush; None where the rack has none. words: in a
    line."""

    of: Mix
    mix: Mix | None
    delta_e: float = rounded(2)
    words: str = ""


def twins_of(coats: Sequence[Coat], rack: Rack) -> list[Twin]:
    """A twin for every colour that is primed or sprayed, in the order they are laid.

    The same paint where a brush lays it as it is; else the nearest mix of base and layer paints of the same finish,
    within ΔE00 1.
    """
    out: list[Twin] = []
    known: set[Mix] = set()
    for coat in coats:
        mix = coat.mix
        if coat.muted or mix.clear or mix in known or coat.by.tool(coat.settings) == "brush":
            continue
        known.add(mix)
        if all(p.kind in BRUSHABLE for p in mix.paints):
            out.append(Twin(mix, mix, 0.0, f"{mix.words()}: the same by brush."))
            continue
        paints = [p for p in rack if p.kind in BRUSHABLE and abs(SHINE[p.of("finish")] - mix.finish) <= SAME_FINISH]
        best = match(mix.colour, paints)[0] if paints else None
        if best is not None and best.delta_e <= TWIN:
            out.append(
                Twin(
                    mix,
                    best.mix,
                    best.delta_e,
                    f"{mix.words()}: {best.mix.words()} by brush (ΔE {best.delta_e:.1f}).",
                )
            )
        else:
            off = "" if best is None else f"; the nearest, {best.mix.words()}, is ΔE {best.delta_e:.1f} off"
            way = "spray it again" if coat.by.from_afar else "prime the spot again from a cup"
            out.append(
                Twin(
                    mix,
                    None,
                    best.delta_e if best else 0.0,
                    f"{mix.words()}: no twin on the rack{off}. {way[0].upper()}{way[1:]}.",
                )
            )
    return out
