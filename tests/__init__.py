"""All tests. How fast a value is drawn says how busy the machine is, never whether the code is right."""

from hypothesis import HealthCheck, settings

settings.register_profile("desk", suppress_health_check=[HealthCheck.too_slow], deadline=None)
settings.load_profile("desk")
