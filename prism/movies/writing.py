"""A movie written frame by frame, whole or not at all, and counted when it is read back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import av.error
from numpy.typing import NDArray

from prism.errors import BadArgument, Superseded, UnwritableFile
from prism.formats.safe import replacing
from prism.limits import Stale, never
from prism.movies.codecs import CODECS, Codec
from prism.movies.frames import frame_of
from prism.naming.timecode import rate_of, time_code

BT709, SRGB_CURVE, VIDEO_RANGE, FULL_RANGE = 1, 13, 1, 2  # ITU-T H.273: primaries and matrix, transfer; of FFmpeg
MOVIE_FLAGS = "use_metadata_tags+faststart"
AT_ONCE = 2  # threads of an encoder


@dataclass(frozen=True, slots=True, kw_only=True)
class MovieSettings:
    """rate: frames a second, as people write it; 23.976 is 24000/1001. first: frame number of the first frame, for its
    time code. tags: reel, shot, title. alpha: kept."""

    codec: str
    rate: float = 24.0
    first: int = 0
    alpha: bool = False
    pixel_aspect: float = 1.0
    tags: Mapping[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.codec not in CODECS:
            raise BadArgument(f"Unknown codec {self.codec}.", advice=f"Use {', '.join(CODECS)}.")
        if self.alpha and not self.how.alpha:
            keeping = ", ".join(name for name, codec in CODECS.items() if codec.alpha)
            raise BadArgument(
                f"{self.how.title} has no alpha.", where="codec", advice=f"Use {keeping}, or lay the picture over a "
                "colour.",
            )  # fmt: skip

    @property
    def how(self) -> Codec:
        """The codec."""
        return CODECS[self.codec]

    @property
    def exact_rate(self) -> Fraction:
        """Frames a second."""
        return rate_of(self.rate)


def write_movie(
    path: Path,
    frames: Iterable[NDArray],
    settings: MovieSettings,
    *,
    is_stale: Stale = never,
    on_progress: Callable[[int], object] = lambda done: None,
) -> int:
    """Write codes (H, W, 3 or 4), uint8 or uint16, of straight sRGB display colour as a movie; how many frames it has.

    All frames must be of one size. A movie of an even-sized codec gets its last row or column twice where a side is
    odd. on_progress: told how many frames are in. Raises BadArgument for another size, UnwritableFile, Superseded; on
    any of them there is no file.
    """
    path = Path(path)
    if path.suffix.lstrip(".").lower() != settings.how.suffix:
        raise BadArgument(
            f"{settings.how.title} is written as .{settings.how.suffix}.", where=str(path), advice="Change the name."
        )
    with replacing(path) as temporary:
        try:
            count = _encode(temporary, frames, settings, is_stale, on_progress)
        except av.error.FFmpegError as error:
            raise UnwritableFile(
                f"{settings.how.title} cannot be written: {error.strerror}.", where=str(path)
            ) from error
        _require_whole(temporary, path, count, settings)
    return count


def _encode(
    path: Path,
    frames: Iterable[NDArray],
    settings: MovieSettings,
    is_stale: Stale,
    on_progress: Callable[[int], object],
) -> int:
    size, count, stream = None, 0, None
    with av.open(str(path), "w", options=_container_options(settings.how)) as container:
        container.metadata.update({name: text for name, text in settings.tags.items() if text})
        container.metadata["timecode"] = str(time_code(settings.first, settings.rate))
        for codes in frames:
            if is_stale():
                raise Superseded(f"Frame {count + 1} of a movie.")
            size = size or codes.shape[:2]
            if codes.shape[:2] != size:
                raise BadArgument(
                    f"Frame {count + 1} is {codes.shape[1]} x {codes.shape[0]}, those before are "
                    f"{size[1]} x {size[0]}.",
                    where=path.name, advice="Bring them to one size first.",
                )  # fmt: skip
            frame = frame_of(codes, settings.how, alpha=settings.alpha)
            stream = stream or _stream(container, frame, settings)
            frame.pts, frame.time_base = count, 1 / settings.exact_rate
            frame.colorspace, frame.color_range = BT709, _range(settings.how)
            frame.color_primaries, frame.color_trc = BT709, SRGB_CURVE
            for packet in stream.encode(frame):
                container.mux(packet)
            count += 1
            on_progress(count)
        if stream is None:
            raise BadArgument("There are no frames.", where=path.name, advice="Name frames that are there.")
        for packet in stream.encode(None):
            container.mux(packet)
    return count


def _container_options(codec: Codec) -> dict[str, str]:
    return {} if codec.suffix == "webm" else {"movflags": MOVIE_FLAGS}


def _stream(container, frame: av.VideoFrame, settings: MovieSettings):
    codec = settings.how
    stream = container.add_stream(codec.encoder, rate=settings.exact_rate)
    stream.width, stream.height, stream.pix_fmt = frame.width, frame.height, frame.format.name
    stream.options = {**codec.options, **(codec.alpha_options if settings.alpha else {})}
    stream.time_base = 1 / settings.exact_rate
    context = stream.codec_context
    context.thread_count = AT_ONCE
    context.color_primaries, context.color_trc, context.colorspace = BT709, SRGB_CURVE, BT709
    context.color_range = _range(codec)
    context.sample_aspect_ratio = Fraction(settings.pixel_aspect).limit_denominator(1000)
    return stream


def _range(codec: Codec) -> int:
    return FULL_RANGE if codec.layout == "bytes" else VIDEO_RANGE


def _require_whole(temporary: Path, path: Path, count: int, settings: MovieSettings) -> None:
    """Every frame is decoded before the movie gets its name."""
    try:
        with av.open(str(temporary)) as container:
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            found = sum(1 for _ in container.decode(stream))
            rate = stream.average_rate
    except (av.error.FFmpegError, IndexError) as error:
        raise UnwritableFile("Written, but it cannot be read back.", where=str(path)) from error
    if found != count:
        raise UnwritableFile(f"Written, but {found} of {count} frames read back.", where=str(path))
    if count > 1 and rate != settings.exact_rate:
        raise UnwritableFile(f"Written, but it plays at {rate} instead of {settings.exact_rate}.", where=str(path))
