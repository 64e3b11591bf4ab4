"""Working spaces and the way from scene-linear to the display."""
