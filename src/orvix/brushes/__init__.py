"""Brushes: what a coat is made of, and the starter brushes."""
