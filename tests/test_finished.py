"""The demo plans that ship worked out are what the code makes."""

import numpy as np

from dusk_lamp.demo.finish import worked_out
from dusk_lamp.demo.finished import finished
from dusk_lamp.demo.plans import DEMO


def test_what_ships_finished_lies_on_the_surface_that_the_bench_lays_out():
    """Spots are counted by sample: another laying-out would put them elsewhere. One plan is made again and
    compared."""
    fresh = worked_out(next(d for d in DEMO if d.file == "reed-runner-2"))
    shipped = finished("reed-runner-2")
    assert np.array_equal(fresh.labels, shipped.labels)
    kinds = [sorted({(c.stage, c.region) for c in one.plan.coats}) for one in (fresh, shipped)]
    assert kinds[0] == kinds[1]
    assert abs(len(fresh.plan.coats) - len(shipped.plan.coats)) <= 3  # the integer programme has a limit of time
    assert fresh.plan.regions == shipped.plan.regions and fresh.plan.wishes.keys() == shipped.plan.wishes.keys()
