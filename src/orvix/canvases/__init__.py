"""Canvases: layers of sparse blocks, compositing, operations and their history."""
