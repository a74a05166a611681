"""One palette for all stages: what edges, metal, glow, eyes and wear need comes from the pots and puddles that are
out already, where that is hardly seen (CP-35); and what stands in for a pot that is missing."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ...coat.coat import Coat
from ...datasets.prices import price
from ...paint.colour import delta_e
from ...paint.mix import Mix, match, only
from ...paint.rack import Paint, Rack
from ...plain import rounded

HARDLY_SEEN, NO_FURTHER = 2.0, 1.0  # ΔE00: just seen side by side, and not seen on a model; common practice
BRUSHED = ("base", "layer")  # kinds of paint that are brushed on, and mixed on the palette


def on_the_palette(coats: Sequence[Coat]) -> list[Mix]:
    """The puddles of coats: what is brushed on from base and layer paints, each once."""
    mixes = [c.mix for c in coats if not c.muted and c.by.tool(c.settings) == "brush" and not c.by.primes]
    return list(dict.fromkeys(m for m in mixes if not m.clear and all(p.kind in BRUSHED for p in m.paints)))


def from_what_is_out(new: Sequence[Coat], before: Sequence[Coat]) -> list[Coat]:
    """Coats with their mixes from the palette that the coats before them need anyway.

    A puddle that is there is taken where it is as near as the table says, further off for lines, specks and haze;
    else, for what would need another pot or a third paint, a mix of two pots that are out and as near. What stays as
    it was puts its own pots out for all of these coats.
    """
    puddles = on_the_palette(before)
    pots = {p.name: p for m in puddles for p in m.paints}
    stays = _taken(new, puddles, pots)
    return _taken(new, puddles, pots | {p.name: p for m in on_the_palette(stays) for p in m.paints})


def _taken(new: Sequence[Coat], known: Sequence[Mix], opened: Mapping[str, Paint]) -> list[Coat]:
    """Coats with their mixes from puddles that are there, and from pots that are out."""
    puddles, pots = list(known), dict(opened)
    shared: dict[tuple[str, Mix], Mix] = {}
    out = []
    for coat in new:
        if not on_the_palette([coat]):
            out.append(coat)
            continue
        key = coat.technique, coat.mix
        if key not in shared:
            # steps of one thing by one technique stay apart: none takes the puddle of another
            taken = [m for (by, _), m in shared.items() if by == coat.technique] + [c.mix for c in new]
            free = [p for p in puddles if p == coat.mix or p not in taken]
            same = price("same haze" if coat.by.fine else "same puddle")
            shared[key] = _shared(coat.mix, free, list(pots.values()), same)
        mix = shared[key]
        if mix not in puddles:
            puddles.append(mix)
        pots |= {p.name: p for p in mix.paints}
        out.append(coat if mix == coat.mix else replace(coat, mix=mix))
    return out


def palette_minutes(mixes: Sequence[Mix], out: Sequence[Mix]) -> list[float]:
    """To open the pots of each mix and put it together, beside the puddles that are out: nothing for one of those."""
    given, pots, pairs = set(out), {p for m in out for p in m.paints}, {frozenset(m.paints) for m in out}

    def minutes(mix: Mix) -> float:
        if mix in given:
            return 0.0
        neat, grown = len(mix.paints) == 1, frozenset(mix.paints) in pairs
        puddle = "neat puddle" if neat else "grown puddle" if grown else "mixed puddle"
        return price(puddle) + price("pot") * sum(p not in pots for p in mix.paints)

    known = {mix: minutes(mix) for mix in set(mixes)}
    return [known[mix] for mix in mixes]


def _shared(mix: Mix, puddles: Sequence[Mix], pots: Sequence[Paint], same: float) -> Mix:
    """A mix as it is taken from the palette. same: ΔE00 within which a puddle or pots that are there will do."""
    if mix in puddles or not pots:
        return mix
    nearest = min(puddles, key=lambda p: _apart(mix, p), default=mix)
    if _apart(mix, nearest) <= same:
        return nearest
    if len(mix.paints) <= 2 and all(p in pots for p in mix.paints):
        return mix
    best = match(mix.colour, pots, most=2)[0]
    return best.mix if best.delta_e <= same else mix


def _apart(one: Mix, other: Mix) -> float:
    return float(delta_e(one.colour.lab, other.colour.lab))


@dataclass(frozen=True)
class StandIn:
    """What stands in for a pot of a plan. pot: its name. mix: of other paints on the rack; None where there is none
    of its kind. delta_e: ΔE00 of the mix that is changed most by it."""

    pot: str
    mix: Mix | None
    delta_e: float = rounded(1)

    @property
    def words(self) -> str:
        """In a line."""
        if self.mix is None:
            return f"{self.pot}: nothing of its kind stands in; buy it, or plan again without it."
        seen = "hardly seen" if self.delta_e <= HARDLY_SEEN else f"ΔE {self.delta_e:.0f} at most"
        return f"{self.pot}: {self.mix.words()} ({seen})."


def stand_ins(coats: Sequence[Coat], rack: Rack) -> list[StandIn]:
    """For every pot that the coats are mixed from, in the order of use, what would stand in for it, and how far its
    mixes would then be off. A mix of pots that are out anyway goes before one that asks for another, where it is as
    near."""
    mixes = on_the_palette(coats)
    used = list(dict.fromkeys(p for m in mixes for p in m.paints))
    return [_stand_in(pot, mixes, [p for p in used if p != pot], rack) for pot in used]


def _stand_in(pot: Paint, mixes: Sequence[Mix], out: Sequence[Paint], rack: Rack) -> StandIn:
    every = [p for p in rack if p.kind in BRUSHED and p.name != pot.name]
    found = [match(only(pot).colour, paints, most=2)[0] for paints in (out, every) if paints]
    if not found:
        return StandIn(pot.name, None, 0.0)
    best = min(found, key=lambda m: m.delta_e)
    chosen = found[0] if found[0].delta_e <= best.delta_e + NO_FURTHER else best
    return StandIn(
        pot.name, chosen.mix, max(_apart(m, _without(m, pot, chosen.mix)) for m in mixes if pot in m.paints)
    )


def _without(mix: Mix, pot: Paint, instead: Mix) -> Mix:
    """A mix with so many parts of another mix in the place of one of its pots."""
    whole = sum(instead.parts)
    paints: dict[str, tuple[Paint, int]] = {}
    for paint, n in zip(mix.paints, mix.parts, strict=True):
        for stand_in, part in (
            [(paint, n * whole)]
            if paint != pot
            else [(p, n * k) for p, k in zip(instead.paints, instead.parts, strict=True)]
        ):
            paints[stand_in.name] = stand_in, paints.get(stand_in.name, (stand_in, 0))[1] + part
    return Mix(tuple(p for p, _ in paints.values()), tuple(n for _, n in paints.values()))
