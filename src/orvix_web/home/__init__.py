"""The home page: what a painter was last doing, ways to begin, and what is running."""
