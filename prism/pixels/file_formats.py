"""The one table of file formats: what each says of its values, and which pixel types, compressions and passes it can
carry.

Plans, files, Intake, Hand-off and the command line all ask here. A new format is an entry in `FORMATS`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

HALF, FLOAT, UINT, BYTE, WORD = "half", "float", "uint", "uint8", "uint16"
BITS: Mapping[str, int] = MappingProxyType({BYTE: 8, WORD: 16})
"""Of pixel types that are whole numbers of 0..1."""
_ALL = frozenset({HALF, FLOAT, UINT, BYTE, WORD})


@dataclass(frozen=True, slots=True, kw_only=True)
class Compression:
    """meaning: for whom to choose it. exact: pixel types that come back bit by bit, whatever their channels are called.
    colour: ends of channel names that it takes for colour, leaving all other channels as they are; none if it treats
    all alike. code: its number in an OpenEXR header. deep: whether deep files can have it. recent: readers before
    OpenEXR 3.5 cannot open it. written: whether files can be written with it here."""

    meaning: str = ""
    exact: frozenset[str] = _ALL
    colour: tuple[str, ...] = ()
    code: int = -1
    deep: bool = False
    recent: bool = False
    written: bool = True

    @property
    def lossless(self) -> bool:
        """Whether no value changes, whatever its type."""
        return self.exact == _ALL

    def loses(self, pixel: str, channel: str) -> bool:
        """Whether the values of a channel may change. pixel: its type. channel: its full name."""
        if pixel in self.exact:
            return False
        return not self.colour or channel.rpartition(".")[2] in self.colour


_BUT_FLOAT, _BUT_HALF = _ALL - {FLOAT}, _ALL - {HALF}
_WHOLE = _ALL - {HALF, FLOAT}
_DWA, _J2K = ("R", "G", "B", "Y", "RY", "BY"), ("R", "G", "B", "r", "g", "b")
EXR_COMPRESSIONS: Mapping[str, Compression] = MappingProxyType(
    {
        "none": Compression(code=0, meaning="as it is: largest, quickest", deep=True),
        "rle": Compression(code=1, meaning="lossless, for flat areas such as mattes", deep=True),
        "zips": Compression(code=2, meaning="lossless, row by row: quick to read in part", deep=True),
        "zip": Compression(code=3, meaning="lossless, 16 rows at a time: the usual choice"),
        "piz": Compression(code=4, meaning="lossless, by wavelets: for grain and noise"),
        "pxr24": Compression(code=5, meaning="lossless for half; float loses its last 8 bits", exact=_BUT_FLOAT),
        "b44": Compression(
            code=6, meaning="lossy for half, of fixed size: for playing back; float stays as it is", exact=_BUT_HALF
        ),
        "b44a": Compression(
            code=7, meaning="lossy for half, smaller where flat: for playing back; float stays", exact=_BUT_HALF
        ),
        "dwaa": Compression(code=8, meaning="lossy, 32 rows at a time: small, for looking", exact=_WHOLE, colour=_DWA),
        "dwab": Compression(
            code=9, meaning="lossy, 256 rows at a time: smallest, for looking", exact=_WHOLE, colour=_DWA
        ),
        "htj2k256": Compression(code=10, meaning="lossless, 256 rows at a time", recent=True),
        "htj2k32": Compression(code=11, meaning="lossless, 32 rows at a time", recent=True),
        "lj2k": Compression(code=12, exact=_WHOLE, colour=_J2K, recent=True, written=False),
        "zstd": Compression(code=13, meaning="lossless: smaller and quicker than zip", recent=True),
    }
)
"""By name. Source: OpenEXR's technical introduction (pxr24 cuts floats to 24 bits, b44 packs half in blocks) and, for
which channels dwa and lj2k treat as colour, the library itself: a test writes and reads every pair."""

LOSSLESS = tuple(name for name, each in EXR_COMPRESSIONS.items() if each.lossless and not each.recent)
"""Of OpenEXR, those that every reader knows."""
KEEPING = tuple(name for name, each in EXR_COMPRESSIONS.items() if each.written and HALF in each.exact)
"""Of OpenEXR, those that keep every half: what a picture may be handed on with."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FileFormat:
    """straight: alpha is stored unassociated by rule, premultiplied if False, either if None. display: values are made
    for a screen, as a rule. lossy: neighbouring values bleed into each other.

    What is written here has pixels (types it can hold), compressions, abilities (keys of `prism.passes.kinds.DEMANDS`
    that hold whatever the type and compression) and, where an image library writes it, options for that. pillow:
    whether that is Pillow, and not OpenImageIO. planned: whether passes can be packed into it, so that it must be read
    again here. profile: whether it can carry an ICC profile. premultiplied: whether an alpha is written so here.
    """

    key: str
    title: str
    suffixes: tuple[str, ...]
    straight: bool | None = None
    display: bool = True
    lossy: bool = False
    pixels: tuple[str, ...] = ()
    compressions: Mapping[str, Compression] = field(default_factory=dict)
    abilities: frozenset[str] = frozenset()
    options: Mapping[str, int | str | bool] = field(default_factory=dict)
    pillow: bool = False
    planned: bool = True
    profile: bool = False
    premultiplied: bool = False

    @property
    def suffix(self) -> str:
        """The usual one."""
        return self.suffixes[0]

    @property
    def bits(self) -> tuple[int, ...]:
        """The bits of the whole numbers that it can hold."""
        return tuple(BITS[pixel] for pixel in self.pixels if pixel in BITS)

    @property
    def has_alpha(self) -> bool:
        """Whether it can hold one."""
        return "alpha" in self.abilities

    def refusal(self, *, bits: int | None = None, alpha: bool = False) -> str:
        """Why it cannot carry a picture of that depth, or with alpha, as a sentence that says what can; empty if it
        can."""
        if bits is not None and bits not in self.bits:
            return f"{self.title} has no {bits} bits; use {' or '.join(map(str, self.bits)) or 'another format'}."
        if alpha and not self.has_alpha:
            keeping = ", ".join(form.title for form in WRITTEN.values() if form.has_alpha)
            return f"{self.title} has no alpha; put the picture over a colour, or use one of {keeping}."
        return ""


