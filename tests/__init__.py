"""Tests; random examples may take their time on whatever machine they run."""

from hypothesis import HealthCheck, settings

settings.register_profile("any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("any machine")
