"""How long an example takes is no property of ours on a busy machine."""

from hypothesis import HealthCheck, settings

settings.register_profile("busy", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("busy")