_AS_IT_IS, _LOSSLESS = Compression(meaning="as it is"), Compression(meaning="lossless")
_PLANNED = ("zip", "zips", "piz", "rle", "none", "pxr24", "b44", "b44a", "dwaa", "dwab")  # in the order of use
_ALPHA = frozenset({"alpha"})

# png:compressionLevel: from 2 on a render's PNG gets three per cent smaller, and takes three times as long.
# straight: PNG specification (alpha is not premultiplied); OpenEXR technical introduction (premultiplied); TIFF says
# which in
# a tag. display: common practice, no source.
FORMATS: tuple[FileFormat, ...] = (
    FileFormat(
        key="exr", title="OpenEXR", suffixes=("exr", "sxr", "mxr"), straight=False, display=False, pixels=(HALF, FLOAT),
        compressions={name: EXR_COMPRESSIONS[name] for name in _PLANNED}, abilities=frozenset({"alpha", "layers"}),
        premultiplied=True,
    ),
    FileFormat(
        key="tiff", title="TIFF", suffixes=("tif", "tiff", "tx"), pixels=(BYTE, WORD, FLOAT),
        compressions={"zip": _LOSSLESS, "none": _AS_IT_IS}, abilities=_ALPHA, options={"compression": "zip"},
        profile=True, premultiplied=True,
    ),
    FileFormat(
        key="png", title="PNG", suffixes=("png",), straight=True, pixels=(BYTE, WORD), compressions={"zip": _LOSSLESS},
        abilities=_ALPHA, options={"png:compressionLevel": 2}, profile=True,
    ),
    FileFormat(
        key="tga", title="TGA", suffixes=("tga", "tpic"), pixels=(BYTE,),
        compressions={"rle": _LOSSLESS, "none": _AS_IT_IS}, abilities=_ALPHA, options={"compression": "rle"},
    ),
    FileFormat(
        key="jpeg", title="JPEG", suffixes=("jpg", "jpeg", "jpe", "jfif"), lossy=True, pixels=(BYTE,),
        compressions={"jpeg": Compression(meaning="lossy: for looking", exact=frozenset())},
        options={"Compression": "jpeg:95", "jpeg:subsampling": "4:4:4"}, profile=True,
    ),
    FileFormat(key="dpx", title="DPX", suffixes=("dpx",)),
    FileFormat(key="cineon", title="Cineon", suffixes=("cin",)),
    FileFormat(key="radiance", title="Radiance", suffixes=("hdr", "rgbe"), display=False),
    FileFormat(key="pnm", title="PNM", suffixes=("ppm", "pgm", "pbm", "pnm")),
    FileFormat(key="pfm", title="PFM", suffixes=("pfm",), display=False),
    FileFormat(key="sgi", title="SGI", suffixes=("sgi", "rgb", "rgba", "bw", "int", "inta")),
    FileFormat(key="bmp", title="BMP", suffixes=("bmp", "dib")),
    FileFormat(key="gif", title="GIF", suffixes=("gif",), straight=True, lossy=True),
    FileFormat(
        key="webp", title="WebP", suffixes=("webp",), straight=True, lossy=True, pixels=(BYTE,), abilities=_ALPHA,
        planned=False, options={"lossless": True, "exact": True, "quality": 60, "method": 4}, pillow=True, profile=True,
    ),
    FileFormat(
        key="avif", title="AVIF", suffixes=("avif",), straight=True, lossy=True, pixels=(BYTE,), abilities=_ALPHA,
        planned=False, options={"quality": 90, "subsampling": "4:4:4", "speed": 6}, pillow=True, profile=True,
    ),
    FileFormat(key="jpeg2000", title="JPEG 2000", suffixes=("jp2", "j2k", "j2c", "jph")),
    FileFormat(key="jpegxl", title="JPEG XL", suffixes=("jxl",)),
    FileFormat(key="photoshop", title="Photoshop document", suffixes=("psd", "psb")),
    FileFormat(key="rla", title="RLA", suffixes=("rla",), display=False),
    FileFormat(key="iff", title="IFF", suffixes=("iff",)),
    FileFormat(key="fits", title="FITS", suffixes=("fits",), display=False),
    FileFormat(key="dds", title="DDS", suffixes=("dds",)),
    FileFormat(key="softimage", title="Softimage picture", suffixes=("pic",)),
)  # fmt: skip
WRITTEN: Mapping[str, FileFormat] = MappingProxyType({each.key: each for each in FORMATS if each.pixels})
"""What can be written, by key."""
PLANNED: Mapping[str, FileFormat] = MappingProxyType({key: each for key, each in WRITTEN.items() if each.planned})
"""Of these, what passes can be packed into."""
STILLS: Mapping[str, FileFormat] = MappingProxyType({key: each for key, each in WRITTEN.items() if each.options})
"""Of these, what is written through a view transform."""
_BY_TITLE = MappingProxyType({each.title: each for each in FORMATS})
_BY_SUFFIX = MappingProxyType({suffix: each for each in FORMATS for suffix in each.suffixes})


def format_of(name: str) -> FileFormat | None:
    """By the suffix of a file name; None if it is no picture."""
    return _BY_SUFFIX.get(name.rpartition(".")[2].lower()) if "." in name else None


def is_picture(name: str) -> bool:
    """Whether the suffix of a file name is that of a picture."""
    return format_of(name) is not None


def is_exr(name: str) -> bool:
    """Whether the suffix of a file name is that of OpenEXR."""
    return format_of(name) is WRITTEN["exr"]


def format_of_title(title: str) -> FileFormat:
    """The format of that title. Raises KeyError."""
    return _BY_TITLE[title]


def is_still(name: str) -> bool:
    """Whether a file of that name, or with that suffix, can be written through a view transform."""
    found = format_of(name)
    return found is not None and bool(found.options)
