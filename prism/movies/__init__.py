"""Movies: codecs that a round trip was measured of, and frames written and read with them."""
