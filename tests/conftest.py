"""Fixtures shared by all tests."""

import gc
import lzma
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path

import numpy as np
import pytest

from dusk_lamp.core.plan.features.undercoat import school_fit, spray_fit
from dusk_lamp.core.sculpt.mend import mend
from dusk_lamp.core.sculpt.read import read_sculpt
from dusk_lamp.core.sculpt.stand import Standing, stand
from dusk_lamp.core.sculpt.surface import Surface, working_surface
from dusk_lamp.settings import Settings

from .servers import Postgres

gc.set_threshold(50_000, 20, 100)  # while the tests are read


def pytest_collection_finish():
    """What was loaded by now stays to the end: to look through it again and again for what can go took a twelfth of
    the time."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 10, 10)


@pytest.fixture(scope="session")
def warden_file(tmp_path_factory):
    """The demo sculpt as a plain PLY."""
    path = tmp_path_factory.mktemp("demo") / "wick-warden.ply"
    path.write_bytes(lzma.decompress((files("dusk_lamp.demo") / "wick-warden.ply.xz").read_bytes()))
    return path


@pytest.fixture(scope="session")
def warden(warden_file) -> Surface:
    """The demo sculpt laid out coarsely, which is enough to compare light on."""
    mended = mend(read_sculpt(warden_file))
    return working_surface(stand(mended.mesh, Standing(height_mm=40)), mended.shell, samples=17_000)


@pytest.fixture(scope="session")
def bunny_file(tmp_path_factory):
    """A scan that is open below; see tests/data/README.md."""
    path = tmp_path_factory.mktemp("bunny") / "bunny.ply"
    path.write_bytes(lzma.decompress((Path(__file__).parent / "data" / "bunny.ply.xz").read_bytes()))
    return path


@pytest.fixture(scope="session")
def bunny(bunny_file) -> Surface:
    mended = mend(read_sculpt(bunny_file))
    return working_surface(stand(mended.mesh, Standing("y", "z", 32)), mended.shell, samples=30_000)


@pytest.fixture(scope="session")
def postgres():
    """A PostgreSQL of our own."""
    server = Postgres()
    yield server
    server.end()


@pytest.fixture(params=["sqlite", "postgresql"])
def kept_in(request):
    """The settings of a store in each of the databases that there are."""
    return Settings() if request.param == "sqlite" else Settings(database=request.getfixturevalue("postgres").new())


@contextmanager
def few_spots():
    """Schools and passes are fitted at few spots: where pages and commands are tested, not fits."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(spray_fit, "FIT_SAMPLES", 1_000)
        patch.setattr(school_fit, "SAMPLES", 600)
        yield


@pytest.fixture(scope="module")
def fitted_roughly():
    with few_spots():
        yield


@pytest.fixture
def rng():
    return np.random.default_rng(20)
