"""The ICC profile of what is written for a display, so that other viewers show what we show."""

from functools import cache

from PIL import ImageCms

_DATE = slice(24, 36)  # of a profile's header (ICC.1:2022, table 17): when it was made


@cache
def srgb_profile() -> bytes:
    """The ICC profile of sRGB. The date is that of no day, so that equal pictures make equal files."""
    made = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    made[_DATE] = bytes(12)
    return bytes(made)
