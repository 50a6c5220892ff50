"""A server that has just begun plans its first evening as fast as every other."""

import subprocess
import sys

_FIRST_PLAN = """
import gc, json, sys
from pathlib import Path
from numba.core.registry import CPUDispatcher
from moonplan.core.household import read
from moonplan.core.planner.plan import plan
from moonplan.planning.warming import warm

def loaded():
    '''Compiled functions of the core, and for how many kinds of arguments each is loaded.'''
    return {
        f"{name}.{told}": len(of.signatures)
        for name, module in list(sys.modules.items()) if name.startswith("moonplan.core")
        for told, of in vars(module).items() if isinstance(of, CPUDispatcher)
    }

assert not any(loaded().values())
warm()
warmed = loaded()
assert warmed["moonplan.core.planner.joint_ways.joint_amps"], "of three cars some are planned together"
assert gc.get_freeze_count() > 10_000
for cars in ("two", "three"):
    plan(read(Path(f"tests/examples/{cars}_cars.json").read_text()), prove=False)
assert loaded() == warmed, {name: of for name, of in loaded().items() if warmed.get(name) != of}
"""


def test_what_the_first_plan_needs_is_loaded_before_it_is_asked_for():
    told = subprocess.run([sys.executable, "-c", _FIRST_PLAN], capture_output=True, text=True, check=False)

    assert told.returncode == 0, told.stderr
