"""The sources of tiles, one a file. Importing this package fills the registry."""

from orvix.tiles.sources import noise, picture
from orvix.tiles.sources.registry import SOURCES, Source

__all__ = ["SOURCES", "Source", "noise", "picture"]
