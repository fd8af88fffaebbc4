"""Tiles: rasters that close on themselves under their repeat, and the recipes that make them."""
