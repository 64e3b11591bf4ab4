"""What goes out: a delivery document of items, each a subject and an encoding, and what has to be said of it."""
