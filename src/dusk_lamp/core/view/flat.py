"""Flat drawings to copy, ten times as large as life, as SVG. As one looks at the model: its right eye is at the
left."""

from collections.abc import Sequence
from html import escape

from numpy.typing import NDArray

from ..plan.features.face.eyes import Eye, Face
from ..plan.features.glow.lens import Lens
from ..plan.features.metal.trainer import Trainer

TIMES = 10.0
ROOM_MM = 0.8  # round what is drawn
INK, WHITE, IRIS, LINE = "#1d1a18", "#e9e2d2", "#4a5a66", "#8a8175"


def face_svg(face: Face) -> str:
    """Two eyes at 10×, each with the dot where it goes."""
    width, gap = face.left.width, face.left.width
    high = face.left.height + 2 * ROOM_MM
    wide = 2 * width + gap + 2 * ROOM_MM
    middle = high / 2
    eyes = "".join(
        _eye(eye, ROOM_MM + width / 2 + k * (width + gap), middle, face.dots)
        for k, eye in enumerate((face.right, face.left))
    )
    names = "".join(
        f'<text x="{ROOM_MM + width / 2 + k * (width + gap):.3f}" y="{high - 0.12:.3f}" font-size="0.3" '
        'text-anchor="middle" '
        f'fill="{INK}" font-family="sans-serif">its {side} eye</text>'
        for k, side in enumerate(("right", "left"))
    )
    return drawing(
        wide, high, eyes + names, "Where the pupils go, as one looks at the model, ten times as large as life"
    )


def _eye(eye: Eye, x: float, y: float, dots: bool) -> str:
    a, b = eye.width / 2, eye.height / 2
    almond = (
        f"M{x - a:.3f} {y:.3f}Q{x:.3f} {y - 2 * b:.3f} {x + a:.3f} {y:.3f}Q{x:.3f} {y + 2 * b:.3f} {x - a:.3f} "
        f"{y:.3f}Z"
    )
    if not dots:
        return f'<path d="{almond}" fill="{INK}" opacity="0.6"/>'
    cx, cy, clip = x + eye.toward_right, y - eye.up, f"eye-{eye.side}"
    return (
        f'<clipPath id="{clip}"><path d="{almond}"/></clipPath><path d="{almond}" fill="{WHITE}"/>'
        f'<g clip-path="url(#{clip})"><circle cx="{cx:.3f}" cy="{cy:.3f}" r="{eye.iris / 2:.3f}" fill="{IRIS}"/>'
        f'<circle cx="{cx:.3f}" cy="{cy:.3f}" r="{eye.pupil / 2:.3f}" fill="{INK}"/></g>'
        f'<path d="{almond}" fill="none" stroke="{INK}" stroke-width="0.08"/>'
        f'<path d="M{x:.3f} {y - b - 0.2:.3f}V{y + b + 0.2:.3f}M{x - a - 0.2:.3f} {y:.3f}H{x + a + 0.2:.3f}" '
        f'stroke="{LINE}" '
        f'stroke-width="0.02" stroke-dasharray="0.1 0.08"/>'
    )


def drawing(wide: float, high: float, inside: str, title: str) -> str:
    """An SVG whose user unit is a millimetre of the model, drawn ten times as large."""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide * TIMES:.2f}mm" height="{high * TIMES:.2f}mm" '
        f'viewBox="0 0 {wide:.3f} {high:.3f}"><title>{title}</title><rect width="{wide:.3f}" height="{high:.3f}" '
        f'fill="#f6f2ea"/>{inside}</svg>'
    )


def lens_svg(lenses: Sequence[Lens]) -> str:
    """Lenses at 10×, side by side, as one looks at the model."""
    boxes = [(lens.outline.min(axis=0), lens.outline.max(axis=0)) for lens in lenses]
    high = max(float(top[1] - low[1]) for low, top in boxes) + 2 * ROOM_MM
    x, inside = ROOM_MM, ""
    for lens, (low, top) in zip(lenses, boxes, strict=True):
        inside += (
            f'<g transform="translate({x - low[0]:.3f} {high / 2 + (top[1] + low[1]) / 2:.3f}) scale(1 '
            f'-1)">{_lens(lens)}</g>'
        )
        x += float(top[0] - low[0]) + ROOM_MM
    return drawing(
        x, high, inside, "Base, crescents, line and dot, as one looks at the model, ten times as large as life"
    )


def _lens(lens: Lens) -> str:
    width = 0.02 * lens.width
    drawn = f'<path d="{_path(lens.outline)}Z" fill="{lens.colours[0]}" stroke="{INK}" stroke-width="{width:.3f}"/>'
    for crescent, colour in zip(lens.crescents, lens.colours[1:], strict=False):
        drawn += f'<path d="{_path(crescent)}Z" fill="{colour}"/>'
    drawn += f'<path d="{_path(lens.line)}" fill="none" stroke="{lens.colours[-2]}" stroke-width="{width:.3f}"/>'
    x, y, radius = lens.dot
    return drawn + f'<circle cx="{x:.3f}" cy="{y:.3f}" r="{radius:.3f}" fill="{lens.colours[-1]}"/>'


def _path(points: NDArray) -> str:
    return "M" + "L".join(f"{x:.3f} {y:.3f}" for x, y in points)


def facet_svg(trainer: Trainer) -> str:
    """A facet unrolled flat at 10×, its gradient along it, a mark and a name where each mix belongs."""
    high = max(trainer.width, 1.0)
    wide, text = trainer.length + 2 * ROOM_MM, 0.09 * (trainer.length + 2 * ROOM_MM) ** 0.5 + 0.15
    stops = "".join(f'<stop offset="{s.share:.3f}" stop-color="{s.colour}"/>' for s in trainer.stops)
    inside = (
        f'<defs><linearGradient id="along">{stops}</linearGradient></defs><rect x="{ROOM_MM}" y="{ROOM_MM}" '
        f'width="{trainer.length:.3f}" height="{high:.3f}" fill="url(#along)" stroke="{INK}" stroke-width="0.04"/>'
    )
    y = ROOM_MM + high + 0.3
    for k, (share, name, colour) in enumerate(trainer.mixes):
        x = ROOM_MM + share * trainer.length
        row = y + (k + 0.5) * 1.5 * text
        inside += (
            f'<path d="M{x:.3f} {ROOM_MM:.3f}V{y:.3f}" stroke="{INK}" stroke-width="0.03" stroke-dasharray="0.15 '
            '0.1"/>'
            f'<rect x="{ROOM_MM}" y="{row - 0.8 * text:.3f}" width="{text:.3f}" height="{text:.3f}" fill="{colour}" '
            f'stroke="{INK}" '
            f'stroke-width="0.03"/><text x="{ROOM_MM + 1.4 * text:.3f}" y="{row:.3f}" font-size="{text:.3f}" '
            f'fill="{INK}" '
            f'font-family="sans-serif">{k + 1}. {escape(name)}, {100 * share:.0f} % along</text>'
        )
    tall = y + (len(trainer.mixes) + 0.5) * 1.5 * text
    return drawing(wide, tall, inside, "A facet unrolled, its mixes along it, ten times as large as life")
