"""The greys: how many, how rare the lightest; they are laid on with every relighting."""

from typing import Any

from flask import Blueprint
from sqlalchemy.orm import Session

from ...core.target.greys import FEWEST_STEPS, MOST_STEPS
from ...store.models import Sculpt
from ...store.open_sculpts import OpenSculpt

blueprint = Blueprint("greys", __name__)


def panel(session: Session, sculpt: Sculpt, laid: OpenSculpt) -> dict[str, Any]:
    """What the panel shows."""
    return {"fewest": FEWEST_STEPS, "most": MOST_STEPS}
