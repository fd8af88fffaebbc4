"""Grains: a tile read as one channel, laid over the canvas at any exact scale."""
