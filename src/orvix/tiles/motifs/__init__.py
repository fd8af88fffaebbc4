"""Motifs and layouts: pictures and shapes placed on the cloth, whole items that stay editable."""
