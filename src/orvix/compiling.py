"""How hot loops are compiled: one decorator for all of them, so that they are compiled alike.

Nothing is reassociated, so a px has the same bits however many lanes go through at a time. Vectors are as wide as the
processor's: left to itself the compiler stays at half of that, for the sake of older ones that slowed down.
"""

from __future__ import annotations

from functools import partial
from typing import Any

from llvmlite import binding
from numba import njit
from numba.core import config

if config.CPU_FEATURES is None:
    features = binding.get_host_cpu_features()
    if features.get("avx512f"):
        config.CPU_NAME = binding.get_host_cpu_name()
        config.CPU_FEATURES = f"{features.flatten()},-prefer-256-bit"

kernel_with: Any = partial(njit, nogil=True, cache=True, error_model="numpy")
"""The same with some option more, told by its name."""
kernel: Any = kernel_with()
"""Compiles a loop over arrays: no interpreter in it, kept on disk, dividing as NumPy does."""
