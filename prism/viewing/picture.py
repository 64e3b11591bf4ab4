"""From pixels to encoded bytes: remap data, choose a channel, apply the view."""

from __future__ import annotations

import base64
import io
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Pillow

from prism.colour.spaces import luminance
from prism.colour.view import ViewTransform, apply_exactly, apply_quickly, display_quickly
from prism.errors import BadArgument
from prism.finish.planes import DISPLAY, brightness
from prism.formats.stills import to_codes
from prism.pixels.picture import Picture
from prism.pixels.window import Window
from prism.sources.pixels import Frame, picture_of
from prism.viewing.remap import Remap, remapped

CHANNELS = ("rgb", "r", "g", "b", "a", "luminance")
GROUNDS = ("black", "checker", "grey")
ENCODINGS = ("jpeg", "png")
CHECKER_SIDE = 12  # pixels
CHECKER_TONES = (0.045, 0.075)  # scene-linear; dark and close together, so that edges stay readable
GREY_GROUND = 0.18
JPEG_QUALITY = 92


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """How to show a picture. stops: exposure. gamma: on display values. ground: what lies under transparency."""

    transform: ViewTransform = ViewTransform()
    stops: float = 0.0
    gamma: float = 1.0
    channel: str = "rgb"
    ground: str = "black"

    def __post_init__(self) -> None:
        for setting, known in ((self.channel, CHANNELS), (self.ground, GROUNDS)):
            if setting not in known:
                raise BadArgument(f"Unknown setting {setting}.", advice=f"Use {', '.join(known)}.")


AfterView = Callable[[NDArray[np.float32]], NDArray[np.float32]]
"""What is done to display values (3, H, W) before they are shown."""


