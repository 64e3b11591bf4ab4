"""What the viewer shows: any picture of a frame, remapped and encoded for the screen."""
