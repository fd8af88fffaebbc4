"""From pointer samples to painted pixels: samples, curve, rhythm, stamps, dabs, stroke buffer."""
