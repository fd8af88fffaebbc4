"""Colour: blend modes and spaces."""
