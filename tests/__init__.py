"""Every test; run by ``./run test`` or ``python -m tests``."""

from hypothesis import HealthCheck, settings

# No test may fail because the machine is busy.
settings.register_profile(
    "patient", deadline=None, suppress_health_check=[HealthCheck.too_slow], database=None
)
settings.load_profile("patient")
