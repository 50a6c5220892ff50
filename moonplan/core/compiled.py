"""Loops over slots and battery levels, compiled to machine code by numba.

A compiled function is ordinary Python to read; it takes and gives numbers and arrays. Compiling takes seconds, so the
result is kept. numba looks only at a function's own file to see whether it is still good, and would miss a changed rule
that the function calls: what is kept is therefore filed under a hash of every file with compiled functions in it.
"""

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar, cast

import numba
from numba.core import config

Function = TypeVar("Function", bound=Callable[..., object])

_CORE = Path(__file__).parent


def _kept_under() -> str:
    sources = (path.read_bytes() for path in sorted(_CORE.rglob("*.py")))
    return hashlib.sha256(b"".join(source for source in sources if b"@compiled" in source)).hexdigest()[:16]


config.CACHE_DIR = str(_CORE / "__pycache__" / f"compiled-{_kept_under()}")  # type: ignore[attr-defined]


def compiled(function: Function) -> Function:
    """The function as machine code, compiled for the types that it is first called with."""
    return cast(Function, numba.njit(cache=True, error_model="numpy", fastmath={"contract", "nsz", "arcp"})(function))
