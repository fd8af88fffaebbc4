"""Whether a picture closes: its borders measured against its own inside."""
