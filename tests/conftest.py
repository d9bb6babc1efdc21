"""What every test finds: properties without deadlines, since a machine may be busy, and signals that nobody ignores."""

import signal

from hypothesis import HealthCheck, settings

settings.register_profile("lumek", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("lumek")

# A command ignores a signal that was ignored when it started, as nohup and background jobs of a shell do it.
signal.signal(signal.SIGINT, signal.default_int_handler)
signal.signal(signal.SIGHUP, signal.SIG_DFL)
