"""The demo plans that ship worked out are what the code makes."""

from io import BytesIO

import numpy as np
import pytest

from dusk_lamp.core.sculpt.facets import facets_from
from dusk_lamp.core.sculpt.surface import some_samples
from dusk_lamp.core.sculpt.visibility import view_packed, visibility_of
from dusk_lamp.demo.finished import HERE, finished, known_of, shipped_sky
from dusk_lamp.demo.plans import DEMO
from tools.finish_demo import SKIES, WITH_METAL, on_bench, planned, standing_ways

RUNNER = "reed-runner-1"


def by_file(name):
    return next(d for d in DEMO if d.file == name)


@pytest.fixture(scope="module")
def bench():
    """A runner as the bench lays it out."""
    with on_bench(by_file(RUNNER)) as own:
        yield own


@pytest.mark.long
def test_what_ships_finished_lies_on_the_surface_that_the_bench_lays_out(bench):
    """Spots are counted by sample: another laying-out would put them elsewhere. One plan is made again under the sky
    that ships, and compared."""
    fresh, shipped = planned(by_file(RUNNER), bench, shipped_sky(RUNNER)), finished(RUNNER)
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


def test_the_sky_that_ships_is_what_the_bench_would_see(bench):
    """Every twentieth spot of one looks again; all of them are there."""
    chosen = np.arange(0, len(bench.laid), 20, dtype=np.int32)
    few = some_samples(bench.laid, chosen, np.zeros((0, 3), np.int32))
    again = view_packed(visibility_of(few), bench.laid)
    with np.load(HERE / f"{RUNNER}.sky.npz") as shipped, np.load(BytesIO(again)) as found:
        assert str(shipped["of"]) == str(found["of"]) and np.array_equal(shipped["base"][chosen], found["base"])
        assert np.array_equal(shipped["bits"][chosen], found["bits"])
    assert {path.name.split(".")[0] for path in HERE.glob("*.sky.npz")} == set(SKIES)


def test_the_facets_that_ship_are_of_the_surface_whose_sky_ships():
    for name in WITH_METAL:
        with np.load(HERE / f"{name}.sky.npz") as sky, np.load(HERE / f"{name}.facets.npz") as shipped:
            assert str(shipped["of"]) == str(sky["of"]) and len(finished(name).labels) == len(sky["bits"])
            found = facets_from(shipped, len(sky["bits"]))
        assert found[0].mm2 > 50 and sum(f.kind == "flat" for f in found) > 10
        assert [f.mm2 for f in found] == sorted((f.mm2 for f in found), reverse=True)
    assert {path.name.split(".")[0] for path in HERE.glob("*.facets.npz")} == set(WITH_METAL)
