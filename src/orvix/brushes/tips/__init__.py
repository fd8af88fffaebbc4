"""Tips: the shape of one stamp. One file a kind; all of them are in TIPS."""

from orvix.brushes.tips import lettering, picture, polygon, round_, sets  # noqa: F401  (they register their kinds)
from orvix.brushes.tips.registry import TIPS, Tip, TipKind

__all__ = ["TIPS", "Tip", "TipKind"]
