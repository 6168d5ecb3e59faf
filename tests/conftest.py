"""How hypothesis runs: the same examples every time, and no deadline, because machines are noisy."""

import signal

import pytest
from hypothesis import HealthCheck, settings

settings.register_profile(
    "steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("steady")


@pytest.fixture(autouse=True)
def nothing_outlives_its_test():
    """Programs that a test started and, because it failed, did not end."""
    yield
    from terminals import end_all

    end_all()


# A shell has what it runs in the background ignore Ctrl-C, and its children with it: not here.
signal.signal(signal.SIGINT, signal.default_int_handler)
