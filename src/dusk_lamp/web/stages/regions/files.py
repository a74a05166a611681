"""Regions to a file and from one."""

import tempfile

from flask import Response, request

from ....core.errors import SculptFileError
from ....core.sculpt.masks import mask_json, read_mask
from ...editing import keep_edit, opened, with_marking
from ...responses import download
from ...workshop import read_apart, workshop
from .common import blueprint, regions_answer


@blueprint.get("/sculpts/<int:sculpt_id>/regions.json")
def export(sculpt_id: int) -> Response:
    """The marking as a file for another bench; see docs/formats.md."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    content = mask_json(open_plan.site.surface, open_plan.site.marking)
    return download(content, "application/json", f"{open_plan.sculpt.name} regions.json")


@blueprint.post("/sculpts/<int:sculpt_id>/regions/file")
def bring(sculpt_id: int) -> tuple[Response, int] | Response:
    """Take the marking from a PLY with a `region` property, or from JSON; one stroke, so it can be undone."""
    file = request.files.get("file")
    if file is None or not file.filename:
        raise SculptFileError("no file came along; choose one")
    ending = file.filename.rsplit(".", 1)[-1].lower()
    with tempfile.NamedTemporaryFile(suffix=".mask") as kept:
        file.save(kept)
        kept.flush()
        mask = read_apart(read_mask, kept.name, ending)
    if mask is None:
        raise SculptFileError("this PLY carries no regions; it needs a whole-number property named region")
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
    marking = mask.on(open_plan.site.surface, open_plan.open.placing).renewed(open_plan.site.marking, by_name=True)
    keep_edit(sculpt_id, open_plan, with_marking(open_plan, marking, "regions brought from a file", ("regions",)))
    return regions_answer(sculpt_id)
