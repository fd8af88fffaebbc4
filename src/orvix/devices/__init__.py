"""Stand-ins for outside devices, so that everything can be tried and tested without them."""
