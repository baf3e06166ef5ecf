"""What tests share."""

import gc

from hypothesis import HealthCheck, settings

settings.register_profile(
    "whorl",
    deadline=None,  # kernels compile at their first use
    derandomize=True,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
settings.load_profile("whorl")
# As in the command, see `whorl/start.py`; collected tests stay, too.
gc.freeze()
gc.set_threshold(50_000)
