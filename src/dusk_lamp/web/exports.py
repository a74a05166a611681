"""Exports: PLY and GLB with the light on the vertices, a PNG of any view, the plan as JSON."""

import json
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from flask import Blueprint, Response, request
from sqlalchemy.orm import Session

from ..core.errors import SettingError
from ..core.paint.value import grey_hex, grey_srgb
from ..core.paint.whites import white_called
from ..core.plain import plain
from ..core.plan.document import document_of
from ..core.plan.features.undercoat.by_region import steps_by_region
from ..core.plan.registry import features
from ..core.plan.steps.step import rig_words, row_of
from ..core.sculpt.marking import Region
from ..core.sculpt.masks import mask_json
from ..core.view.camera import Camera
from ..core.view.formats import lit_glb, lit_ply, png_bytes
from ..core.view.raster import cut_out
from ..store import paints
from .editing import opened
from .limits import number_of
from .responses import download
from .sheets import seams_of, sheet_of
from .workshop import the_sculpt, workshop

blueprint = Blueprint("exports", __name__)
PICTURE_SIZE = (900, 1200)


@blueprint.get("/sculpts/<int:sculpt_id>/plan.json")
def plan_json(sculpt_id: int) -> Response:
    """The plan, as described in docs/formats.md."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        laid, plan = sheet_of(session, sculpt)
        site, document = plan.site, plan.context.plan
        spots = np.array(document.display.spots).reshape(-1, 3)
        content = {
            "sculpt": sculpt.name,
            "height_mm": round(site.surface.height, 2),
            "area_mm2": round(float(plan.bands.area_mm2.sum()), 1),
            "light": {**plain(document.light), "words": rig_words(document.light)},
            "exposure": plain(document.exposure),
            "hidden_mm2": round(plan.bands.hidden_mm2, 1),
            "greys": {
                **plain(document.greys),
                "values": plain(plan.bands.greys, 2),
                "cuts": plain(plan.bands.cuts, 3),
            },
            "school": plan.school,
            "within_half": plan.near and round(plan.near, 4),
            "whole": plain(plan.whole),
            "steps": [row_of(step, site) for step in plan.steps],
            "regions": steps_by_region(site.surface, site.marking, plan.bands, site.paintable),
            "display": {
                "azimuth": document.display.azimuth,
                "elevation": document.display.elevation,
                "spots_mm": plain(laid.placing.to_bench(spots), 3),
            },
            "seams": seams_of(sculpt, site, plan.value),
            "notice": plan.bands.notice,
        }
        return download(
            json.dumps(content, indent=2, ensure_ascii=False).encode(), "application/json", f"{sculpt.name} plan.json"
        )


@blueprint.get("/sculpts/<int:sculpt_id>/whole-plan.json")
def whole_plan(sculpt_id: int) -> Response:
    """The whole plan as `dusk-lamp plan` reads it: the same document, with the rack, the tools and the regions'
    spots, and with all coats as they are."""
    with workshop().store.session() as session:
        listed = (
            "undercoat" in the_sculpt(session, sculpt_id).document["settled"]
        )  # then no light is needed to lay it
        open_plan = opened(session, sculpt_id, sky=not listed)
        plan, site = open_plan.plan, open_plan.site
        if plan.sculpt.standing is None:
            raise SettingError("stand the sculpt up first")
        most = workshop().settings.most_samples or None
        plan = replace(
            plan,
            sculpt=replace(plan.sculpt, most_samples=most),
            tools=open_plan.context.tools,
            rack=tuple(open_plan.context.rack),
            regions=tuple(_with_colours(session, plan.regions)),
            settled=tuple(features()),
        )
    marking = {k: v for k, v in json.loads(mask_json(site.surface, site.marking)).items() if k != "regions"}
    content = {**document_of(plan), "marking": marking}
    name = f"{open_plan.sculpt.name} whole plan.json"
    return download(json.dumps(content, ensure_ascii=False).encode(), "application/json", name)


def _with_colours(session: Session, regions: Sequence[Region]) -> list[Region]:
    """Regions with the colours of recipes as they look: a file brings its paints, not its recipes."""
    out = []
    for region in regions:
        named = region.colour and not region.colour.startswith("#")
        mix = paints.colour_called(session, region.colour) if named else None
        recipe = mix is not None and len([n for n in mix.parts if n]) > 1 and white_called(region.colour) is None
        out.append(replace(region, colour=mix.colour.hex) if mix is not None and recipe else region)
    return out


@blueprint.get("/sculpts/<int:sculpt_id>/sculpt.<kind>")
def sculpt_file(sculpt_id: int, kind: str) -> Response:
    """The lit sculpt as PLY or GLB."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        site = plan.site
        grey = grey_srgb(plan.value)
        if kind == "glb":
            return download(lit_glb(site.surface, plan.value, grey), "model/gltf-binary", f"{sculpt.name}.glb")
        if kind != "ply":
            raise SettingError("the lit sculpt comes as ply or glb")
        marking = site.marking
        fields = {
            "light": plan.context.grey.light.total,
            "visible": plan.context.grey.light.visible,
            "value": plan.value,
            "red": grey,
            "green": grey,
            "blue": grey,
            "step": plan.bands.step,
            "region": marking.labels,
        }
        return download(
            lit_ply(site.surface, fields, marking.regions), "application/octet-stream", f"{sculpt.name}.ply"
        )


@blueprint.get("/sculpts/<int:sculpt_id>/view.png")
def view_png(sculpt_id: int) -> Response:
    """A large picture: `view` by name (front … top, lamp) or `azimuth` and `elevation`; `steps=1` for the ladder's
    greys; `ground` a Munsell value."""
    with workshop().store.session() as session:
        sculpt = the_sculpt(session, sculpt_id)
        _, plan = sheet_of(session, sculpt)
        site = plan.site
        ground = number_of(request.args.get("ground", "5"), "the ground", 0, 10)
        if "azimuth" in request.args:
            azimuth = number_of(request.args["azimuth"], "a view's direction", -360, 360)
            elevation = number_of(request.args.get("elevation", "0"), "a view's height", -90, 90)
            camera = Camera(azimuth, elevation)
        else:
            camera = Camera.named(request.args.get("view", "front"), plan.context.plan.light.lamp)
        value = plan.bands.greys[plan.bands.step] if request.args.get("steps") else plan.value
        level = int(grey_hex(ground)[1:3], 16)
        pixels = cut_out(site.surface, grey_srgb(value)[site.shown], camera, *PICTURE_SIZE, ground=level)
        return download(png_bytes(pixels[..., :3]), "image/png", f"{sculpt.name}.png")
