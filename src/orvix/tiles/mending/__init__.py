"""Mending: replacing px from elsewhere in the same picture, so that it closes or a stain goes."""
