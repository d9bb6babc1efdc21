"""What every test finds: profiles for property tests, and signals that nobody ignores.

`quick` is the default. `--hypothesis-profile thorough` takes ten times as many examples, the same ones each time;
`--hypothesis-profile search` takes other examples each time.
"""

import os
import signal
import sys

import pytest
from hypothesis import HealthCheck, settings

settings.register_profile(
    "quick", max_examples=10, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.register_profile("thorough", settings.get_profile("quick"), max_examples=100)
settings.register_profile("search", settings.get_profile("thorough"), derandomize=False)
settings.load_profile("quick")


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_auto_num_workers() -> int:
    """One more than there are processors: many tests wait for a clock, or for a program that they have started."""
    return (os.cpu_count() or 1) + 1


# A command ignores a signal that was ignored when it started, as nohup and background jobs of a shell do it.
signal.signal(signal.SIGINT, signal.default_int_handler)
signal.signal(signal.SIGHUP, signal.SIG_DFL)

# Tests start Python some hundred times: what it compiles is kept, whatever the surroundings say.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
sys.dont_write_bytecode = False
