"""Single rasters in and out, each checked against limits before memory is taken."""

from orvix.pictures.reading import read_picture
from orvix.pictures.writing import flat_rgb, write_png

__all__ = ["flat_rgb", "read_picture", "write_png"]
