"""The core of Orvix: tiles, grains, brushes, strokes, canvases and readings.

It knows nothing of the web application, of sockets, of the environment or of the clock; every pixel
that a painter sees or exports is computed here.
"""

ENGINE_VERSION = 4
"""Raised whenever the same stroke would give other pixels than before (see docs/architecture.md)."""
