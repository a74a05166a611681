"""Preparing a sculpt: from its file to its first light and its sky, resuming after the last stage that was
finished."""

from dataclasses import replace

from ..core.datasets.materials import METAL_MATERIAL
from ..core.plain import built
from ..core.sculpt.mesh import Mesh
from ..core.sculpt.parts import Part, alone, parts_matched
from ..core.sculpt.site import Site
from ..core.sculpt.stand import guessed_standing
from ..store import plans
from ..store import preparing as stages
from . import small_pictures
from .work import JobInHand


def run(work: JobInHand) -> None:
    """Every stage in turn; each result is kept before the next begins.

    Raises:
        DuskLampError: the file is bad. Stopped: by the painter, or by a newer job.
    """
    store = work.store
    with store.session() as session:
        sculpt = work.sculpt(session)
        files, plan = sculpt.files, plans.plan_of(session, sculpt)
        standing, close_holes = plan.sculpt.standing, plan.sculpt.holes_closed
    paths = [store.upload_path(f["sha"], f["format"]) for f in files]

    def look(raw: Mesh) -> None:
        if plan.coats:  # the shelf shows the plan
            return
        if key := small_pictures.look_at_once(store.cache, mended_key, raw, standing, plan.light, plan.exposure):
            with store.saving() as session:
                work.sculpt(session).thumb_key = key

    mended_key = stages.mended_key_of(files, close_holes)
    mended_key, facts = stages.mended(store.cache, files, paths, close_holes, work.say, look)
    with store.saving() as session:
        sculpt = work.sculpt(session)
        sculpt.mended_key, sculpt.findings, sculpt.notes = mended_key, facts.findings, facts.notes
        plan = plans.plan_of(session, sculpt)
        parts = tuple(parts_matched(list(plan.parts), [built(Part, p, "a part") for p in facts.parts]))
        standing = plan.sculpt.standing or guessed_standing(facts.up_order[0], facts.size)
        stood = replace(plan.sculpt, up=standing.up, front=standing.front, height=standing.height_mm)
        plan = replace(plan, parts=parts, sculpt=stood)
        plans.amend(session, sculpt, plan)
        sculpt.file_tall = facts.size["xyz".index(standing.up[-1])]
    work.calm()  # it can be stood up
    rig, exposure, shadowless = plan.light, plan.exposure, plan.shadowless
    painted = bool(
        plan.coats and sculpt.thumb_key and sculpt.thumb_key in store.cache
    )  # the shelf shows the plan already

    work.say("A first look", 0.32)
    if not painted:
        thumb_key = small_pictures.first_look(store.cache, mended_key, standing, rig, exposure)
        with store.saving() as session:
            work.sculpt(session).thumb_key = thumb_key
    surface_key = stages.surface(store.cache, mended_key, standing, store.settings.most_samples or None, work.say)
    with store.session() as session:
        marked_on = plans.surfaces_of(session, work.sculpt(session))
    for key, once in marked_on.items():  # labels are data: what they lie on is laid out again if the cache was lost
        if key not in store.cache:
            stages.surface(store.cache, mended_key, once, store.settings.most_samples or None, work.say)
    work.say("Turning on the lamp", 0.5)
    laid = stages.load_surface(store.cache, surface_key)
    at = stages.load_placing(store.cache, surface_key)
    apart = [alone(laid, (part,), uncast) for part, uncast in shadowless]
    site = Site(laid, apart=apart, mesh=lambda: stages.mesh_on_bench(store.cache, mended_key, at))
    marking = stages.own_marking(paths[0], files[0]["format"], laid, at)
    with store.saving() as session:
        sculpt = work.sculpt(session)
        sculpt.surface_key, sculpt.sky_key = surface_key, None  # the bench opens; its picture can wait
        if marking is not None and not plans.ever_marked(session, sculpt):
            kept = plans.kept_of(session, sculpt)
            new = replace(kept, plan=kept.plan.marked(marking), labels=marking.labels, surface_key=surface_key)
            plans.keep(session, sculpt, new, "regions read from the file")
    if not painted:
        thumb_key = small_pictures.thumb(store.cache, [surface_key, shadowless], site, rig, exposure)
        with store.saving() as session:
            work.sculpt(session).thumb_key = thumb_key

    work.calm()  # the bench is open
    work.say("Working out soft shadows", 0.6)
    sky_key = stages.sky(store.cache, surface_key, laid, shadowless, work.say, work.stopped_after_a_pause)
    site.visibility = stages.load_sky(store.cache, sky_key, surface_key, laid, shadowless)
    with store.saving() as session:
        sculpt = work.sculpt(session)
        sculpt.sky_key = sky_key  # who waits for its light goes on; the rest is soon made where it is asked for first
        marked = plans.ever_marked(session, sculpt)
    work.say("Drawing its picture", 0.99)
    stages.rough(store.cache, surface_key, laid)  # where no bench was opened meanwhile
    if plan.coats and not store.at_work.seen():  # chips and edges lie by it: who works at a page makes it, if need be
        stages.relief(store.cache, surface_key, laid)
    if not painted:
        thumb_key = small_pictures.thumb(store.cache, [surface_key, shadowless, sky_key], site, rig, exposure)
        with store.saving() as session:
            work.sculpt(session).thumb_key = thumb_key
    if any(region.material == METAL_MATERIAL for region in plan.regions):
        work.calm()
        work.say("Finding its facets", 0.995)
        stages.kept_facets(store.cache, surface_key, site)
    if not marked:
        work.calm()
        work.say("Putting its pieces together", 0.995)
        stages.pieces(store.cache, sky_key, site, lambda *_: None)
