"""The stages of a plan, one a file: what a painter can wish in each, how that changes what the model ought to look
like, and the coats that paint it.

A stage is one file of this folder with a class below `Stage` and one of it as `STAGE`. Nothing else has to be changed
for the document, its schema, the command line and the order of coats; a page shows what is special in it.
"""

from ..document import plan_stages as stages
from .stage import Item, Stage

__all__ = ["Item", "Stage", "stages"]
