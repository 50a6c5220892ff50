"""What the first plan of a process would otherwise wait a second for."""

import gc
import json

from moonplan.core.household import read
from moonplan.core.planner.plan import plan
from moonplan.core.planner.problem import CONTROLS

_RATE = {"efficiency": 0.9, "overhead_kw": 0.2, "cautious": {"efficiency": 0.85, "overhead_kw": 0.3}}
# Cars that want the same hours of one circuit, steered in every way; for a week, so that there is room for one, and so many
# that some are planned together.
_HOUSEHOLD = {
    "format": "moonplan-household/1",
    "timezone": "UTC",
    "now": "2026-01-14T18:00:00+00:00",
    "horizon_nights": 7,
    "supply": {"leg_voltage_v": 230, "legs": 1, "rating_a": 40, "continuous_factor": 1.0},
    "circuits": [{"id": "circuit", "breaker_a": 16, "voltage_v": 230, "continuous_factor": 1.0}],
    "leads": [{"id": control, "circuit": "circuit", "max_a": 16, "control": control} for control in CONTROLS],
    "vehicles": [
        {
            "id": control,
            "lead": control,
            "control": control,
            "usable_kwh": 50,
            "onboard_kw": 3.7,
            "use_kwh_per_100km": 17,
            "soc_pct": 50,
            "end_pct": 80,
        }
        for control in CONTROLS
    ],
    "rates": [_RATE | {"vehicle": control, "lead": control} for control in CONTROLS],
    "tariff": {"default_price": 0.3, "bands": [{"name": "night", "price": 0.1, "from": "22:00", "to": "06:00"}]},
}


def warm() -> None:
    """Load the planner's machine code and the sun's model, and let the collector of garbage never look at them again: a look
    at all that is loaded takes a tenth of a second, in the middle of a plan."""
    import pvlib.location  # noqa: F401

    plan(read(json.dumps(_HOUSEHOLD)), prove=False)
    gc.collect()
    gc.freeze()
