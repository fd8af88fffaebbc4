"""Drafts: what is changed on a bench and not saved yet, stored as it is changed, with the way back."""
