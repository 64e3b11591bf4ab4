"""Display values as the pixels that encoders take.

Luma and chroma are those of ITU-R BT.709 in the range of video (Y 16..235, Cb and Cr 16..240, of 8 bits), since the
scaler of FFmpeg takes BT.601 unless it is told, and moves an alpha by a code when the depth changes.
"""

from __future__ import annotations

import av
import numpy as np
from numpy.typing import NDArray

from prism.bands import run_bands
from prism.compiled import compiled, read_only
from prism.movies.codecs import Codec

KR, KB = 0.2126, 0.0722  # ITU-R BT.709-6
KG = 1 - KR - KB
BAND_PAIRS = 32  # of rows
_TO_YCC = np.array(
    [
        [KR, KG, KB],
        [-KR / (2 * (1 - KB)), -KG / (2 * (1 - KB)), 0.5],
        [0.5, -KG / (2 * (1 - KR)), -KB / (2 * (1 - KR))],
    ],
    np.float32,
)
_YCC = read_only(_TO_YCC)


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
    codes = even(codes) if codec.even else codes
    height, width = codes.shape[:2]
    halved = codec.layout == "yuv420"
    planes = _halved(codes) if halved else _whole(codes)
    if alpha:
        most = np.float32(255 if halved else 1023)
        cover = _with_alpha(codes)[..., 3].astype(np.float32) * (most / np.iinfo(codes.dtype).max)
        planes.append(np.floor(cover + np.float32(0.5)).astype(planes[0].dtype))
    frame = av.VideoFrame(width, height, codec.alpha if alpha else codec.opaque)
    for target, plane in zip(frame.planes, planes, strict=True):
        _fill(target, plane[: target.height, : target.width])
    return frame


def _whole(codes: NDArray) -> list[NDArray]:
    """Planes of 10 bits at full size, uint16."""
    rgb = codes[..., :3].reshape(-1, 3).astype(np.float32) / np.float32(np.iinfo(codes.dtype).max)
    luma, *chroma = (rgb @ _TO_YCC.T).T.reshape(3, *codes.shape[:2])
    planes = [64 + 876 * luma, *(512 + 896 * plane for plane in chroma)]
    return [np.floor(plane + np.float32(0.5)).astype(np.uint16) for plane in planes]


def _halved(codes: NDArray) -> list[NDArray]:
    """Planes of 8 bits, chroma at half the size, for as many whole pairs of rows and columns as there are.

    Chroma lies beside the left column of a pair, between its rows, as H.264 has it by default (ITU-T H.264, figure
    E-1): it is weighed 1 2 1 across and 1 1 down.
    """
    pairs = read_only(np.ascontiguousarray(even(codes)))
    height, width = pairs.shape[:2]
    luma = np.empty((height, width), np.uint8)
    blue, red = (np.empty((height // 2, width // 2), np.uint8) for _ in range(2))
    scale = np.float32(1 / np.iinfo(codes.dtype).max)
    run_bands(lambda first, end: _pairs(pairs, _YCC, scale, luma, blue, red, first, end), height // 2, BAND_PAIRS)
    return [luma, blue, red]


@compiled
def _pairs(codes, weights, scale, luma, blue, red, first, end):
    """Rows 2 first to 2 end."""
    half = np.float32(0.5)
    width = codes.shape[1]
    for pair in range(first, end):
        for row in range(2 * pair, 2 * pair + 2):
            for x in range(width):
                y = weights[0, 0] * codes[row, x, 0] + weights[0, 1] * codes[row, x, 1]
                y += weights[0, 2] * codes[row, x, 2]
                luma[row, x] = int(np.float32(16) + np.float32(219) * scale * y + half)
        for column in range(width // 2):
            left, right = max(0, 2 * column - 1), min(width - 1, 2 * column + 1)
            cb, cr = np.float32(0), np.float32(0)
            for channel in range(3):
                total = np.float32(0)
                for row in range(2 * pair, 2 * pair + 2):
                    total += np.float32(codes[row, left, channel]) + np.float32(codes[row, right, channel])
                    total += np.float32(2) * np.float32(codes[row, 2 * column, channel])
                cb += weights[1, channel] * total
                cr += weights[2, channel] * total
            part = np.float32(224 / 8) * scale
            blue[pair, column] = int(np.float32(128) + part * cb + half)
            red[pair, column] = int(np.float32(128) + part * cr + half)


def even(codes: NDArray) -> NDArray:
    """Codes (H, W, C) with the last row and column once more where their number is odd."""
    return np.pad(codes, ((0, codes.shape[0] % 2), (0, codes.shape[1] % 2), (0, 0)), mode="edge")


def _fill(target: av.video.plane.VideoPlane, plane: NDArray) -> None:
    """A plane of a frame, whose lines may be longer than the picture."""
    lines = np.frombuffer(memoryview(target), np.uint8).reshape(-1, target.line_size)
    lines[: plane.shape[0], : plane.shape[1] * plane.itemsize] = plane.view(np.uint8)
