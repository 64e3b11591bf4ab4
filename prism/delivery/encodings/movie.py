"""Movies: a sequence of stills first, then the movie made of it. A render or a machine that dies costs a frame so, and
never the whole movie."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import chain
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

import av
import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from prism.colour.developing import Developed
from prism.delivery.encodings.base import PICTURES, Closing, Destination, Order, Written
from prism.delivery.encodings.still import Looked
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.lights import lights_up
from prism.delivery.reading_back import FFMPEG_FORMATS, require_still
from prism.errors import BadArgument
from prism.fields import Shown
from prism.formats.stills import to_codes, write_display
from prism.ledger.document import Ledger
from prism.movies.burning import band_remarks, burnt, require_burn, with_band
from prism.movies.codecs import CODECS, Codec
from prism.movies.filling import GAP_TITLES, Gaps, filled
from prism.movies.reading import read_movie
from prism.movies.writing import MovieSettings, write_movie
from prism.naming.patterns import parse_pattern, require_portable
from prism.naming.timecode import time_code
from prism.sources.pixels import Frame

CodecName = Literal["h264", "prores4444", "animation", "png", "vp9"]
Show = Literal["plain", "wipe", "beside", "lights"]
SHOW_TITLES = {
    "plain": "the picture",
    "wipe": "wipe from rendered to finished",
    "beside": "rendered and finished side by side",
    "lights": "lights coming up one by one",
}
_GAP_WORDS = {"hold": "held", "mark": "marked"}
SEAM = 2  # pixels between before and after


class Movie(Looked):
    """codec, and what the movie shows. burn: words of the band at the foot, left|middle|right; none without. gaps:
    what becomes of frames that are missing. note: for the band. first frame: its time code, with reel and shot as
    tags."""

    title: ClassVar[str] = "Movie"
    meaning: ClassVar[str] = "The shot in motion: to review, or with alpha to lay over."
    per_frame: ClassVar[bool] = False
    closes: ClassVar[bool] = True
    usual_name: ClassVar[str] = "{item}/{shot}_{ledger}_v{version:03}_{item}.{suffix}"

    kind: Literal["movie"] = "movie"
    codec: Annotated[
        CodecName,
        Shown(
            title="codec",
            words={name: codec.title for name, codec in CODECS.items()},
            notes={name: f"{codec.meaning} Comes back {codec.keeps}." for name, codec in CODECS.items()},
        ),
    ] = "h264"
    show: Annotated[Show, Shown(title="shows", words=SHOW_TITLES, suits=PICTURES)] = "plain"
    burn: Annotated[str, Field(max_length=300), Shown(title="band", takes="text")] = ""
    note: Annotated[str, Field(max_length=200), Shown(title="note", takes="text")] = ""
    reel: Annotated[str, Field(max_length=40), Shown(title="reel", takes="text")] = ""
    gaps: Annotated[Gaps, Shown(title="missing frames", words=GAP_TITLES)] = "refuse"

    @model_validator(mode="after")
    def _alpha_is_carried(self) -> Movie:
        if self.alpha == "keep" and not CODECS[self.codec].alpha:
            raise ValueError(f"{CODECS[self.codec].title} has no alpha; lay the picture over a colour")
        return self

    @property
    def how(self) -> Codec:
        """The codec."""
        return CODECS[self.codec]

    @property
    def suffix(self) -> str:
        """The suffix of the movie."""
        return self.how.suffix

    def in_words(self, item: Order) -> str:
        """Codec, what is shown, and the look."""
        words = [self.how.title, self.look_in_words()]
        words += [SHOW_TITLES[self.show]] if self.show != "plain" else []
        words += [f"missing frames {_GAP_WORDS[self.gaps]}"] if self.gaps != "refuse" else []
        return ", ".join(words + (["burnt in"] if self.burn else []))

    def require(self, item: Order, ledger: Ledger, sources: Frame) -> None:
        """A band that can be filled in, and something to show."""
        super().require(item, ledger, sources)
        require_burn(self.burn)
        if "frame" in parse_pattern(item.name_pattern, more=("ledger", "item")).fields:
            raise BadArgument("A movie has one name for all frames.", where="pattern", advice="Leave {frame} out.")
        if self.show != "plain" and item.subject not in ("finished", "rebuilt"):
            raise BadArgument("Only pictures of the ledger have a before and after.", where="show")
        if self.show == "lights":
            lights_up(ledger, sources, 1.0)

    def paths(self, item: Order, place: Destination, frame: int, ledger: Ledger, sources: Frame) -> list[Path]:
        """The paths of the frames."""
        return [self.frame_path(item, place, frame)]

    def frame_path(self, item: Order, place: Destination, frame: int) -> Path:
        """The path of one frame: beside the movie, in a folder of its own."""
        movie = place.path(item, self.suffix)
        path = movie.parent / f"{movie.stem}_frames" / f"{movie.stem}.{frame:04}.png"
        require_portable(path.name, f"names of {item.id}")
        return path

    def add(self, item: Order, made: LedgerFrame, place: Destination) -> list[Written]:
        """A still of the frame."""
        path = self.frame_path(item, place, made.number)
        found = self.staged(item, made, place.share_at(made.number))
        codes = write_display(
            path, found.values, found.alpha, bits=16 if self.how.bits == 16 else 8,
            pixel_aspect=made.sources.pixel_aspect, dithered=self.how.bits == 8,
        )  # fmt: skip
        require_still(path, codes)
        return [Written(path, tuple(self.remarks(found)))]

    def staged(self, item: Order, made: LedgerFrame, share: float) -> Developed:
        """What the movie shows at a share of its time: display values."""
        if self.show == "plain":
            return self.shown(item, made)
        if self.show == "lights":
            ledger = lights_up(made.ledger, made.sources, share)
            return self.shown(item, LedgerFrame(ledger, made.sources, is_stale=made.is_stale))
        before = self.shown(item, LedgerFrame(made.ledger.untrimmed(), made.sources, is_stale=made.is_stale))
        return joined(before, self.shown(item, made), share if self.show == "wipe" else None)

    def close(self, item: Order, closing: Closing) -> list[Written]:
        """The movie, whole or not at all."""
        path = closing.place.path(item, self.suffix)
        there = {
            number: frame
            for number in closing.frames
            if (frame := self.frame_path(item, closing.place, number)).is_file()
        }
        frames = filled(closing.frames, there, lambda number: read_codes(there[number]), self.gaps)
        settings = MovieSettings(
            codec=self.codec, rate=closing.rate, first=closing.frames[0], alpha=self.alpha == "keep",
            pixel_aspect=closing.pixel_aspect, tags=self.tags(closing.place),
        )  # fmt: skip
        count = len(closing.frames)
        shown = self.with_words(frames, closing)
        given = next(shown)
        write_movie(
            path, chain([given], shown), settings, is_stale=closing.is_stale,
            on_progress=lambda done: closing.on_progress(done / count),
        )  # fmt: skip
        held = sorted(set(closing.frames) - set(there))
        words = burnt(self.burn, self.words_at(closing.place, closing.frames[0], closing.rate))
        remarks = [f"Straight alpha; {self.how.keeps}."] if self.alpha == "keep" else []
        remarks += self._cost(path, given)
        remarks += [f"{len(held)} missing frames are {'marked' if self.gaps == 'mark' else 'held'}."] if held else []
        first = read_codes(next(iter(there.values())))
        if self.how.even and (first.shape[0] % 2 or first.shape[1] % 2):
            remarks.append("The last row or column stands twice, since the codec takes even sizes only.")
        return [Written(path, (*remarks, *band_remarks(words)))]

    def _cost(self, path: Path, given: NDArray) -> list[str]:
        """How far the first frame comes back from the codes that were written, in words."""
        if self.how.exact:
            return []
        found = to_codes(next(read_movie(path)), 8).astype(np.int16)[: given.shape[0], : given.shape[1], :3]
        codes = np.round(given[..., :3] / (257.0 if given.dtype == np.uint16 else 1.0)).astype(np.int16)
        apart = np.abs(found - codes)
        return [
            f"{self.how.title} changes the first frame by {apart.mean():.2f} of 255 on average, {apart.max()} at most."
        ]

    def tags(self, place: Destination) -> dict[str, str]:
        """The tags of the container."""
        return {"reel_name": self.reel, "title": str(place.fields.get("shot", "")), "comment": self.note}

    def with_words(self, frames: Iterator[tuple[int, NDArray]], closing: Closing) -> Iterator[NDArray]:
        """Codes of the frames, with the band if there is one."""
        count = len(closing.frames)
        for place, (number, codes) in enumerate(frames, start=1):
            if self.burn:
                words = burnt(self.burn, self.words_at(closing.place, number, closing.rate))
                codes = with_band(codes, words, share=place / count)
            yield codes

    def words_at(self, place: Destination, number: int, rate: float) -> dict[str, Any]:
        """Values for the band at a frame."""
        own = {"frame": number, "timecode": str(time_code(number, rate)), "rate": rate, "note": self.note}
        return {"version": 0, **place.fields, **own, "date": place.ordered.isoformat()}


def joined(before: Developed, after: Developed, share: float | None) -> Developed:
    """Two pictures of one size as one: side by side, or left of a seam at a share of the width the one after."""
    alpha = None
    if before.alpha is not None and after.alpha is not None:
        alpha = _joined(before.alpha, after.alpha, share, seam=1.0)
    values = _joined(before.values, after.values, share, seam=0.5)
    return replace(after, values=values, alpha=alpha)


def _joined(before: NDArray, after: NDArray, share: float | None, *, seam: float) -> NDArray[np.float32]:
    if share is None:
        gap = np.full((len(before), SEAM, *before.shape[2:]), seam, np.float32)
        return np.concatenate([before, gap, after], axis=1)
    at = round(share * after.shape[1])
    values = np.array(before, np.float32)
    values[:, :at] = after[:, :at]
    values[:, max(0, at - SEAM // 2) : at + SEAM // 2] = seam
    return values


def read_codes(path: Path) -> NDArray:
    """Codes (H, W, 3 or 4) of a still that was written for a movie. Raises UnreadableFile."""
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
    wide = frame.format.name.startswith(("rgb48", "rgba64"))
    return frame.to_ndarray(format=FFMPEG_FORMATS[2 if wide else 1, 4 if "rgba" in frame.format.name else 3])
