"""How properties are tested: without deadlines, since a machine may be busy with something else."""

from hypothesis import HealthCheck, settings

settings.register_profile("lumek", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("lumek")
