"""The pixels of a frame, on demand, all in one form."""
