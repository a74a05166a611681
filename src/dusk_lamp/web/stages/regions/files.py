"""Regions to a file and from one."""

import tempfile

from flask import Response, request

from ....core.errors import SculptFileError
from ....core.sculpt.masks import mask_json, read_mask
from ...editing import keep, opened, with_marking
from ...responses import download
from ...workshop import read_apart, workshop
from .common import blueprint, regions_answer


@blueprint.get("/sculpts/<int:sculpt_id>/regions.json")
def export(sculpt_id: int) -> Response:
    """The marking as a file for another bench; see docs/formats.md."""
    with workshop().store.session() as session:
        own = opened(session, sculpt_id, sky=False)
    content = mask_json(own.site.surface, own.site.marking)
    return download(content, "application/json", f"{own.sculpt.name} regions.json")


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
        own = opened(session, sculpt_id, sky=False)
    marking = mask.on(own.site.surface, own.open.placing).renewed(own.site.marking, by_name=True)
    keep(sculpt_id, own, with_marking(own, marking, "regions brought from a file", ("regions",)))
    return regions_answer(sculpt_id)
