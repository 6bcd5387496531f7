"""Shared by all tests: the demo part, its scan, and one evaluation of them, worked out once a process."""

import importlib.util
import json
import os
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from truegauge import demo
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.sample_file import open_sample

settings.register_profile("project", deadline=None, max_examples=30, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("project")


@pytest.fixture(scope="session", autouse=True)
def own_folders(tmp_path_factory):
    """Settings and unsaved work of tests stay away from the user's; the part cache is shared."""
    folder = tmp_path_factory.mktemp("home")
    os.environ["XDG_CONFIG_HOME"] = str(folder / "config")
    os.environ["XDG_STATE_HOME"] = str(folder / "state")
    return folder


@pytest.fixture(scope="session")
def model():
    return read_part(demo.PART)


@pytest.fixture(scope="session")
def evaluator(model):
    return Evaluator(model)


@pytest.fixture(scope="session")
def projector(evaluator):
    return evaluator.projector


@pytest.fixture(scope="session")
def plan():
    return read_plan(demo.PLAN).plan


@pytest.fixture(scope="session")
def sample():
    return open_sample(demo.SCAN)[0]


@pytest.fixture(scope="session")
def truth():
    return json.loads(demo.TRUTH.read_text())


@pytest.fixture(scope="session")
def evaluation(evaluator, plan, sample):
    return evaluator.evaluate(plan, sample)


@pytest.fixture
def rng():
    return np.random.default_rng(20261123)


@pytest.fixture
def benchmark():
    """Load a benchmark of the project as a module: ``benchmark("trust")``."""
    loaded = []

    def load(name):
        spec = importlib.util.spec_from_file_location(name, Path(__file__).parents[1] / "benchmarks" / f"{name}.py")
        module = sys.modules[name] = importlib.util.module_from_spec(spec)
        loaded.append(name)
        spec.loader.exec_module(module)
        return module

    yield load
    for name in loaded:
        sys.modules.pop(name, None)
