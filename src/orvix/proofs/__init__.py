"""Proofs: looks at a repeat, laid out as a sheet."""
