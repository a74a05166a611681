"""What the pages of the metal share."""

from dataclasses import replace
from typing import Any

from flask import Blueprint

from ....core.light.reflect import with_controls
from ....core.plain import built, plain
from ....core.plan.features.metal.feature import FEATURE
from ....core.plan.features.metal.wishes import Metal
from ...editing import OpenPlan

blueprint = Blueprint("metal", __name__)
TEXTS = ("school", "world", "drag", "mixes", "wash")
EDGE_SETTINGS = ("least", "line")


def with_settings(open_plan: OpenPlan, id_: int, settings: dict[str, Any]) -> Metal:
    """How a region shines as it is kept, with some settings of the shine or of its world; `drag` puts the lamp or the
    glow where the mirror ball shows it."""
    kept = FEATURE.kept(open_plan.context, id_)
    if "world" in settings:  # another one takes the place of a changed one
        kept = built(Metal, {**plain(kept), "world": settings["world"], "own": None}, "the metal")
    world = with_controls(kept.mirrors, settings, open_plan.context.view)
    kept = kept if world == kept.mirrors else replace(kept, own=world)
    known = plain(kept.shine)
    shine = {k: v for k, v in settings.items() if k in known and k not in ("view", "corrections", "cuts")}
    named = {k: v for k, v in settings.items() if k in ("school", "mixes", "wash")}
    return built(Metal, {**plain(kept), **named, "shine": {**known, **shine}}, "the metal")
