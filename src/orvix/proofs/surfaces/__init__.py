"""Surfaces: what a repeat is laid on in a proof. One file each, drawn by code; all of them are in SURFACES."""

from orvix.proofs.surfaces import (  # noqa: F401  (they register themselves)
    bulkhead,
    cushion,
    deck_chair,
    endpaper,
    flat_cloth,
    hat_box,
    mug,
    tin,
    tote,
)
from orvix.proofs.surfaces.scene import SURFACES, Scene, Sheet, Surface

__all__ = ["SURFACES", "Scene", "Sheet", "Surface"]
