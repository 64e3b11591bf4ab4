"""Images as values: channels, windows, statistics."""
