"""The views there are, by their short names."""

from types import MappingProxyType

VIEWS = MappingProxyType({"srgb": "Un-tone-mapped", "film": "ACES 2.0 - SDR 100 nits (Rec.709)"})
"""As the colour configuration calls them."""
VIEW_TITLES = MappingProxyType({"srgb": "plain sRGB", "film": "film-like (ACES 2.0)"})
"""As people call them."""
