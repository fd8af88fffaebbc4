"""The demo scenario, the studio Brindle Skerry, built through the application's own services."""
