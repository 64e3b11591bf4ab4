"""Which files are pictures, and what a format says of its values by rule."""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, slots=True)
class Kind:
    """A picture format. straight: alpha is stored unassociated by rule, premultiplied if False, either if None.

    display: values are made for a screen, as a rule. lossy: neighbouring values bleed into each other.
    """

    title: str
    suffixes: tuple[str, ...]
    straight: bool | None = None
    display: bool = True
    lossy: bool = False


# straight: PNG specification (alpha is not premultiplied); OpenEXR technical introduction (premultiplied); TIFF says which in
# a tag. display: common practice, no source.
KINDS = (
    Kind("OpenEXR", ("exr", "sxr", "mxr"), straight=False, display=False),
    Kind("PNG", ("png",), straight=True),
    Kind("TIFF", ("tif", "tiff", "tx")),
    Kind("TGA", ("tga", "tpic")),
    Kind("JPEG", ("jpg", "jpeg", "jpe", "jfif"), lossy=True),
    Kind("DPX", ("dpx",)),
    Kind("Cineon", ("cin",)),
    Kind("Radiance", ("hdr", "rgbe"), display=False),
    Kind("PNM", ("ppm", "pgm", "pbm", "pnm")),
    Kind("PFM", ("pfm",), display=False),
    Kind("SGI", ("sgi", "rgb", "rgba", "bw", "int", "inta")),
    Kind("BMP", ("bmp", "dib")),
    Kind("GIF", ("gif",), straight=True, lossy=True),
    Kind("WebP", ("webp",), straight=True, lossy=True),
    Kind("JPEG 2000", ("jp2", "j2k", "j2c", "jph")),
    Kind("JPEG XL", ("jxl",)),
    Kind("Photoshop document", ("psd", "psb")),
    Kind("RLA", ("rla",), display=False),
    Kind("IFF", ("iff",)),
    Kind("FITS", ("fits",), display=False),
    Kind("DDS", ("dds",)),
    Kind("Softimage picture", ("pic",)),
)
_BY_TITLE = MappingProxyType({kind.title: kind for kind in KINDS})
BY_SUFFIX = MappingProxyType({suffix: kind for kind in KINDS for suffix in kind.suffixes})


def kind_of(name: str) -> Kind | None:
    """By the suffix of a file name; None if it is no picture."""
    return BY_SUFFIX.get(name.rpartition(".")[2].lower()) if "." in name else None


def is_picture(name: str) -> bool:
    """Whether the suffix of a file name is that of a picture."""
    return kind_of(name) is not None


def kind_of_title(title: str) -> Kind:
    """The format of that title. Raises KeyError."""
    return _BY_TITLE[title]
