"""The image value: named planes of pixels that share one data window."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.errors import MissingChannels, SizeMismatch
from prism.pixels.window import Window

Plane = NDArray[np.generic]  # (H, W), float16, float32 or uint32
_DTYPES: Mapping[str, np.dtype] = {
    "half": np.dtype(np.float16),
    "float": np.dtype(np.float32),
    "uint": np.dtype(np.uint32),
}


def pixel_type(dtype: np.dtype) -> str:
    """OpenEXR's name of a plane's type: half, float or uint."""
    for name, known in _DTYPES.items():
        if dtype == known:
            return name
    raise TypeError(f"pixels of type {dtype} cannot be stored; use float16, float32 or uint32")


def dtype_of(pixel_type_name: str) -> np.dtype:
    """The numpy type of a pixel type of OpenEXR. Raises KeyError."""
    return _DTYPES[pixel_type_name]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Image:
    """Planes of pixels under their channel names. Colour is premultiplied and scene-linear; nothing is clamped."""

    channels: Mapping[str, Plane]  # each (H, W) of the data window
    data_window: Window
    display_window: Window
    attributes: Mapping[str, Any] = field(default_factory=dict)  # further header entries of a file

    def __post_init__(self) -> None:
        for name, plane in self.channels.items():
            pixel_type(plane.dtype)
            if plane.shape != self.data_window.shape:
                raise SizeMismatch(
                    f"Channel {name} has {plane.shape[1]} x {plane.shape[0]} pixels, the data window "
                    f"{self.data_window}."
                )
        object.__setattr__(self, "channels", MappingProxyType(dict(self.channels)))

    @classmethod
    def of_planes(cls, channels: Mapping[str, Plane], **attributes: Any) -> Image:
        """An image whose data and display window are both the size of its planes (H, W), which must not be empty."""
        height, width = next(iter(channels.values())).shape
        window = Window.of_size(width, height)
        return cls(channels=channels, data_window=window, display_window=window, attributes=attributes)

    def plane(self, name: str) -> Plane:
        """One channel, (H, W). Raises MissingChannels naming those there are."""
        try:
            return self.channels[name]
        except KeyError:
            found = ", ".join(self.channels)
            raise MissingChannels(f"There is no channel {name}; found {found}.") from None
