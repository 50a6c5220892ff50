"""How random examples are drawn, on a fast machine and a slow one alike: no test depends on a time."""

from hypothesis import HealthCheck, settings

settings.register_profile("any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("any machine")
