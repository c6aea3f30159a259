"""A short run of bad input through every entrance; scripts/fuzz is the long one."""

import pytest

from tests.fuzz.run import rounds

SECONDS = 12.0


@pytest.mark.timeout(300)
@pytest.mark.filterwarnings("ignore")
@pytest.mark.logs
def test_nothing_gets_out_of_any_entrance() -> None:
    tried, out = rounds(SECONDS, seed=1)
    assert len(tried) == 16
    assert all(tried.values())
    assert out == []
