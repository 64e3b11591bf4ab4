"""Stills: 8- and 16-bit pictures through the view transform, and planes as they are. The one place that writes them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image as Pillow

from prism.colour.developing import Developed, develop
from prism.colour.profile import srgb_profile
from prism.colour.view import ViewTransform
from prism.errors import BadArgument, UnwritableFile
from prism.formats.png import say_srgb
from prism.formats.safe import replacing
from prism.pixels.file_formats import STILLS, FileFormat, format_of

DITHER = 20_261_129  # where the shares of a code that are added begin


def write_still(
    path: Path,
    rgba: NDArray[np.float32],
    transform: ViewTransform,
    *,
    bits: int = 8,
    keep_alpha: bool = True,
    compression: str | None = None,
    pixel_aspect: float = 1.0,
) -> Developed:
    """Write a premultiplied scene-linear (4, H, W) picture as display values, whole or not at all; returns them.

    See `develop` and `write_display`. Where the format has no alpha, the picture is over black.
    """
    shown = develop(rgba, transform, keep_alpha=keep_alpha and still_format(path).has_alpha)
    write_display(
        path, shown.values, shown.alpha, bits=bits, compression=compression, pixel_aspect=pixel_aspect, dithered=False
    )
    return shown


def write_display(
    path: Path,
    values: NDArray[np.float32],
    alpha: NDArray[np.float32] | None,
    *,
    bits: int = 8,
    compression: str | None = None,
    pixel_aspect: float = 1.0,
    dithered: bool = False,
) -> NDArray:
    """Write straight display values (H, W, 3) of sRGB with their alpha (H, W), whole or not at all, as the format
    expects it (PNG straight, TIFF premultiplied), with the profile of sRGB where it can carry one. Returns the codes
    that were written, (H, W, 3 or 4).

    compression: one the format has, None for its usual one. dithered: see `to_codes`. Raises BadArgument for a depth or
    an alpha that the format does not have, UnwritableFile.
    """
    path = Path(path)
    form = still_format(path)
    refusal = form.refusal(bits=bits, alpha=alpha is not None)
    if refusal:
        raise BadArgument(refusal, where=str(path))
    if alpha is not None:
        values = np.dstack([values * alpha[..., None] if form.premultiplied else values, alpha])
    codes = to_codes(values, bits, dithered=dithered)
    _write(path, codes, form, compression, pixel_aspect)
    return codes


def write_codes(path: Path, codes: NDArray, *, dpi: float = 0.0) -> None:
    """Write straight codes (H, W, 3 or 4), uint8, as they are. dpi: pixels to an inch, for print. Raises
    UnwritableFile."""
    form = still_format(Path(path))
    if codes.shape[2] == 4 and form.premultiplied:
        cover = codes[..., 3:].astype(np.float32) / 255
        codes = np.dstack([np.floor(codes[..., :3] * cover + np.float32(0.5)).astype(np.uint8), codes[..., 3]])
    _write(Path(path), codes, form, None, 1.0, dpi)


def write_values(
    path: Path,
    planes: Sequence[NDArray[np.float32]],
    *,
    pixel: str,
    compression: str | None = None,
    pixel_aspect: float = 1.0,
) -> None:
    """Write (H, W) planes as they are, whole or not at all: float unclipped, whole numbers from 0..1 without a curve.

    pixel: float, uint8 or uint16. Raises UnwritableFile.
    """
    values = np.stack(list(planes), axis=-1).astype(np.float32)
    stored = values if pixel == "float" else to_codes(values.clip(0, 1), 8 if pixel == "uint8" else 16)
    _write(Path(path), stored, still_format(path), compression, pixel_aspect)


def still_format(path: Path) -> FileFormat:
    """The format of a still to be written. Raises BadArgument naming those there are."""
    found = format_of(Path(path).name)
    if found is None or not found.options:
        stills = ", ".join(f".{suffix}" for form in STILLS.values() for suffix in form.suffixes[:2])
        raise BadArgument(
            f"Unknown format {Path(path).suffix or 'without suffix'}.", where=str(path), advice=f"Use .exr, {stills}."
        )
    return found


def to_codes(shown: NDArray[np.float32], bits: int, *, dithered: bool = False) -> NDArray:
    """code = floor(v (2^n - 1) + 1/2), which unlike rounding to even treats all steps alike.

    dithered: of 8 bits, an even share of a code is added before: the mean of many pixels is then v, so that no bands
    show. What is a code already stays that one. The shares are the same for every file of that size.
    """
    top = (1 << bits) - 1
    codes = shown.astype(np.float64) * top + 0.5
    if dithered and bits == 8:
        codes += np.random.default_rng(DITHER).random(codes.shape) - 0.5
        codes = codes.clip(0, top + 0.5)
    return np.floor(codes).astype(np.uint8 if bits == 8 else np.uint16)


def _write(
    path: Path, pixels: NDArray, form: FileFormat, compression: str | None, pixel_aspect: float, dpi: float = 0.0
) -> None:
    with replacing(path) as temporary:
        if form.pillow:
            _by_pillow(path, temporary, pixels, form)
            return
        spec = _spec(pixels, form, compression, pixel_aspect)
        if dpi:
            spec.attribute("XResolution", float(dpi))
            spec.attribute("YResolution", float(dpi))
            spec.attribute("ResolutionUnit", "in")
        _by_openimageio(path, temporary, pixels, spec)
        if form.key == "png":
            say_srgb(temporary)


def _by_pillow(path: Path, temporary: Path, pixels: NDArray, form: FileFormat) -> None:
    try:
        options: dict[str, Any] = dict(form.options)
        Pillow.fromarray(pixels).save(temporary, icc_profile=srgb_profile(), **options)
    except (OSError, ValueError, KeyError) as error:
        raise UnwritableFile(f"{form.title} cannot be written: {error}.", where=str(path)) from error


def _spec(pixels: NDArray, form: FileFormat, compression: str | None, pixel_aspect: float) -> oiio.ImageSpec:
    height, width, count = pixels.shape
    spec = oiio.ImageSpec(width, height, count, str(pixels.dtype).replace("float32", "float"))
    if pixels.dtype != np.float32:
        spec.attribute("oiio:ColorSpace", "sRGB")
        if form.profile and count >= 3:
            profile = np.frombuffer(srgb_profile(), np.uint8)
            spec.attribute("ICCProfile", oiio.TypeDesc(f"uint8[{len(profile)}]"), profile)
    spec.attribute("PixelAspectRatio", float(pixel_aspect))
    if count == 4 and not form.premultiplied:
        spec.attribute("oiio:UnassociatedAlpha", 1)  # the values are straight already: no division by the library
    for name, setting in form.options.items():
        spec.attribute(name, setting)
    if compression is not None and "compression" in form.options:
        spec.attribute("compression", compression)
    return spec


def _by_openimageio(path: Path, temporary: Path, pixels: NDArray, spec: oiio.ImageSpec) -> None:
    target = oiio.ImageOutput.create(str(temporary))
    if target is None or not target.open(str(temporary), spec):
        raise UnwritableFile(
            f"Cannot be written: {oiio.geterror() if target is None else target.geterror()}.", where=str(path)
        )
    written = target.write_image(np.ascontiguousarray(pixels))
    reason = target.geterror() if not written else ""
    closed = target.close()
    if not (written and closed):
        raise UnwritableFile(
            f"Cannot be written: {reason or target.geterror()}.", where=str(path), advice="Is the disk full?"
        )
