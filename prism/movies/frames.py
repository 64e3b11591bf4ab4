"""Display values as the pixels that encoders take.

Luma and chroma are those of ITU-R BT.709 in the range of video (Y 16..235, Cb and Cr 16..240, of 8 bits), since the
scaler of FFmpeg takes BT.601 unless it is told, and moves an alpha by a code when the depth changes.
"""

from __future__ import annotations

import av
import numpy as np
from numpy.typing import NDArray

from prism.movies.codecs import Codec

KR, KB = 0.2126, 0.0722  # ITU-R BT.709-6
KG = 1 - KR - KB
_TO_YCC = np.array(
    [
        [KR, KG, KB],
        [-KR / (2 * (1 - KB)), -KG / (2 * (1 - KB)), 0.5],
        [0.5, -KG / (2 * (1 - KR)), -KB / (2 * (1 - KR))],
    ],
    np.float32,
)


def frame_of(codes: NDArray, codec: Codec, *, alpha: bool) -> av.VideoFrame:
    """A frame for an encoder from codes (H, W, 3 or 4), uint8 or uint16, of straight colour; alpha is left out or added
    as full."""
    if codec.layout == "bytes":
        return _bytes(codes, codec, alpha)
    return _luma_and_chroma(codes, codec, alpha)


def _bytes(codes: NDArray, codec: Codec, alpha: bool) -> av.VideoFrame:
    codes = _as_bytes(codes)
    if not alpha:
        return av.VideoFrame.from_ndarray(np.ascontiguousarray(codes[..., :3]), format="rgb24")
    codes = _with_alpha(codes)
    order = [3, 0, 1, 2] if codec.alpha == "argb" else [0, 1, 2, 3]
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(codes[..., order]), format=codec.alpha)


def _as_bytes(codes: NDArray) -> NDArray[np.uint8]:
    return codes if codes.dtype == np.uint8 else ((codes.astype(np.uint32) + 128) // 257).astype(np.uint8)


def _with_alpha(codes: NDArray) -> NDArray:
    if codes.shape[2] == 4:
        return codes
    return np.dstack([codes, np.full(codes.shape[:2], np.iinfo(codes.dtype).max, codes.dtype)])


def _luma_and_chroma(codes: NDArray, codec: Codec, alpha: bool) -> av.VideoFrame:
    if codec.even:
        codes = even(codes)
    height, width = codes.shape[:2]
    bits = 10 if codec.layout == "yuv444p10" else 8
    scale = np.float32(1 << (bits - 8))
    rgb = codes[..., :3].reshape(-1, 3).astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)
    luma, *chroma = (rgb @ _TO_YCC.T).T.reshape(3, height, width)
    if codec.layout == "yuv420":
        chroma = [_halved(plane) for plane in chroma]
    planes = [16 * scale + 219 * scale * luma, *(128 * scale + 224 * scale * plane for plane in chroma)]
    if alpha:
        most = np.float32((1 << bits) - 1)
        planes.append(_with_alpha(codes)[..., 3].astype(np.float32) * (most / np.iinfo(codes.dtype).max))
    kind = np.uint16 if bits > 8 else np.uint8
    frame = av.VideoFrame(width, height, codec.alpha if alpha else codec.opaque)
    for target, plane in zip(frame.planes, planes, strict=True):
        _fill(target, np.floor(plane + np.float32(0.5)).astype(kind))
    return frame


def _halved(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Chroma of two by two pixels, placed as H.264 has it by default: beside the left column, between the rows (ITU-T
    H.264, figure E-1)."""
    rows = np.pad(plane, ((0, plane.shape[0] % 2), (0, 0)), mode="edge")
    rows = (rows[::2] + rows[1::2]) * np.float32(0.5)
    wide = np.pad(rows, ((0, 0), (1, 1 + rows.shape[1] % 2)), mode="edge")
    return (wide[:, :-2:2] + 2 * wide[:, 1:-1:2] + wide[:, 2::2]) * np.float32(0.25)


def even(codes: NDArray) -> NDArray:
    """The last row and column once more where their number is odd."""
    return np.pad(codes, ((0, codes.shape[0] % 2), (0, codes.shape[1] % 2), (0, 0)), mode="edge")


def _fill(target: av.video.plane.VideoPlane, plane: NDArray) -> None:
    """A plane of a frame, whose lines may be longer than the picture."""
    lines = np.frombuffer(target, np.uint8).reshape(-1, target.line_size)
    lines[: plane.shape[0], : plane.shape[1] * plane.itemsize] = plane.view(np.uint8)
