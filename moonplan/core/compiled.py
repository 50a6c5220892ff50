"""Loops over slots and battery levels, compiled to machine code by numba.

A compiled function is ordinary Python to read; it takes and gives numbers and arrays. Compiling takes seconds, so the
result is kept. numba looks only at a function's own file to see whether it is still good, and would miss a changed rule
that the function calls: what is kept is therefore filed under a hash of every file with compiled functions in it.
"""

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import numba
from numba.core import config

Function = TypeVar("Function", bound=Callable[..., object])

_CORE = Path(__file__).parent


def _kept_under() -> str:
    sources = (path.read_bytes() for path in sorted(_CORE.rglob("*.py")))
    ours = (source for source in sources if b"@compiled" in source or b"@kernel" in source)
    return hashlib.sha256(b"".join(ours)).hexdigest()[:16]


_OPTIONS: dict[str, Any] = {"cache": True, "error_model": "numpy", "fastmath": {"contract", "nsz", "arcp"}}

config.CACHE_DIR = str(_CORE / "__pycache__" / f"compiled-{_kept_under()}")  # type: ignore[attr-defined]


def compiled(function: Function) -> Function:
    """The function as machine code, compiled for the types that it is first called with."""
    return cast(Function, numba.njit(**_OPTIONS)(function))


def kernel(function: Function) -> Function:
    """A compiled function that makes no arrays and gives none back, for the innermost loops.

    Elsewhere numba counts, in a way that is safe between threads, how often each array is in use, also of every part that is
    looked at; that took a third of the time that the planner's compiled code does. It stands whole wherever it is called:
    with what it is given, some two hundred numbers for a car, a call took longer than most of them do.
    """
    return cast(Function, numba.njit(**_OPTIONS | {"_nrt": False, "forceinline": True})(function))
