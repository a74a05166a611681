"""Figures that stay as they are unless a change is meant: `python -m tests.core.figures` writes them anew.

Physics and facts of the trade are tested against something outside, in the other tests. Here is kept what techniques,
schools, ways, features, lights, targets and drawings come to on two small sculpts. A difference need not be an error;
it says that plans come out another way, and belongs into the change log.
"""

import json
import re
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import numpy as np
from pypdf import PdfReader

from dusk_lamp.core.coat.coat import usual_coat
from dusk_lamp.core.coat.finish import films_of
from dusk_lamp.core.coat.stack import appearance, looks
from dusk_lamp.core.coat.technique import techniques
from dusk_lamp.core.light import emitter, flame, heat, planes, reflect, sky, tint
from dusk_lamp.core.light.key import key_light
from dusk_lamp.core.light.lamp import Lamp
from dusk_lamp.core.light.rig import light_on
from dusk_lamp.core.paint.mix import Mix, only
from dusk_lamp.core.plan.brief import seen_after
from dusk_lamp.core.plan.economy.budget import Budget
from dusk_lamp.core.plan.economy.candidates import candidates_of, scores
from dusk_lamp.core.plan.economy.groups import groups_of
from dusk_lamp.core.plan.economy.options import RegionPool as RegionOptions
from dusk_lamp.core.plan.features.colour.ways import ways
from dusk_lamp.core.plan.features.edges import lines as edges
from dusk_lamp.core.plan.features.face.eyes import face_of
from dusk_lamp.core.plan.features.face.mouth import mouth_coats
from dusk_lamp.core.plan.features.finish.feature import rim_spots
from dusk_lamp.core.plan.features.glow import glows as glow
from dusk_lamp.core.plan.features.glow.lens import lenses
from dusk_lamp.core.plan.features.metal.painted import holds, layers_of, metal_values
from dusk_lamp.core.plan.features.metal.schools import metal_schools
from dusk_lamp.core.plan.features.metal.schools.school import Shine, facets_of, value_of
from dusk_lamp.core.plan.features.metal.trainer import unrolled
from dusk_lamp.core.plan.features.metal.wishes import Metal
from dusk_lamp.core.plan.features.undercoat.pots import pots_from
from dusk_lamp.core.plan.features.undercoat.schools import school_title, schools
from dusk_lamp.core.plan.features.undercoat.schools.school import Kit, more_dark
from dusk_lamp.core.plan.features.undercoat.spray_fit import fit
from dusk_lamp.core.plan.features.wear.feature import WearWishes
from dusk_lamp.core.plan.nearness import nearness
from dusk_lamp.core.plan.outcome import outcome
from dusk_lamp.core.plan.palette.puddles import palette_of
from dusk_lamp.core.plan.palette.share import from_what_is_out, stand_ins
from dusk_lamp.core.plan.run import laid
from dusk_lamp.core.plan.steps import gradient
from dusk_lamp.core.plan.steps.cards import cards_of
from dusk_lamp.core.sculpt import brush, curvature, display, parts, pieces, relief, texture
from dusk_lamp.core.sculpt import regions as growth
from dusk_lamp.core.sculpt.decimate import clustered
from dusk_lamp.core.sculpt.facets import facets
from dusk_lamp.core.sculpt.geodesic import along_the_skin
from dusk_lamp.core.sculpt.marking import Marking, Region
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.mesh import Mesh
from dusk_lamp.core.sculpt.planes import planes_of
from dusk_lamp.core.sculpt.stand import Standing, guess_units, guess_up, stand
from dusk_lamp.core.sculpt.surface import quick_samples
from dusk_lamp.core.target import exposure, greys, hue, local, scheme
from dusk_lamp.core.target.target import small_lights, target
from dusk_lamp.core.view import flat, formats, reading, sheen, step_picture, strokes
from dusk_lamp.core.view.camera import Camera
from dusk_lamp.core.view.curve import front_svg
from dusk_lamp.core.view.raster import colour_picture, cut_out
from dusk_lamp.core.view.sheet import plan_pdf, task_words
from dusk_lamp.core.view.sheet_facts import SheetFacts
from dusk_lamp.core.workplace.tools import Tools

