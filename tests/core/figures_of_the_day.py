"""Figures of what comes after the plan: paint, the clock, squads, reach, cards, the check, drills and the log."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import trimesh

from dusk_lamp.core.card import cards
from dusk_lamp.core.card.drawing import card_pdf, card_picture, words_of
from dusk_lamp.core.card.reading import flat_card
from dusk_lamp.core.card.simulated import Snap, card_photo
from dusk_lamp.core.check.align import aligned
from dusk_lamp.core.check.booth import Booth, Mistake, booth_light, mistaken, photograph
from dusk_lamp.core.check.compare import compared
from dusk_lamp.core.check.lamp_photo import lamp_of
from dusk_lamp.core.check.merge import disagreements, merged
from dusk_lamp.core.check.outline import model_in_photo
from dusk_lamp.core.check.perspective import seen_by
from dusk_lamp.core.check.photo import photo_troubles, read_photo
from dusk_lamp.core.check.pinhole import Pinhole
from dusk_lamp.core.check.pose import pose_of
from dusk_lamp.core.check.shine import shine_coats, shone
from dusk_lamp.core.check.verdict import faults_of, verdict_words
from dusk_lamp.core.check.whole import map_picture, predicted_picture
from dusk_lamp.core.drill import drills
from dusk_lamp.core.errors import SettingError
from dusk_lamp.core.log.entry import Entry
from dusk_lamp.core.log.pace import pace_of, pace_words
from dusk_lamp.core.paint import colour, cost, film, glaze, hiding, ladder, pigment, thin, value, whites
from dusk_lamp.core.paint.adding import grown
from dusk_lamp.core.paint.mix import Mix, match, near_words, nearest_mix, neat_pot, only, values_of
from dusk_lamp.core.paint.rack import rack_csv, rack_gpl
from dusk_lamp.core.plan.context import Context
from dusk_lamp.core.plan.economy.budget import Budget
from dusk_lamp.core.reach.assembly import marks_of, reach_words, spots_in_reach
from dusk_lamp.core.reach.spots import Obstacles, can_reach
from dusk_lamp.core.reach.tool import BRUSH, NOZZLE, Tool
from dusk_lamp.core.schedule.batches import batches_of, works_of
from dusk_lamp.core.schedule.before import before_each
from dusk_lamp.core.schedule.day import Day, clock_of
from dusk_lamp.core.schedule.greedy import fitting, greedy, listed, tails
from dusk_lamp.core.schedule.jobs import ended_of, jobs_of, left_of
from dusk_lamp.core.schedule.problem import Problem
from dusk_lamp.core.schedule.what_if import with_dryer, without_airbrush
from dusk_lamp.core.schedule.worth import must_be_done, worths_of
from dusk_lamp.core.sculpt.parts import Part
from dusk_lamp.core.sculpt.site import Site
from dusk_lamp.core.squad.document import Member, Squad
from dusk_lamp.core.squad.work import on_model, puddle_keys, shared_of, worked_out

from ..shapes import RACK, ball, surface_of, together
from .figure_site import FAR, context, figure, figure_site, of_coats, replace_budget, rounded, whole_run

EVENINGS = tuple((1440.0 * d, 1440.0 * d + 100) for d in range(40))
PAINTS = ("Soot", "Gull", "Chalk", "Cockle Red", "Dew Varnish", "Tin", "Heron")


def columns(rows):
    """A table column by column: words hashed, numbers as an array."""
    return [
        figure(
            "|".join(map(str, c)) if isinstance(c[0], str) else np.array([FAR if v is None else v for v in c], float)
        )
        for c in zip(*rows, strict=True)
    ]


# --- paint
def hides(mix, under, sprayed):
    """How many coats over a grey, and how far they are off."""
    own = hiding.coats_over(mix, np.full(36, under), sprayed)
    return [own.coats, own.hiding_coats, *map(rounded, (own.delta_e, own.contrast_ratio, own.minutes))]


def paint():
    found = [RACK.find(n) for n in PAINTS]
    mixes = [only(p) for p in found] + [Mix((found[0], found[1]), (1, 2)), Mix(tuple(found[1:4]), (3, 1, 2))]
    thin_to_thick = np.array([0.0, 3.0, 12.0, 40.0])
    ground = np.full((4, 36), 0.3, np.float32)
    looks = []
    for m in mixes:
        own = m.pigment
        looks.append(
            [
                m.words(),
                [rounded(v) for v in m.colour.lab],
                m.colour.hex,
                figure(film.coats(own.K[None], own.S[None], thin_to_thick[None], ground)),
                rounded(film.contrast_ratio(own.K, own.S, 25.0)),
                None if m.clear else figure(glaze.thinning_for(m)),
                None if m.clear else [hides(m, v, s) for v in (0.05, 0.6) for s in (False, True)],
                rounded(float(values_of(own.masstone))),
            ]
        )
    opaque = [p for p in found if p.kind in ("base", "layer")]
    wanted = [colour.colour_of_hex(c) for c in ("#6b4a3a", "#8fb0c0", "#202428", "#d8c090")]
    dark = np.full(36, 0.02)
    under = [
        (p.name, hiding.underpaint_for(hiding.coats_over(only(p), dark), dark, opaque))
        for p in RACK
        if p.kind in ("base", "layer", "glaze", "ink")
    ]
    bottles = [replace(p, stock_ml=2.0 * k) for k, p in enumerate(found)]
    return {
        "looks": looks,
        "matches": [
            [[m.mix.words(), rounded(m.delta_e)] for n in (1, 2, 3) for m in match(w, opaque, n, best=2)]
            for w in wanted
        ],
        "nearest": [nearest_mix(w.lab, opaque).words() for w in wanted],
        "near words": [near_words(x) for x in (0.5, 1.5, 3, 6, 12)],
        "neat": [[p.name, rounded(off)] for c in ("#6b4a3a", "#202428", "#00ff00") for p, off in [neat_pot(c, RACK)]],
        "ladders": [
            [[s.mix.words(), figure(s.wanted), rounded(s.error)] for s in steps]
            for steps in (
                *(ladder.ladder(found[0], found[1], steps=n) for n in (3, 5)),
                *(ladder.customary(found[0], found[6], found[2], w) for w in ladder.CUSTOMARY),
            )
        ],
        "underpaint": [[n, b.paint.name, b.coats, b.then, rounded(b.minutes)] for n, b in under if b],
        "values": [
            figure(value.munsell_from_luminance(np.array([1.0, 18, 50, 90]))),
            figure(value.luminance_from_munsell(np.array([1.0, 5, 9]))),
            figure(value.lightness_from_luminance(np.array([0.5, 18.0, 90]))),
            value.grey_hex(4.5),
        ],
        "colours": [figure(colour.reflectance_from_hex(c)) for c in ("#6b4a3a", "#ffffff", "#0040ff")],
        "cost": [figure(cost.drops_for({"a": 3, "b": 1}, ml)) for ml in (0.02, 0.3, 2.0)]
        + [figure(cost.shopping(bottles))],
        "more": [
            figure(grown({"a": 3, "b": 1}, {"a": 3, "b": 1}, 1.0)),
            figure(grown({"a": 2}, {"a": 1, "b": 2}, 0.5)),
        ],
        "racks": [figure(rack_csv(found)), figure(rack_gpl(found))],
        "pigments": [
            figure(pigment.from_swatch("#6b4a3a", 0.9).masstone),
            figure(pigment.from_drawdown("#503828", "#6b4a3a", 20.0)),
        ],
        "whites": [
            [
                figure(whites.white_called(n)),
                whites.mix_of(whites.white_called(n), RACK).words(),
                whites.white_called(n).words,
            ]
            for n in ("warm white", "blue black")
        ],
        "glazes": [figure(glaze.glaze(mixes[3], (2, 5, 8), n, w)) for n, w in ((3, 4.0), (6, 12.0))],
        "thin": [
            thin.warnings(thin.Airbrush(needle, psi, mm, water), kind, v)
            for needle, psi, mm, water in ((0.2, 12.0, 160.0, 0.5), (0.3, 20.0, 80.0, 3.0), (0.4, 30.0, 40.0, 2.5))
            for kind, v in (("primer", 2.0), ("layer", 8.0), ("ink", 4.0))
        ],
    }


# --- the clock
def needs(job):
    return sum(n.job + n.minutes for n in job.needs)


def schedule():
    own, done = context(), whole_run()
    coats, films = done.coats, done.films
    before = before_each(own.site, coats, films)
    worths = worths_of(done.context, coats)
    by_step = {s.number: 0.001 * (s.number % 7) for s in done.steps if s.stage in ("edges", "wear", "glow")}
    jobs = jobs_of(done.steps, before, by_step)
    batches = batches_of([jobs] * 3, 100.0, lambda n: 0.8 if n > 1 else 1.0)
    works, afters = works_of([jobs] * 3, batches)
    problem = Problem(tuple(works), tuple(afters), EVENINGS)
    free = Problem(tuple(works), tuple(afters))
    short = replace(free, until=max(greedy(free)) - 20)
    ended = ended_of(jobs, {s.number: -float(k) for k, s in enumerate(done.steps[:6])})
    left, earliest = left_of(jobs, ended)
    clocks = {
        "one": clock_of(Day((tuple(jobs),)), 0),
        "three": clock_of(Day((tuple(jobs),) * 3, EVENINGS), 0),
        "short": clock_of(Day((tuple(jobs),), until=clock_of(Day((tuple(jobs),)), 0).makespan - 8), 0),
        "pinned": clock_of(Day((tuple(jobs),), pins={(jobs[0].key, 0): 30.0}), 0),
    }
    by_brush, tools = without_airbrush(own.plan, own.tools)
    return {
        "before": columns([k, b.coat, b.over] for k, own in enumerate(before) for b in own),
        "worths": [[rounded(w) if w is not None else None for w in worths], must_be_done(done.context, coats)],
        "jobs": columns(
            [j.title, j.key, j.hand, j.wait, j.set_up, j.clean, j.wet, j.sprayed, needs(j)] for j in jobs
        ),
        "batches": columns([str(b.members), b.minutes, b.set_up, b.part, b.parts] for b in batches),
        "works": columns([w.lane, w.minutes, w.earliest, w.worth] for w in works),
        "afters": columns([a.earlier, a.later, a.minutes] for a in afters),
        "bounds": [rounded(p.chain()) for p in (problem, free)] + [rounded(p.lane_bound()) for p in (problem, free)],
        "greedy": [[rounded(s) for s in greedy(p)] for p in (problem, free)],
        "listed": [rounded(s) for s in listed(problem, tails(problem).tolist())],
        "fitting": figure(fitting(short)),
        "ended": figure(ended),
        "left": [columns([j.title, needs(j)] for j in left), figure(np.array(earliest))],
        "clocks": {
            n: [
                c.words,
                *(rounded(v) for v in (c.makespan, c.dry, c.bound, c.hand_minutes)),
                figure(c.waits),
                columns([s.title, s.model, s.start, s.end, s.dry_at, s.begins] for s in c.slots),
                [list(d) for d in c.dropped],
            ]
            for n, c in clocks.items()
        },
        "dryer": [rounded(s.wait_minutes) for s in with_dryer(done.steps, coats, own.tools)],
        "by brush": [figure(tools), by_brush.wishes_of("undercoat").school, len(by_brush.coats)],
    }


# --- a squad
def squad():
    scheme = context()
    other = Site(scheme.site.surface, scheme.site.visibility, marking=scheme.site.marking)
    names = ("Plinth", "Old cloak", "Face", "Axe", "Lens")
    regions = tuple(replace(r, name=n, colour="") for r, n in zip(other.marking.regions, names, strict=True))
    plan = replace(scheme.plan, regions=regions, coats=(), settled=())
    member = Member("other.json", "Other", 3, changes={"Lens": {"colour": "#a04040"}})
    out = {}
    for name, own in {"ways": scheme, "minutes": replace_budget(Budget.usual(40))}.items():
        there = Context(plan, other, RACK, own.tools, own.placing, features=own.features)
        found = worked_out(
            Squad(1, "Three", "own.json", (member,)),
            own,
            [(Member("own.json"), own, True), (member, there, False)],
            RACK,
        )
        done, matches = on_model(there, own.plan, found.scheme.coats, member)
        out[name] = [
            figure(matches),
            [[m.name, m.count, len(m.steps), figure("|".join(m.keys))] for m in found.models],
            columns([c.stage, c.technique, c.region, c.mix.words()] for c in done.plan.coats),
            columns([n.paint, n.ml, n.drops] for n in found.needed),
            list(found.missing),
            rounded(found.hand_minutes),
            rounded(found.shared),
        ]
    return out | {
        "shared": [rounded(shared_of(k)) for k in (["abc"], ["abc", "bcd"], ["ab", "cd"], ["aab", "a"])],
        "keys": figure("|".join(puddle_keys(whole_run().steps, {"Cloak": "Cape"}))),
    }


# --- what a brush gets at
def reach():
    body = trimesh.creation.box((20, 12, 30)).subdivide_to_size(2.0)
    shields = [trimesh.creation.box((22, 1, 28)).subdivide_to_size(2.0) for _ in range(2)]
    shields[0].apply_translation((0, -8.2, 0))
    shields[1].apply_translation((0, 8.6, 0))
    pieces = [body, *shields]
    whole = surface_of(together(*pieces))
    part = np.where(whole.points[:, 1] < -7, 1, np.where(whole.points[:, 1] > 7, 2, 0)).astype(np.int32)
    site = Site(replace(whole, part=part))
    named = [Part("Body"), Part("Shield", 0, 1), Part("Back", 0, 2)]
    out = {}
    for name, tool in {"brush": BRUSH, "short": Tool(9.0, 5.0, 8.0, 4.0)}.items():
        found = spots_in_reach(site, named, tool, NOZZLE, most=800)
        out[name] = [figure(found), figure(marks_of(found, site)), reach_words(found, named), rounded(found.left)]
    spots = np.arange(0, len(whole), 23)
    out["reached"] = [
        [int(can_reach(whole, spots, t, Obstacles(whole, parts)).sum()) for parts in (None, [0, 1], [])]
        for t in (BRUSH, NOZZLE, Tool(12.0, 20.0, 3.0, 30.0))
    ]
    alone = spots_in_reach(Site(surface_of(ball(9, 3))), [Part("Ball")], most=300)
    return out | {"ball": [rounded(alone.mm2), reach_words(alone, [Part("Ball")])]}


# --- cards
def card():
    out = {}
    for name, own in cards().items():
        content, truth = card_photo(own, 1, Snap(falloff=0.4, red=1.2, blue=0.8))
        flat = flat_card(own, read_photo(content))
        read = [figure(own.graded(flat)), figure(flat.reflectance), figure(flat.troubles)]
        out[name] = [figure(truth), *read, [rounded(own.goodness(e)) for e in (0.0, 0.4, 2.0)]]
        out[f"{name}, printed"] = [figure(card_picture(own)), figure(words_of(own)), len(card_pdf(own)) > 2000]
    return out


# --- the check
def check():
    site, done = figure_site(), whole_run()
    seen = done.context.simulation.reflectance(done.coats)
    bare = np.full_like(seen, 0.2)
    places = site.surface.points
    middle = (places.max(axis=0) + places.min(axis=0)) / 2
    camera = Pinhole.looking_at(middle, 15, 10, 110, 60, (420, 315))
    wrong = [Mistake("light", "Cloak", 1.2), Mistake("grey", "Base", 0.8)]
    out, found = {}, []
    for name, booth, painted in (
        ("as planned", Booth(card=True), seen),
        ("wrong", Booth(ambient=0.5, red=1.2, exposure=-0.3), mistaken(site, seen, bare, wrong)),
        (
            "turned",
            Booth(glare=0.4, quality=0),
            mistaken(site, seen, bare, [Mistake("hue", "Cloak", 60), Mistake("missing", "Face", 0.7)]),
        ),
    ):
        content, at = photograph(site, painted, camera, booth, 3)
        photo = read_photo(content)
        own = compared(site, seen, photo, camera, at, {2: site.labels == 4})
        faults = faults_of(site, own, seen, done.coats)
        found.append(own)
        out[name] = [
            figure(photo.light),
            figure(own.off),
            figure(own.regions),
            figure(own.overall),
            [[f.region, f.kind, rounded(f.size), f.words, f.mend] for f in faults],
            verdict_words(faults, own),
            photo_troubles(photo, own.looked_at),
            figure(map_picture(site, own, photo, camera)),
            rounded(own.near(site)),
        ]
    shot = seen_by(site.surface, camera, 200, 150)
    spots = np.unique(shot.corners[shot.seen][:, 0])[::40][:12]
    pixels = camera.project(places[spots])[0] + np.array([0.8, -0.6])
    pose = pose_of(pixels, places[spots].astype(float), (420, 315))
    content, _ = photograph(site, seen, camera, Booth(ambient=0.3), 5)
    photo = read_photo(content)
    glossed, _ = photograph(
        site, np.clip(seen * np.where(site.surface.normals[:, 2:] > 0.6, 6, 1), 0, 0.95), camera, Booth(), 6
    )
    shiny = read_photo(glossed)
    shine = shone(site, compared(site, seen, shiny, camera), shiny, 2)
    lamp = lamp_of(site, colour.xyz(seen)[:, 1], photo, camera)
    return out | {
        "together": [figure(merged(found)), disagreements(found)],
        "pose": figure(pose),
        "aligned": figure(aligned(site, seen, photo, pose.camera)),
        "rays": figure(replace(camera, k1=0.05).rays(np.array([[3.0, 5.0], [200, 100], [400, 300]]))),
        "bent": figure(replace(camera, k1=0.05).project(places[spots])),
        "lamp": [figure(lamp), lamp.words],
        "cut": figure(model_in_photo(photo)),
        "shone": [figure(shine), shine.words("Cloak"), of_coats(shine_coats(site, shine, done.coats), site)],
        "room": figure(booth_light(site, Booth(ambient=0.6))),
        "predicted": figure(predicted_picture(site, seen, camera, (200, 150))),
    }


# --- drills and the log
def drill():
    out, site = {}, figure_site()
    for name, own in drills().items():
        for seed in (1, 2):
            task = own.make(site, seed)
            answers = [task.truth, 0, 1, 2.5, [1, 2, 3], [0.2, 0.3]]
            out[f"{name} {seed}"] = [
                figure(task.truth),
                figure(task.data),
                figure(own.picture(site, task)),
                figure(own.picture(site, task, solved=True)),
                [_graded(own, task, a) for a in answers],
                [own.amount(e) for e in (0.3, 2.0)],
            ]
    return out


def log():
    rng, out = np.random.default_rng(4), {}
    for pace in (0.7, 1.0, 1.6):
        entries = [
            Entry(
                technique=t, mm2=float(rng.uniform(5, 500)), expected_s=100.0, seconds=100 * pace * (1 + 0.2 * k % 3)
            )
            for k in range(10)
            for t in ("brush", "spray")
        ]
        found = pace_of(entries)
        out[f"pace {pace}"] = [figure(found), pace_words(found)]
    return out


def _graded(own, task, answer):
    try:
        return figure(own.grade(task, answer))
    except (SettingError, TypeError, KeyError, ValueError) as e:
        return type(e).__name__


OF_THE_DAY: dict[str, Callable] = {
    "paint": paint,
    "squad": squad,
    "schedule": schedule,
    "reach": reach,
    "check": check,
    "card": card,
    "drill": drill,
    "log": log,
}
