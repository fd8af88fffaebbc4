"""The steps of recipes, one a file. Importing this package fills the registry with every module beside this one."""

from importlib import import_module
from pkgutil import iter_modules

from orvix.tiles.steps.registry import STEPS, Step

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["STEPS", "Step"]
