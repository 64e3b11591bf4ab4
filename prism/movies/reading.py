"""Movies decoded frame by frame as codes, alpha included."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from prism.movies.frames import KB, KG, KR

_VP9 = "libvpx-vp9"  # FFmpeg's own decoder of VP9 drops the alpha


def read_movie(path: Path) -> Iterator[NDArray[np.float32]]:
    """Display values (H, W, 4) of straight colour of every frame; alpha 1 where the movie has none."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        if stream.codec_context.name == "vp9":
            decoder: Any = av.CodecContext.create(_VP9, "r")
            for packet in container.demux(stream):
                for frame in decoder.decode(packet if packet.size else None):
                    yield _values(frame)
        else:
            for frame in container.decode(stream):
                yield _values(frame)


def _values(frame: av.VideoFrame) -> NDArray[np.float32]:
    name = frame.format.name
    if not name.startswith("yuv"):
        rgba = frame.to_ndarray(format="rgba") if name != "argb" else frame.to_ndarray()[..., [1, 2, 3, 0]]
        return rgba.astype(np.float32) / np.float32(255)
    bits = frame.format.components[0].bits
    planes = [_plane(plane, bits) for plane in frame.planes]
    scale, height, width = np.float32(1 << (bits - 8)), frame.height, frame.width
    luma = (planes[0] - 16 * scale) / (219 * scale)
    blue, red = ((_grown(plane, height, width) - 128 * scale) / (224 * scale) for plane in planes[1:3])
    r, b = luma + 2 * (1 - KR) * red, luma + 2 * (1 - KB) * blue
    alpha = planes[3] / ((1 << bits) - 1) if len(planes) > 3 else np.ones_like(luma)
    return np.dstack([r, (luma - KR * r - KB * b) / KG, b, alpha]).clip(0, 1).astype(np.float32)


def _plane(plane: av.video.plane.VideoPlane, bits: int) -> NDArray[np.float32]:
    kind = np.uint16 if bits > 8 else np.uint8
    lines = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)[: plane.height]
    return lines.view(kind)[:, : plane.width].astype(np.float32)


def _grown(plane: NDArray[np.float32], height: int, width: int) -> NDArray[np.float32]:
    if plane.shape == (height, width):
        return plane
    return np.repeat(np.repeat(plane, 2, axis=0), 2, axis=1)[:height, :width]
