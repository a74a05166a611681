"""The pieces of a sculpt: the tree that a page shows under the pointer, its first guess, and strokes that cut."""

import numpy as np
from flask import Response, request

from ....core.errors import SettingError
from ....core.sculpt.marking import Marking
from ....core.sculpt.piece_cut import cut_by_stroke
from ....core.sculpt.pieces import MOST_PIECES, USUAL_PIECES, Pieces, guess
from ....store.open_sculpts import OpenSculpt
from ...background import Say, in_background, not_yet
from ...body import Body
from ...responses import packed
from ...workshop import laid_out, the_sculpt, workshop
from .common import blueprint
from .strokes import spots


def tree_of_pieces(laid: OpenSculpt, say: Say = lambda *_: None) -> Pieces:
    """The tree of a sculpt's pieces, worked out once."""
    say("Looking for creases", 0.1)
    return laid.pieces(say)


def guessed(laid: OpenSculpt, count: int = USUAL_PIECES) -> Marking:
    """The first guess of a sculpt's regions."""
    return guess(tree_of_pieces(laid), max(1, min(MOST_PIECES, count)))


@blueprint.get("/sculpts/<int:sculpt_id>/pieces.bin")
def pieces(sculpt_id: int) -> Response | tuple[Response, int]:
    """The tree of pieces: a JSON heading, then int32 the facet of every sample, the place of each facet in a row, the
    parent of each node (−1 for the whole), where its run in the row begins and ends, and which piece of a first guess
    (`count`) each facet belongs to; float32 the mm² of each node."""
    with workshop().store.session() as session:
        laid = laid_out(the_sculpt(session, sculpt_id))
    if working := in_background(("guess", sculpt_id, laid.surface_key), lambda say: tree_of_pieces(laid, say)):
        return not_yet(working)
    tree = tree_of_pieces(laid)
    count = max(1, min(MOST_PIECES, request.args.get("count", USUAL_PIECES, int)))
    row, span = tree.spans
    place = np.empty(tree.leaves, np.int32)
    place[row] = np.arange(tree.leaves)
    proposed = tree.cut(count)
    base = int(proposed[tree.of(tree.base)][0]) if tree.base >= 0 else -1
    heading = {"samples": len(laid.site), "leaves": tree.leaves, "pieces": int(proposed.max()) + 1, "base": base}
    arrays = (tree.facet_of_sample, place, tree.parent, span, proposed)
    return packed(heading, *(a.astype(np.int32) for a in arrays), tree.area.astype(np.float32))


def cut_by(laid: OpenSculpt, marking: Marking, given: Body) -> tuple[int, np.ndarray]:
    """The region that a stroke is drawn on, and what (N,) the stroke cuts out of it.

    Raises:
        SettingError: the stroke lies on no region, or on all of it.
    """
    surface = laid.site.surface
    touched = np.zeros(len(surface), np.bool_)
    touched[[corner for corner, _, _ in spots(laid, given)]] = True
    number = given.get("number")
    number = marking.most_of(touched, surface.areas) if number is None else given.whole("number")
    region_mask = marking.labels == number
    if not (touched & region_mask).any():
        raise SettingError("draw the stroke on what should not belong to the region")
    mask = cut_by_stroke(tree_of_pieces(laid), surface.areas, region_mask, touched)
    if mask.sum() == region_mask.sum():
        raise SettingError("the stroke lies on all of the region; remove the region instead")
    return number, mask
