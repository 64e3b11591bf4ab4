"""The rebuilt picture against the rendered one: what rounding explains, what else may be the cause, and which start
lands on it."""