from ..shapes import RACK
from .figure_site import (
    LAMP,
    LISTED,
    RIG,
    aim,
    ball_site,
    context,
    figure,
    figure_site,
    of_coats,
    replace_budget,
    rounded,
    task,
    whole_run,
)
from .figures_of_the_day import OF_THE_DAY

HERE = Path(__file__).parent.parent / "data" / "figures.json"
INK = re.compile(r"[\d. ]+ (?:g|G|rg|RG|w)\b")  # greys, colours and widths in a page's drawing
NUMBERS = re.compile(r"^[A-Z][A-Z0-9_]*$")


# --- the rooms
def coat():
    site, out = figure_site(), {}
    finish = np.linspace(0, 1, len(site)).astype(np.float32)
    for name, by in techniques().items():
        mix = Mix((RACK.find("Soot"), RACK.find("Gull")), (1, 2))
        usual = usual_coat(name, mix)
        given = [usual.settings]
        for setting, allowed in by.described().items():
            if allowed.options:
                given += [replace(usual.settings, **{setting: o}) for o in allowed.options[1:3]]
            elif allowed.high is not None and isinstance(getattr(usual.settings, setting), int | float):
                now = getattr(usual.settings, setting)
                more = now + 1 if isinstance(now, int) else min(allowed.high, now * 1.5 + 0.1)
                given.append(replace(usual.settings, **{setting: more}))
        rows = []
        for settings in given:
            try:
                own = replace(usual, settings=settings)
                film = own.film(site, finish)
            except ValueError:
                continue
            rows.append(
                [
                    figure(film),
                    figure(own.roughly(site, finish)),
                    by.how(settings),
                    by.where_from(settings),
                    figure(by.facts(settings, site)),
                    [rounded(by.hand_minutes(settings, mm2, spotted)) for mm2 in (20, 400) for spotted in (0, 1)],
                    rounded(by.bottle_ml(settings, film, site.areas, own.solids)),
                    figure(by.warnings(settings, film, mix)),
                    [by.coats(settings, mix), rounded(by.water(settings)), rounded(by.drying(settings, mix))],
                    figure(by.cautions(settings, mix)),
                    by.on_finish(0.1),
                ]
            )
        out[name] = rows
    stack = [usual_coat("brush", only(RACK.find(n))) for n in ("Gull", "Dew Varnish", "Tin", "Cockle Red")]
    films = films_of(site, stack)
    out["stack"] = [figure(x) for x in looks(appearance(list(zip(stack, films, strict=True)), len(site)))]
    return out


def plan():
    done, own = whole_run(), context()
    site = own.site
    rows = [
        [s.title, s.purpose, s.goes_on, s.how, s.thinning_words, s.drops_words, figure(s.film_um), figure(s.ml)]
        + [rounded(v) for v in (s.hand_minutes, s.wait_minutes, s.set_up_minutes, s.clean_minutes)]
        + [figure(s.before), figure(s.after), figure(s.warnings), figure(s.dial)]
        for s in done.steps
    ]
    crests = edges.crests_of(site, LAMP, (0, 8))
    face_of(site.surface, np.array([1.2, -3.75, 19.4]), np.array([-1.2, -3.7, 19.4]))
    found = fit(site, aim().value, LAMP, only(RACK.find("Pitch Primer")), pots_from(RACK).greys, most=4)
    grey = [only(RACK.find(n)) for n in ("Soot", "Gull", "Chalk")]
    return {
        "steps": rows,
        "said": [[d.name, d.coats, d.words] for d in done.done],
        "films": [figure(f) for f in done.films],
        "edges": [figure(crests.crests), len(crests.strokes), rounded(crests.minutes), rounded(crests.total_mm)],
        "edge coats": of_coats(edges.edge_coats(task(2), LAMP), site),
        "mouth": of_coats(
            mouth_coats(site, np.array([1.2, -3.75, 19.4]), np.array([-1.2, -3.7, 19.4]), RACK, True), site
        ),
        "fit": [figure(found.coats), figure(outcome(site, found.coats, aim().value))],
        "gradients": [
            figure(gradient.between(a, b, mm)) for a, b in zip(grey, grey[1:], strict=False) for mm in (5, 60)
        ],
        "tools": [
            figure(Tools()),
            Tools(airbrush=False).lack("airbrush"),
            rounded(Tools(dryer=True).wait(30, "layer")),
        ],
        "glow": [
            rounded(glow.glow_reach(emitter.Source("ball", middle=(0, -8, 12), radius=1.0), 4 * np.pi, 3.0, 0.05)),
            rounded(glow.light_of_value(6.0, exposure.Exposure(), 1.3)),
            rounded(glow.readable(0.3, exposure.Exposure(), 1.3)),
        ],
    }


