"""Readings: measured properties of a tile or picture, one a file. Importing this package fills the registry."""

from importlib import import_module
from pkgutil import iter_modules

from orvix.readings.registry import READINGS, Reading, Subject

for _module in iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["READINGS", "Reading", "Subject"]
