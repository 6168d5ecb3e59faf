"""How hypothesis runs: the same examples every time, and no deadline, because machines are noisy."""

from hypothesis import HealthCheck, settings

settings.register_profile(
    "steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("steady")