def to_screen(
    rgba: NDArray[np.float32], look: Look, *, data: bool = False, after_view: AfterView | None = None,
    exactly: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """Display bytes (H, W, 3). Data is shown by its values as they are: exposure, but no view transform.

    exactly: of a picture with `after_view`, the codes that are written to a still of 8 bits over black.
    """
    if after_view is not None and look.channel != "a":
        return _after(rgba, look, after_view, exactly=exactly)
    gain = float(2.0**look.stops)
    transform = look.transform
    if look.channel == "rgb":
        shown = _on_ground(rgba, look.ground) if look.ground != "black" and not data else rgba
        if not data:
            return apply_quickly(shown, transform, gain=gain, gamma=look.gamma)
        return _plain_codes(shown[:3] * gain, look.gamma)
    plane = _one_channel(rgba, look.channel, transform.space) * (1.0 if look.channel == "a" else gain)
    if data or look.channel == "a":
        return _plain_codes(np.broadcast_to(plane, (3, *plane.shape)), look.gamma)
    return apply_quickly(np.broadcast_to(plane, (4, *plane.shape)), transform, gamma=look.gamma)


def developed_quickly(rgba: NDArray[np.float32], look: Look) -> NDArray[np.float32]:
    """Display values (3, H, W) of light (4, H, W) on its ground, before the viewer's gamma."""
    shown = _on_ground(rgba, look.ground) if look.ground != "black" else rgba
    return display_quickly(shown, look.transform, gain=float(2.0**look.stops))


def _after(rgba: NDArray[np.float32], look: Look, after_view: AfterView, *, exactly: bool) -> NDArray[np.uint8]:
    if exactly:
        shown = _on_ground(rgba, look.ground) if look.ground != "black" else rgba
        light = np.moveaxis(shown[:3] * np.float32(2.0**look.stops), 0, -1)
        values = np.moveaxis(apply_exactly(light, look.transform), -1, 0)
    else:
        values = developed_quickly(rgba, look)
    values = after_view(np.ascontiguousarray(values))
    if look.channel != "rgb":
        plane = brightness(values, DISPLAY) if look.channel == "luminance" else values["rgb".index(look.channel)]
        values = np.broadcast_to(plane, values.shape)
    if exactly and look.gamma == 1:
        return to_codes(np.moveaxis(values, 0, -1), 8, dithered=True)
    return _plain_codes(values, look.gamma)


def grey(values: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Display bytes (H, W, 3) of a data plane (H, W) of 0..1, as it is."""
    return _plain_codes(np.repeat(values[np.newaxis], 3, axis=0), 1.0)


def encode(rgb: NDArray[np.uint8], encoding: str) -> bytes:
    """A file of display bytes (H, W, 3). jpeg: about 15 times faster, for pictures that change; png: exact, for
    pictures that rest."""
    image = Pillow.fromarray(rgb)
    target = io.BytesIO()
    if encoding == "jpeg":
        image.save(target, "JPEG", quality=JPEG_QUALITY, subsampling=0)
    elif encoding == "png":
        image.save(target, "PNG", compress_level=1)
    else:
        raise BadArgument(f"Unknown encoding {encoding}.", advice=f"Use {' or '.join(ENCODINGS)}.")
    return target.getvalue()


def encoded(codes: NDArray[np.uint8]) -> tuple[bytes, str]:
    """A file of display bytes (H, W, 3 or 4), with their alpha if there is one, and its media type."""
    kind = "png" if codes.shape[2] == 4 else "jpeg"
    return encode(codes, kind), f"image/{kind}"


def as_address(codes: NDArray[np.uint8]) -> str:
    """Display bytes (H, W, 3 or 4) as an address that holds all of them (RFC 2397)."""
    data, kind = encoded(codes)
    return f"data:{kind};base64,{base64.b64encode(data).decode()}"


def step_for(window: Window, at_most: int) -> int:
    """The smallest whole divisor of both sides that brings a width down to at most that many pixels; and leaves one row
    of a very flat picture."""
    return max(1, min(-(-window.width // max(1, at_most)), window.height, window.width))


def source_picture(sources: Frame, key: str, *, step: int = 1, remap: Remap = Remap()) -> tuple[Picture, bool]:
    """One pass, and whether it is data that was remapped for the screen."""
    source = sources.source(key)
    pixels = sources.pixels(key, step=step)
    as_data = source.is_data or remap.way != "auto"
    rgb = remapped(source, pixels, remap) if as_data else np.stack(pixels.planes).astype(np.float32)
    hides_alpha = source.kind is not None and source.kind.ranked
    alpha = np.ones_like(rgb[:1]) if pixels.alpha is None or hides_alpha else pixels.alpha[None].astype(np.float32)
    return picture_of(sources, np.concatenate([rgb, alpha]), step=step), as_data


def pass_jpeg(sources: Frame, key: str, look: Look, *, width: int) -> bytes:
    """One pass in its usual remap as a JPEG of at most that width. Raises UnknownSource or UnreadableFile."""
    step = step_for(sources.display_window, width)
    picture, data = source_picture(sources, key, step=step)
    return encode(to_screen(picture.on_display, look, data=data), "jpeg")


def _one_channel(rgba: NDArray[np.float32], channel: str, space: str) -> NDArray[np.float32]:
    if channel == "luminance":
        return luminance(rgba[:3], space)
    return rgba["rgba".index(channel)]


def _on_ground(rgba: NDArray[np.float32], ground: str) -> NDArray[np.float32]:
    height, width = rgba.shape[1:]
    if ground == "grey":
        tone = np.full((height, width), GREY_GROUND, np.float32)
    else:
        y, x = np.ogrid[:height, :width]
        tone = np.where((x // CHECKER_SIDE + y // CHECKER_SIDE) % 2, *CHECKER_TONES).astype(np.float32)
    laid = rgba.copy()
    laid[:3] += tone * (1 - rgba[3].clip(0, 1))
    return laid


def _plain_codes(rgb: NDArray[np.float32], gamma: float) -> NDArray[np.uint8]:
    shown = np.nan_to_num(rgb, nan=0).clip(0, 1) ** np.float32(1 / gamma)
    return np.ascontiguousarray(np.moveaxis(np.floor(shown * 255 + 0.5).astype(np.uint8), 0, -1))
