"""What a first ledger can be made of: which passes sum to a beauty (common practice, no source)."""

SUMS = ("components", "light-groups", "components-by-light-group")
MIXED = "mixed"  # every light whole where it was rendered so, by its components where only those were
RAW = "raw-light"  # components, the diffuse ones as surface colour x raw light
DEEP = "deep"  # deep passes, ordered by depth and held against the flat beauty
ASKED = (RAW, DEEP)  # taken only when asked for
BASES = (*SUMS, MIXED, *ASKED)
