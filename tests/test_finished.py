"""The demo plans that ship worked out are what the code makes."""

from io import BytesIO

import numpy as np
import pytest

from dusk_lamp.core.sculpt.surface import some_samples
from dusk_lamp.core.sculpt.visibility import packed, visibility_of
from dusk_lamp.demo.finish import SKIES, on_bench, standing_ways, worked_out
from dusk_lamp.demo.finished import HERE, finished, known_of
from dusk_lamp.demo.plans import DEMO


def by_file(name):
    return next(d for d in DEMO if d.file == name)


@pytest.mark.long
def test_what_ships_finished_lies_on_the_surface_that_the_bench_lays_out():
    """Spots are counted by sample: another laying-out would put them elsewhere. One plan is made again and
    compared."""
    fresh = worked_out(by_file("reed-runner-2"))
    shipped = finished("reed-runner-2")
    assert np.array_equal(fresh.labels, shipped.labels)
    kinds = [sorted({(c.stage, c.region) for c in one.plan.coats}) for one in (fresh, shipped)]
    assert kinds[0] == kinds[1]
    assert abs(len(fresh.plan.coats) - len(shipped.plan.coats)) <= 3  # the integer programme has a limit of time
    assert fresh.plan.regions == shipped.plan.regions and fresh.plan.wishes.keys() == shipped.plan.wishes.keys()


def test_how_a_demo_sculpt_could_stand_ships_as_the_code_draws_it():
    demo = by_file("reed-runner-2")
    assert standing_ways(demo) == (HERE / "reed-runner-2.stand.zip").read_bytes()
    facts, ways = known_of("reed-runner-2")
    assert len(ways) == 9 and {up for up, _ in ways} == {"x", "-x", "y", "-y", "z", "-z"}
    assert all(known_of(d.file) for d in DEMO) and b"up_order" in facts


def test_the_sky_that_ships_is_what_the_bench_would_see():
    """Every twentieth spot of one looks again; all of them are there."""
    with on_bench(by_file("kiln-keeper")) as own:
        chosen = np.arange(0, len(own.laid), 20, dtype=np.int32)
        few = some_samples(own.laid, chosen, np.zeros((0, 3), np.int32))
        again = packed(visibility_of(few), own.laid)
    with np.load(HERE / "kiln-keeper.sky.npz") as shipped, np.load(BytesIO(again)) as found:
        assert str(shipped["of"]) == str(found["of"]) and np.array_equal(shipped["base"][chosen], found["base"])
        assert np.array_equal(shipped["bits"][chosen], found["bits"])
    assert {path.name.split(".")[0] for path in HERE.glob("*.sky.npz")} == set(SKIES)
