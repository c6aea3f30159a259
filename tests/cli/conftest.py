"""The demo's library for the command line."""

import shutil

import pytest

from nebbet.personal.home import Home, home_in
from nebbet.standin import demo
from tests.conftest import NOW


@pytest.fixture(scope="session")
def made_home(tmp_path_factory: pytest.TempPathFactory) -> Home:
    """The demo with its past, made once."""
    made = home_in(tmp_path_factory.mktemp("cli") / "demo")
    demo.prepare_demo(made, NOW).stop()
    return made


@pytest.fixture(scope="module")
def home(made_home: Home, tmp_path_factory: pytest.TempPathFactory) -> Home:
    """A copy of the demo for the tests of one module."""
    copied = home_in(tmp_path_factory.mktemp("copy") / "demo")
    shutil.copytree(made_home.data, copied.data)
    return copied
