import threading

import pytest
from tests.devices.cmm_bench import SHORT, Bench


@pytest.fixture
def bench():
    """Make stand-ins; all are closed."""
    made = []

    def make(**given):
        made.append(Bench(**given))
        return made[-1]

    yield make
    for one in made:
        one.close()
    assert not [t for t in threading.enumerate() if t.name.startswith("ipp") and t.is_alive() and not _ends(t)]


def _ends(thread):
    thread.join(2.0)
    return not thread.is_alive()


@pytest.fixture
def there(bench):
    """A stand-in that is connected and homed, with the straight stylus in use."""
    made = bench()
    made.connect()
    made.cmm.take_stylus(made.probing, SHORT)
    return made
