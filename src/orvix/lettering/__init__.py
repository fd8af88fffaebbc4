"""Lettering: fonts, shaping, and clusters of letters as pictures."""
