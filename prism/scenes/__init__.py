"""What is known of a scene before a frame of it is rendered."""
