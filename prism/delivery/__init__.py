"""What goes out: the rebuilt picture written, with what has to be said of it."""
