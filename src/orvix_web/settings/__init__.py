"""Settings: `base` holds everything; `local` and `tests` say where they differ."""
