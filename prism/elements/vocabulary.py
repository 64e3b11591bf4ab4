"""The words that people write into names of channels, parts, files and folders, and the passes they stand for.

Common practice, no source: gathered from the short forms the trade uses. Every word stands for one term; a pass is a
set of terms that must be there, with others that may be.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType

from prism.passes.catalogue import BY_KEY, CATALOGUE
from prism.passes.kinds import Role

TERMS = MappingProxyType({
    "diffuse": "diffuse diff dif dfs",
    "specular": "specular spec spc gloss glossy reflection reflect reflective refl rfl",
    "direct": "direct dir drct",
    "indirect": "indirect ind indir gi bounce",
    "transmission": "transmission transmissive transmit transm trans refraction refractive refract refr rfr",
    "subsurface": "subsurface sss scattering scatter",
    "emission": "emission emissive emit emitted incandescence incandescent selfillum glow",
    "volume": "volume volumetric volumetrics vol fog atmosphere atmospheric atmos atmo",
    "background": "background bg bgd plate backdrop sky skydome environment env",
    "beauty": "beauty bty rgba rgb combined composite final",
    "surface": "surface surf base flat",
    "colour": "colour color col clr tint",
    "albedo": "albedo alb",
    "raw": "raw",
    "lighting": "lighting illumination illum irradiance",
    "light": "light lgt lg lightgroup lightgrp lights rl",
    "self": "self",
    "caustic": "caustic caustics",
    "occlusion": "occlusion ao occ ambocc",
    "shadow": "shadow shad shdw shadows",
    "coat": "coat clearcoat clearcoats",
    "sheen": "sheen fuzz velvet",
    "filter": "filter filt",
    "wire": "wire wireframe wires",
    "id": "id ids index idx",
    "object": "object obj objects ob",
    "material": "material mat mtl materials shader",
    "group": "group grp groups asset assets",
    "crypto": "crypto cryptomatte",
    "depth": "z depth zdepth zbuffer zbuf dpth",
    "filtered": "filtered smooth aa antialiased soft",
    "mist": "mist",
    "normal": "n normal nrm nrml norm nor nml",
    "camera": "camera cam view eye screen",
    "position": "p position pos pnt point",
    "uv": "uv uvs st texcoord",
    "motion": "motion mv mvec movec vector vec velocity vel flow",
    "forward": "forward fwd fw next",
    "backward": "backward bwd backwards back prev previous",
    "variance": "variance var",
    "deep": "deep",
    "denoised": "denoised dn denoise dnz",
})  # fmt: skip
"""Term to its words; plurals by a final s are understood everywhere."""

NEUTRAL = frozenset(
    [
        "pass",
        "passes",
        "aov",
        "aovs",
        "channel",
        "layer",
        "layers",
        "element",
        "render",
        "renders",
        "rendered",
        "out",
        "output",
        "lin",
        "linear",
        "acescg",
        "ap1",
        "img",
        "image",
        "pic",
        "map",
        "buffer",
        "buf",
        "data",
        "exr",
        "world",
        "wld",
        "ws",
        "total",
        "all",
        "full",
        "raw32",
        "ambient",
        "noisy",
        "denoising",
        "guide",
        "matte",
        "mattes",
        "main",
        "final",
        "component",
        "components",
        "half",
        "float",
    ]
)
"""Words that say nothing of which pass it is."""

VIEWS = MappingProxyType({"left": "left", "right": "right"})


@dataclass(frozen=True, slots=True)
class Meaning:
    """A pass by terms: those that must be there, and those that may. certainty: where nothing else is in the name."""

    key: str
    needed: frozenset[str]
    allowed: frozenset[str]
    certainty: float


MEANINGS = tuple(
    Meaning(kind.key, frozenset(needed.split()), frozenset(allowed.split()), certainty)
    for kind in CATALOGUE
    for needed, allowed, certainty in kind.names
)
OTHERS = MappingProxyType({
    "specular": ("specular_indirect",),
    "motion_forward": ("motion_backward",),
    "crypto_object": ("crypto_material", "crypto_group"),
    "id_object": ("id_material", "id_group"),
    "depth": ("depth_filtered",),
    "volume": ("mist",),
    "raw_light": ("diffuse",),
    "diffuse_indirect": ("specular_indirect",),
})  # fmt: skip
"""What else a word may have been meant for, likelier ones first."""

OWN_NAMES = MappingProxyType({
    (kind, *halves): "_".join((name or kind, *halves))
    for kind, name in (("transmission", ""), ("subsurface", ""), ("volume", ""), ("coat", "coat"), ("sheen", "sheen"))
    for halves in (("direct",), ("indirect",), ())
    if halves or name
})  # fmt: skip
"""Names of passes that are parts of one of the catalogue, by the words that say so: all parts of it count in a sum."""

LIGHT_NAMES = frozenset([
    "key", "fill", "rim", "kick", "kicker", "hair", "backlight", "sun", "moon", "practical", "practicals", "lamp",
    "lamps", "lantern", "lanterns", "spot", "bulb", "candle", "neon", "torch", "strobe",
])  # fmt: skip
"""What a light is called (common practice, no source): beside a component or a beauty, the component of that light."""

PART_TERMS = frozenset(
    needed
    for kind in CATALOGUE
    if kind.role is Role.LIGHT and "sky" not in kind.needs
    for needed, _, certainty in kind.names
    if " " not in needed and certainty >= 0.7
)
"""Terms that begin a component in a name that speaks of a light; a sky, for one, may be the light itself."""

LIGHT_KEYS = frozenset(kind.key for kind in BY_KEY.values() if kind.role is Role.LIGHT)


def _words() -> dict[str, str]:
    terms = TERMS | {term: words for kind in CATALOGUE for term, words in kind.terms}
    words = {word: term for term, listed in terms.items() for word in listed.split()}
    plural = {f"{word}s": term for word, term in words.items() if len(word) > 3 and not word.endswith("s")}
    return plural | words


WORDS = MappingProxyType(_words())
"""Every known word to its term."""


def in_known_words(word: str) -> tuple[str, ...] | None:
    """A word run together from known ones, such as zdepth or diffusedirect, cut into them; None if it is not."""
    if word in WORDS or word in NEUTRAL:
        return (word,)
    for cut in range(len(word) - 1, 0, -1):
        head, tail = word[:cut], word[cut:]
        if (cut > 1 or head in "zpn") and (head in WORDS or head in NEUTRAL):
            rest = in_known_words(tail) if len(tail) > 1 or tail in "zpn" else None
            if rest is not None:
                return (head, *rest)
    return None