def plan_economy():
    own, _ = laid(replace_budget(None))
    numbers = list(range(1, 6))
    groups = groups_of(own, numbers)
    paints = [p for p in RACK if p.kind in ("base", "layer")][:14]
    found = candidates_of(paints, groups)
    budget = Budget.usual(60)
    pool = list(range(0, len(found.lab), 7))
    options = [RegionOptions(k, g, found, pool, scores(found, g)) for k, g in enumerate(groups)]
    best = [o.best(o.within(pool), step, blends) for o in options for step in (0.5, 2.0) for blends in (True, False)]
    coats = [
        usual_coat("brush", Mix((RACK.find("Soot"), RACK.find("Gull")), p), "x", "colour") for p in ((1, 1), (1, 4))
    ]
    soot, gull, heron = (RACK.find(n) for n in ("Soot", "Gull", "Heron"))
    chalk = RACK.find("Chalk")
    wanted = (Mix((heron, gull), (1, 3)), Mix((soot, gull), (5, 19)), Mix((soot, chalk), (4, 1)), only(heron))
    edge = [usual_coat("brush", mix, "edge", "edges") for mix in wanted]
    few = []
    for k, g in enumerate(groups):  # three puddles of its own, far apart: they are blended
        near = scores(found, g)
        own = [int(np.argmin(np.linalg.norm(found.lab - g.lab[at], axis=1))) for at in (0, len(g.lab) // 2, -1)]
        region = RegionOptions(k, g, found, sorted(set(own)), near)
        few += [region.best(region.within(sorted(set(own))), step, True) for step in (0.001, 0.02, 0.2)]
    return {
        "groups": figure(groups),
        "candidates": [figure(found.lab), [found.mix(k).words() for k in pool[:20]]],
        "options": figure(best),
        "blended": figure(few),
        "budgets": figure([Budget.usual(m) for m in (45, 120, 240)]),
        "worth": [rounded(Budget.usual(m).worth) for m in (30, 60, 120, 300)],
        "palette": figure(palette_of([c.mix for c in coats], [0.05, 0.2], 22.0)),
        "shared": figure([c.mix.words() for c in from_what_is_out(edge, coats)]),
        "stand-ins": figure(stand_ins([*coats, *edge], RACK)),
        "budget": figure(budget),
    }


def plan_ways():
    out, site = {}, figure_site()
    for name, way in ways().items():
        for number in (2, 3, 4):
            if not way.suits(site.marking.regions[number - 1].material):
                continue
            own = task(number)
            coats = way.coats(own)
            out[f"{name} {number}"] = [of_coats(coats, site), figure(nearness(own, seen_after(own, coats)))]
    for under in (0.05, 0.7):
        own = task(2, under)
        out[f"bare {under}"] = figure(nearness(own, own.under_here))
    return out


def plan_metal():
    site, out = figure_site(), {}
    own = site.labels == 4
    for name, school in metal_schools().items():
        for shine in (Shine(), Shine((40.0, 20.0), 0.6, 0.7, 0.5, 1.2, 1.6)):
            for lamp in (LAMP, Lamp(-60, 20)):
                share = school.shares(site, shine, reflect.world_called("dusk"), lamp)
                out.setdefault(name, []).append([figure(share), figure(value_of(share, shine))])
    metal = Metal("facet", "red sky")
    value = metal_values(site, metal, LAMP)
    out["holds"] = [
        figure(holds(site, own, m, LAMP)) for m in (metal, Metal("lamp", "noon"), Metal("layered", "dusk"))
    ]
    for mixes in ("nearest mixes", "customary steel ladder"):
        out[mixes] = of_coats(layers_of(task(4), replace(metal, mixes=mixes, wash="a dark wash"), value), site)
    found = facets_of(site, metal.shine)
    out["trainer"] = [
        figure(unrolled(site, f, value, metal, [p for p in RACK if p.kind == "base"])) for f in found[:3]
    ]
    return out


def plan_schools():
    out, site = {}, figure_site()
    kits = {
        "all": Tools(),
        "no airbrush": Tools(airbrush=False),
        "by hand": Tools(airbrush=False, can=False),
        "weak": Tools(needles=(0.4,), highest_psi=20),
    }
    for lamp in (LAMP, Lamp(0, -40)):
        for kind, tools in kits.items():
            kit = Kit(site.surface, lamp, pots_from(RACK), tools)
            for name, school in schools().items():
                if not school.lack(kit):
                    coats = school.coats(kit)
                    out[f"{name} {kind} {lamp.elevation:g}"] = figure(
                        [(c.technique, c.mix.words(), c.label, c.settings) for c in [*coats, *more_dark([], kit)]]
                    )
                else:
                    out[f"{name} {kind}"] = school.lack(kit)
    out["titles"] = [school_title(n) for n in (*schools(), "fit", "nothing")]
    return out


def plan_stages():
    own, done = context(), whole_run()
    out = {
        name: [figure(own.feature(name).items(own)), of_coats([c for c in done.coats if c.stage == name], own.site)]
        for name in ("undercoat", "colour", "metal", "edges", "face", "glow", "wear", "finish", "prepare")
    }
    lens = own.site.marking.ids[5]
    wishes = own.wishes("glow").glows
    stage = own.feature("glow")
    out["glow"] = [figure(stage.row(own, w, own.target().value, {})) for w in wishes]
    out["new glows"] = [
        figure(stage.new(own, kind, 7, **given))
        for kind, given in (
            ("region", {"region": lens}),
            ("under", {}),
            ("left", {}),
            ("ball", {"place": (0.0, -4.0, 10.0), "out": (0.0, -1.0, 0.0), "off": 3.0}),
            ("hot metal", {"place": (7.5, -3.0, 21.0), "out": (0.0, 0.0, 1.0), "off": 0.0}),
        )
    ]
    out["lens"] = figure(own.feature("glow").lens(own, lens))
    out["rim"] = figure(rim_spots(own.site))
    out["target"] = [figure(own.target().value), figure(own.target().rgb), figure(own.target("colour").rgb)]
    out["nothing wished"] = [
        figure(own.on(own.plan.with_wishes("wear", WearWishes(amounts={}))).feature("wear").items(own)),
        figure(own.feature("colour").near(own.with_coats(done.coats))),
    ]
    return out


def sculpt():
    site = figure_site()
    surface, bends = site.surface, site.bends
    spot = np.array([0.0, -4.0, 10.0])
    raw = Mesh(surface.points, surface.faces)
    tree = pieces.pieces_of(surface, site.paintable, bends)
    whole = mend(raw)
    seam = parts.seams(surface, [parts.Part(f"Part {k}", 0, k) for k in range(6)], site.paintable)
    crests = relief.lines(surface, None, bends)
    return {
        "relief": [
            figure(x) for x in (relief.cavity(surface), relief.exposed(surface), curvature.mean_curvature(surface))
        ],
        "lines": [
            [len(crests), rounded(sum(c.length for c in crests)), sum(c.convex for c in crests)],
            figure(relief.lengths(crests, bends, aim().value, site.labels, 5)),
        ],
        "brush": [
            figure(brush.dab(surface, spot, np.array([0.0, -1.0, 0.0]), 2.0, False)),
            *(figure(brush.by_facing(surface, w)) for w in brush.WAYS),
            figure(brush.likeness(surface, bends)),
            figure(brush.evened(bends, site.labels == 3)),
            figure(brush.filled(bends, site.labels == 3, site.labels == 2, surface.areas)),
        ],
        "grown": [figure(growth.grow(surface, spot, c, bends)) for c in (20.0, 40.0, 90.0)],
        "widened": [figure(growth.widened(surface, site.labels == 3, n)) for n in (-2, 1, 3)],
        "tree": [figure(tree.children), figure(tree.cost), figure(tree.area), tree.base],
        "cut": [figure(tree.cut(n)) for n in (3, 6, 12)],
        "facets": figure(
            [(f.kind, f.mm2, f.length, f.width, f.hollow, f.neighbours) for f in facets(surface, bends)]
        ),
        "planes": [figure(planes_of(raw, least).mm2) for least in (1.0, 8.0)],
        "parts": [figure(parts.pull(surface, 6)), figure(parts.areas(surface, 6, site.paintable)), figure(seam)],
        "stand": [
            [[g.up, g.reason] for g in guess_up(raw)],
            *(figure(guess_units(t)) for t in (0.03, 1.2, 28, 700)),
            figure(stand(raw, Standing("y", "z", 40)).vertices),
        ],
        "mended": figure(whole.findings),
        "texture": figure(texture.texture_mm(surface)),
        "skin": figure(along_the_skin(surface, bends, spot[None], 12.0)),
        "quick": [figure(quick_samples(surface, 600)[0]), figure(clustered(raw, 900)[0].vertices)],
        "seen": [figure(display.seen_from(surface, a, e)) for a, e in ((0, 8), (120, 40))],
    }


def view():
    site, done = figure_site(), whole_run()
    levels = np.clip(np.column_stack([aim().value * 25] * 3), 0, 255).astype(np.uint8)
    shot = step_picture.plan_snapshot(site, Camera(20, 10), 120, 150, 24.0)
    face = face_of(site.surface, np.array([1.2, -3.75, 19.4]), np.array([-1.2, -3.7, 19.4]))
    drawn = lenses(site, 5, LAMP, 0.2)
    metal = Metal("facet", "red sky")
    value = metal_values(site, metal, LAMP)
    bases = [p for p in RACK if p.kind == "base"]
    trained = unrolled(site, facets_of(site, metal.shine)[0], value, metal, bases)
    read = reading.reading(site, aim().value, aim().lab, Camera(0, 8), locals_=context().locals)
    film = done.films[2]
    puddles = [(s.hex, s.paint, f"step {s.number}") for s in done.steps[:9]]
    facts = SheetFacts(
        "Lamp keeper",
        "From above.",
        22.4,
        900.0,
        "Mind this.",
        ["A seam of 12 mm."],
        models=2,
        cards=cards_of(site, done.coats),
        pots=["Soot", "Gull"],
        puddles=puddles,
        twins=["Fog by Gull + Soot 3:1."],
        mixing="9 of them are mixed",
    )
    picture = formats.png_bytes(np.full((30, 24, 3), 120, np.uint8))
    pdf = PdfReader(BytesIO(plan_pdf(facts, done.steps, lambda k, v: picture, picture)))
    drawings = [page.get_contents().get_data().decode("latin-1") for page in pdf.pages]
    finish = np.linspace(0, 1, len(site)).astype(np.float32)
    return {
        "pictures": [
            figure(cut_out(site.surface, levels, Camera(18, 8), 64, 80)),
            figure(colour_picture(site.surface, levels, Camera(60, 20), 40, 50)),
            figure(step_picture.where_it_shows(film)),
            figure(step_picture.step_picture(site, shot, Camera(20, 10), levels, step_picture.where_it_shows(film))),
            figure(step_picture.look_picture(site, shot, levels[:, 0])),
            figure(step_picture.sheet_shot(site, Camera(90, 10), Camera(0, 8)).seen),
        ],
        "drawings": {
            "face": numbers_in(flat.face_svg(face)),
            "lens": numbers_in(flat.lens_svg(drawn)),
            "facet": numbers_in(flat.facet_svg(trained)),
            "edges": numbers_in(edges.drawn_svg(edges.crests_of(site, LAMP, (0, 8)), (0, 8))),
            "front": numbers_in(front_svg([(30, 0.5, "a"), (60, 0.7, "b"), (120, 0.9, "c")], 1)),
        },
        "reading": [figure(read), rounded(reading.michelson(np.array([0.1, 0.5]))), rounded(reading.blur_mm(400))],
        "borders": figure(reading.borders_of(site, aim().value)),
        "sheen": figure(
            sheen.with_sheen(levels, site.surface, finish, 1 - finish, LAMP.direction, np.array([0, -1.0, 0.1]))
        ),
        "arrows": figure(strokes.arrows(shot, site.surface.points[:, 2].astype(np.float32), film > 0)),
        "sheet": [" ".join(page.extract_text().split())[:400] for page in pdf.pages],
        "sheet places": [
            figure(str(sorted({(round(m[4]), round(m[5])) for m in _places(page)}))) for page in pdf.pages
        ],
        "sheet drawn": [numbers_in(drawn) for drawn in drawings],
        "sheet inks": [sorted(Counter(INK.findall(drawn)).items())[:LISTED] for drawn in drawings],
        "tasks": [task_words(t) for s in done.steps for t in (*s.before, *s.after)][:6],
        "files": [
            figure(np.frombuffer(formats.png_bytes(levels[:100].reshape(10, 10, 3)), np.uint8)[:40]),
            len(formats.lit_glb(site.surface, aim().value, levels[:, 0])),
            len(formats.ply_bytes(site.surface.points, site.surface.faces, {"value": aim().value}, [])),
        ],
    }


def _places(page):
    found = []
    page.extract_text(visitor_text=lambda text, cm, tm, font, size: found.append(tm) if text.strip() else None)
    return found


def numbers_in(drawing):
    """The numbers of a drawing, the first of them one by one."""
    numbers = [float(n) for n in re.findall(r"-?\d+\.?\d*", drawing)]
    return [len(numbers), *(rounded(n) for n in numbers[:150]), rounded(sum(numbers))]


def target_():
    site, rig = figure_site(), RIG
    half = np.linspace(0, 1, len(site)).astype(np.float32)
    out = {
        "ladders": [
            figure(local.colour_ladder(local.usual_local(m, a, c)))
            for m, a, c in (
                ("cloth", "important", "#2d5c93"),
                ("skin", "focal point", None),
                ("metal", "quiet", None),
            )
        ],
        "path": figure(local.colour_ladder(local.Local("#a02020", "cloth", dark="#3a0a20", bright="#ffb070"))),
        "paths": [figure(hue.usual_path(c)) for c in ("#a02020", "#e0c020", "#2d5c93", "#3f9f6a", "#808080")],
        "exposure": [
            figure(exposure.value_of_light(np.linspace(0, 1.4, 30).astype(np.float32), e, 1.2))
            for e in (exposure.Exposure(), exposure.Exposure(2.0, 9.0, 1.4))
        ],
        "laid between": figure(exposure.laid_between(np.linspace(0, 9, 20), exposure.Exposure(), 2.0, 7.0)),
        "bands": figure(
            greys.lay_bands(site.surface, aim().value, greys.Greys(), exposure.Exposure(), site.paintable)
        ),
        "histogram": figure(greys.value_histogram(site.surface, aim().value, site.paintable)),
        "small": figure(small_lights(site, half, 0.7) - half),
        "none small": figure(small_lights(site, half, 0.0) - half),
        "black": figure(local.colour_ladder(local.Local("#000000", "cloth"))),
        "other colours": figure(aim().with_rgb(aim().rgb * np.float32(0.6)).value),
        "schemes": [
            figure(scheme.schemes_of_words(w)) for w in (["warm"], ["cold", "dark"], ["bright", "calm", "sea"])
        ],
        "of a picture": figure(scheme.schemes_of_picture(["#203040", "#a05020", "#d0c090", "#507050"])),
        "named": figure(
            scheme.named_by_place(
                Marking(site.labels, tuple(Region(f"Guess {k}") for k in range(1, 6))), site.surface, site.paintable
            ).regions
        ),
        "in a scheme": figure(
            scheme.in_scheme(site.marking.regions, [5, 4, 3, 2, 1], scheme.schemes_of_words(["warm"])[0], RACK)
        ),
    }
    for tints in (None, tint.Tints("#ffd9a8", "#a8c8ff", "#ffffff")):
        colours = [local.usual_local("stone"), *(local.local_of(r) for r in site.marking.regions)]
        found = target(site, rig, colours, tints or tint.Tints())
        out[f"target {tints is not None}"] = [figure(found.value), figure(found.rgb), figure(found.lab)]
    return out


def light():
    site, small = figure_site(), ball_site()
    surface = site.surface
    source = emitter.Source("ball", middle=(0.0, -8.0, 12.0), radius=1.0)
    glow_ = emitter.glow_of(site, source)
    lens = emitter.glow_of(site, emitter.Source("region", region=5))
    cloak = emitter.glow_of(site, emitter.Source("region", region=2))
    plane = planes.plane_at(surface, "under")
    glow_plane = emitter.glow_of(site, plane)
    lit = light_on(site, RIG)
    hot = heat.heated(site, [(7.5, -3.0, 21.0)], 9.0)
    burning = flame.flamed(site, [(0.0, -3.0, 19.0)], 6.0)
    world = reflect.world_called("by the fire")
    return {
        "key": [figure(key_light(surface, lamp, 8).light) for lamp in (LAMP, Lamp(200, -10, 30))],
        "sky": [figure(sky.sky_light(surface, site.visibility, kind)) for kind in ("uniform", "overcast")],
        "rig": [figure(lit), rounded(RIG.full)],
        "dimmed": figure(lit.dimmed(0.4).total),
        "ball": [figure(glow_.factor), figure(glow_.mask)],
        "regions": [[figure(g.factor), figure(g.visible), rounded(g.area), figure(g.mask)] for g in (lens, cloak)],
        "plane": [figure(glow_plane.factor), figure(plane)],
        "heat": [
            figure(hot.heat),
            figure(hot.band),
            figure(hot.black),
            figure(hot.colour),
            figure(heat.widths(9.0, 0.8)),
        ],
        "flame": figure(burning),
        "worlds": {
            name: [
                rounded(own.brightest),
                figure(own.seen(np.random.default_rng(2).normal(size=(50, 3)))),
                figure(reflect.mirrored(surface, site.visibility, (0, 8), own, 0.2)),
            ]
            for name, own in reflect.WORLDS.items()
        },
        "controls": [
            figure(reflect.controls_of(world)),
            figure(reflect.with_disc_at(world, "lamp", 0.3, 0.4, (0, 8))),
            figure(reflect.with_disc_at(reflect.world_called("noon"), "glow", -0.4, -0.2, (20, 8))),
            figure(reflect.with_controls(world, {"sky_low": 0.4, "lamp_size": 25, "glow_light": 1.5}, (0, 8))),
            figure(reflect.on_ball(np.array([0.1, 0.5]), np.array([0.2, -0.5]), (30, 10))),
        ],
        "tints": [tint.of_temperature(k) for k in (1900, 2700, 6500, 9000)] + [figure(tint.even_light("#ffd9a8"))],
        "small": figure(light_on(small, RIG).total),
    }


ROOMS: dict[str, Callable] = {
    "coat": coat,
    "plan": plan,
    "plan/economy": plan_economy,
    "plan/features/colour": plan_ways,
    "plan/features/metal": plan_metal,
    "plan/features/undercoat": plan_schools,
    "plan/features": plan_stages,
    "sculpt": sculpt,
    "view": view,
    "target": target_,
    "light": light,
    **OF_THE_DAY,
}


def figures(room):
    """All figures of a room."""
    return json.loads(json.dumps(ROOMS[room](), default=str))


def main():
    kept = json.loads(HERE.read_text()) if HERE.exists() else {}
    for room in sys.argv[1:] or ROOMS:
        kept[room] = figures(room)
        print(room, len(json.dumps(kept[room])), flush=True)
    HERE.write_text(_by_line(kept))


def _by_line(kept):
    """JSON with a line for each figure of a room, so that a difference is short to read."""
    rooms = []
    for room in sorted(kept):
        lines = [f"{json.dumps(k)}: {json.dumps(v, ensure_ascii=False)}" for k, v in sorted(kept[room].items())]
        rooms.append(f"{json.dumps(room)}: {{\n" + ",\n".join(lines) + "\n}")
    return "{\n" + ",\n".join(rooms) + "\n}\n"


if __name__ == "__main__":
    main()
