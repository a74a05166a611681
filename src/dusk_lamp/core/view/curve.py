"""The curve of how near a model comes to its colours against the minutes of work, as SVG to touch."""

from collections.abc import Sequence
from html import escape

WIDE, HIGH = 264.0, 132.0
LEFT, RIGHT, TOP, BOTTOM = 38.0, 10.0, 12.0, 24.0
LEAST_NEAR = 0.4  # where the axis of nearness begins, unless a plan is worse
GRID, WORDS, LINE, HERE = "#4a4740", "#b9b3a6", "#d9d4c8", "#f2b84b"


def front_svg(plans: Sequence[tuple[float, float, str]], here: int | None = None) -> str:
    """Plans as points: minutes, share near (0..1) and words of each, the least minutes first. here: the one that
    holds.

    Every point is a group with the class `touch`, its place in `data-place` and its words as title, so that a page
    can make it a button.
    """
    most = max(m for m, _, _ in plans)
    least = min(LEAST_NEAR, *(n for _, n, _ in plans))
    across, up = WIDE - LEFT - RIGHT, HIGH - TOP - BOTTOM

    def place(minutes: float, near: float) -> tuple[float, float]:
        return LEFT + across * minutes / most, TOP + up * (1 - (near - least) / (1 - least))

    out = []
    for near in (0.25, 0.5, 0.75, 1.0):
        if near >= least:
            _, y = place(0, near)
            out.append(f'<path d="M{LEFT} {y:.1f}H{WIDE - RIGHT}" stroke="{GRID}"/>')
            out.append(_words(LEFT - 4, y + 3.5, f"{100 * near:.0f} %", "end"))
    step = next(s for s in (15, 30, 60, 120, 300, 600, 1500) if most / s <= 5 or s == 1500)
    for k in range(int(most // step) + 1):
        x, _ = place(k * step, least)
        out.append(_words(x, HIGH - 8, f"{k * step} min" if k else "0", "middle"))
    points = [place(m, n) for m, n, _ in plans]
    path = "L".join(f"{x:.1f} {y:.1f}" for x, y in points)
    out.append(f'<path d="M{path}" fill="none" stroke="{LINE}" stroke-width="1.5"/>')
    for k, ((x, y), (_, _, words)) in enumerate(zip(points, plans, strict=True)):
        dot = f'<circle cx="{x:.1f}" cy="{y:.1f}" r="5" fill="{HERE if k == here else LINE}"/>'
        room = f'<circle cx="{x:.1f}" cy="{y:.1f}" r="13" fill="transparent"/>'  # a finger is broader than a point
        out.append(f'<g class="touch" data-place="{k}"><title>{escape(words)}</title>{room}{dot}</g>')
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE:.0f} {HIGH:.0f}" role="group" '
        f'aria-label="How near it comes, by minutes of work">{"".join(out)}</svg>'
    )


def _words(x: float, y: float, words: str, anchor: str) -> str:
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-size="10" fill="{WORDS}" text-anchor="{anchor}">{escape(words)}</text>'
    )
