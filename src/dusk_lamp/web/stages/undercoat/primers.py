"""The primers on the rack, weighed by what they cost in coats."""

from flask import Response, jsonify

from ...editing import opened
from ...primers import weighed_primers
from ...workshop import workshop
from .common import blueprint


@blueprint.get("/sculpts/<int:sculpt_id>/undercoat/primers")
def primers(sculpt_id: int) -> Response:
    """The primers on the rack, the one that costs the fewest coats for this sculpt's colours first, and why."""
    with workshop().store.session() as session:
        open_plan = opened(session, sculpt_id, sky=False)
        weighed, missing = weighed_primers(session, open_plan)
    every = [p for p in open_plan.context.rack if p.kind == "primer"]
    rows: list[dict[str, object]] = [
        {
            "name": v.primer.name,
            "hex": v.primer.looks.hex,
            "value": round(v.primer.looks.value, 1),
            "coats": round(v.coats, 1),
            "minutes": round(v.minutes),
            "words": (
                f"value {v.primer.looks.value:.1f}; your colours cover it in {v.coats:.1f} coats on average, "
                f"{v.minutes / 60:.1f} h with drying"
            ),
        }
        for v in weighed
    ]
    others = [p for p in every if p.name not in {r["name"] for r in rows}]
    rows += [
        {
            "name": p.name,
            "hex": p.looks.hex,
            "value": round(p.looks.value, 1),
            "coats": None,
            "minutes": None,
            "words": f"value {p.looks.value:.1f}",
        }
        for p in others
    ]
    words = "The first costs the fewest coats for the colours of your regions"
    words += f"; without a colour yet: {', '.join(missing)}." if missing else "."
    if not weighed:
        words = "Give your regions colours, and the primers are weighed by the coats they cost."
    return jsonify(missing=missing, primers=rows, words=words if rows else "No primer on the rack.")
