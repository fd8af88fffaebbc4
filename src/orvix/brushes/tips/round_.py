"""The round tip: a disc, crisp or soft, computed where it is laid."""

from orvix.brushes.tips.registry import TIPS, TipKind

TIPS.add("round", TipKind("round", "Round", "A disc, crisp or soft. Set Hardness and Roundness."))
