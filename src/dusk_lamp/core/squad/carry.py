"""The scheme's plan on another sculpt: its light, its regions' looks and its wishes, by matched regions."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..errors import SettingError
from ..plain import built, plain
from ..plan.document import Plan
from ..plan.wishes import kinds_of_wishes
from ..sculpt.marking import Region
from .document import LOOKS
from .matching import RegionMatch


def plan_carried(
    scheme: Plan, theirs: Plan, matches: Sequence[RegionMatch], changes: Mapping[str, Mapping[str, Any]] | None = None
) -> Plan:
    """A sculpt's plan as the scheme has it, nothing laid yet: the scheme's light, greys, dusk and view, the looks of
    the regions it takes after, and the wishes of every feature for those. What is different on it, by the names of
    its regions, comes last. Places on the scheme's own sculpt (a ball beside it, eyes, spots of heat) mean nothing on
    another and stay what they are there.

    Raises:
        SettingError: a change names a region that is not there, or what a region cannot be.
    """
    by_id = {r.id: r for r in scheme.regions}
    match_of = {m.id: by_id[m.scheme_id] for m in matches if m.scheme_id in by_id}
    regions = []
    for region in theirs.regions:
        like = match_of.get(region.id)
        regions.append(region if like is None else replace(region, **{k: getattr(like, k) for k in LOOKS}))
    plan = replace(
        theirs,
        display=scheme.display,
        light=scheme.light,
        tints=scheme.tints,
        exposure=scheme.exposure,
        greys=scheme.greys,
        dusk=scheme.dusk,
        small_forms=scheme.small_forms,
        regions=tuple(with_exceptions(regions, changes or {})),
        coats=(),
        settled=(),
    )
    takers: dict[int, list[int]] = {}
    for m in matches:
        if m.scheme_id:
            takers.setdefault(m.scheme_id, []).append(m.id)
    for name in kinds_of_wishes():
        wishes = scheme.wishes_of(name).carried(plan.wishes_of(name), takers, plan.last_id + 1)
        plan = plan.with_wishes(name, wishes)
    return plan


def with_exceptions(regions: Sequence[Region], changes: Mapping[str, Mapping[str, Any]]) -> list[Region]:
    """Regions with what is different on this model.

    Raises:
        SettingError: a name that is none of theirs, or a value that no region can have.
    """
    wanted = {k.casefold(): v for k, v in changes.items()}
    names = {r.name.casefold() for r in regions}
    strange = [k for k in changes if k.casefold() not in names]
    if strange:
        known = ", ".join(r.name for r in regions) or "none"
        raise SettingError(f"there is no region '{strange[0][:40]}' to make an exception of; there is {known}")
    return [
        built(Region, {**plain(r), **wanted[r.name.casefold()]}, f"what differs on {r.name}")
        if r.name.casefold() in wanted
        else r
        for r in regions
    ]
