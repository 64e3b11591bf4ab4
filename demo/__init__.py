"""The demo: the Orrery Conservatory and the shots made of it. All of it is invented."""
