"""What tests share."""

from hypothesis import HealthCheck, settings

settings.register_profile(
    "whorl",
    deadline=None,  # kernels compile at their first use
    derandomize=True,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
settings.load_profile("whorl")
