"""Surfaces: what a repeat is laid on in a proof. One file each, drawn by code.

Importing this package fills the registry with every module beside this one.
"""

from importlib import import_module
from pkgutil import iter_modules

from orvix.proofs.surfaces.scene import SURFACES, Scene, Sheet, Surface

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["SURFACES", "Scene", "Sheet", "Surface"]
