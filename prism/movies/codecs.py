"""The codecs there are: what each can carry, and what its round trip costs.

`off` was measured in this house, on smooth colour with an alpha of noise and hard edges: a test writes and reads it
again and holds the table to it. A codec without an alpha that comes back is not offered for one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Literal

Layout = Literal["bytes", "yuv420", "yuv444p10"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Codec:
    """encoder: of FFmpeg. layout: how its pixels are made: bytes as they are, or luma and chroma of ITU-R BT.709 with
    the range of video. opaque, alpha: its pixel formats without and with alpha; none if it cannot. bits: of what it is
    fed. off: largest error, in 8-bit codes, of smooth colour and of any alpha. even: only sizes of even numbers. plays:
    in browsers. licence: of the encoder as it is shipped."""

    title: str
    meaning: str
    suffix: str
    encoder: str
    layout: Layout
    opaque: str
    alpha: str = ""
    bits: int = 8
    off: tuple[int, int] = (0, 0)
    even: bool = False
    plays: bool = False
    options: Mapping[str, str] = field(default_factory=dict)
    alpha_options: Mapping[str, str] = field(default_factory=dict)
    licence: str = ""

    @property
    def keeps(self) -> str:
        """How much comes back, for the page."""
        if self.exact:
            return "exact" + (", alpha too" if self.alpha else "")
        colour = f"smooth colour within {self.off[0]} code{'s' if self.off[0] > 1 else ''}"
        return colour + (f", alpha within {self.off[1]}" if self.alpha else ", no alpha")

    @property
    def exact(self) -> bool:
        """Whether codes of 8 bits come back as they are."""
        return self.off == (0, 0)


CODECS: Mapping[str, Codec] = MappingProxyType(
    {
        "h264": Codec(
            title="H.264", meaning="For review: small, plays everywhere, no alpha.", suffix="mp4", encoder="libx264",
            layout="yuv420", opaque="yuv420p", even=True, plays=True, off=(32, 0),
            options={"crf": "16", "preset": "medium", "tune": "grain"},
            licence="x264, GPL 2 or later; H.264 is subject to patents",
        ),
        "prores4444": Codec(
            title="ProRes 4444", meaning="With alpha, for editing: 10 bits of colour.", suffix="mov",
            encoder="prores_ks", layout="yuv444p10", opaque="yuv444p10le", alpha="yuva444p10le", bits=16, off=(2, 1),
            options={"profile": "4444", "vendor": "apl0", "bits_per_mb": "8000"}, alpha_options={"alpha_bits": "16"},
            licence="FFmpeg, LGPL 2.1 or later",
        ),
        "animation": Codec(
            title="Animation", meaning="With alpha, exact: run lengths, for flat overlays.", suffix="mov",
            encoder="qtrle", layout="bytes", opaque="rgb24", alpha="argb", licence="FFmpeg, LGPL 2.1 or later",
        ),
        "png": Codec(
            title="PNG in QuickTime", meaning="With alpha, exact: smaller than Animation for pictures.", suffix="mov",
            encoder="png", layout="bytes", opaque="rgb24", alpha="rgba", options={"compression_level": "4"},
            licence="FFmpeg, LGPL 2.1 or later; zlib",
        ),
        "vp9": Codec(
            title="VP9", meaning="With alpha, for web pages: plays in browsers.", suffix="webm", encoder="libvpx-vp9",
            layout="yuv420", opaque="yuv420p", alpha="yuva420p", plays=True, off=(32, 12),
            options={"crf": "12", "b": "0", "row-mt": "1", "cpu-used": "4", "deadline": "good", "auto-alt-ref": "0"},
            licence="libvpx, BSD",
        ),
    }
)  # fmt: skip
"""By the name that documents and the command line use."""
