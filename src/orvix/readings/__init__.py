"""Readings: measured properties of a tile or picture, one a file, each with a number and where it shows."""
