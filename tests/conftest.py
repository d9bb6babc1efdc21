"""What every test finds: properties with the same examples each time and no deadlines, and signals that nobody ignores.

`--hypothesis-profile search` tries other examples each time.
"""

import signal

from hypothesis import HealthCheck, settings

settings.register_profile("lumek", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("search", settings.get_profile("lumek"), derandomize=False)
settings.load_profile("lumek")

# A command ignores a signal that was ignored when it started, as nohup and background jobs of a shell do it.
signal.signal(signal.SIGINT, signal.default_int_handler)
signal.signal(signal.SIGHUP, signal.SIG_DFL)
