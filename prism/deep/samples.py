"""A deep picture: the samples of all pixels in one run, row by row, and where those of each pixel begin.

Source of all that is done with them: "Interpreting OpenEXR Deep Pixels" (openexr.com). Colour is premultiplied. A
sample whose back lies where its front does is a point, any other a volume that is the same all the way through.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prism.errors import MissingChannels, UnreadableFile
from prism.pixels.channels import split_name
from prism.pixels.window import Window

FRONT, BACK, ALPHA = "Z", "ZBack", "A"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Samples:
    """offsets: (P + 1,) int64 for P pixels of the window, row by row. depth: (N, 2) float32, front and back. alpha:
    (N,) float32. colour: (N, C) float32, premultiplied, called `names`. ids: (N, K) uint32, called `id_names`: whole
    numbers, which are never mixed. tidy: samples of a pixel lie one behind the other and none overlap.
    """

    offsets: NDArray[np.int64]
    depth: NDArray[np.float32]
    alpha: NDArray[np.float32]
    colour: NDArray[np.float32]
    ids: NDArray[np.uint32]
    names: tuple[str, ...]
    id_names: tuple[str, ...] = ()
    window: Window
    display_window: Window
    tidy: bool = False
    attributes: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))

    @property
    def counts(self) -> NDArray[np.int32]:
        """(H, W): how many samples each pixel has."""
        return np.diff(self.offsets).astype(np.int32).reshape(self.window.shape)

    def __len__(self) -> int:
        return len(self.alpha)

    @property
    def pixels(self) -> NDArray[np.int64]:
        """(N,): which pixel of the window each sample is of, row by row."""
        return np.repeat(np.arange(len(self.offsets) - 1), np.diff(self.offsets))

    @property
    def byte_count(self) -> int:
        """In memory."""
        return sum(part.nbytes for part in (self.offsets, self.depth, self.alpha, self.colour, self.ids))

    @property
    def runs(self) -> dict[str, NDArray]:
        """By channel, (N,) each: as a file has them."""
        front, back = self.depth.T
        found: dict[str, NDArray] = {FRONT: front, ALPHA: self.alpha}
        if not np.array_equal(front, back):
            found[BACK] = back
        found |= dict(zip(self.names, self.colour.T, strict=True))
        return found | dict(zip(self.id_names, self.ids.T, strict=True))

    def kept(self, chosen: NDArray[np.bool_]) -> Samples:
        """Only the samples that are chosen, by a mask (N,)."""
        before = np.concatenate([[0], np.cumsum(chosen, dtype=np.int64)])
        return replace(
            self, offsets=before[self.offsets], depth=self.depth[chosen], alpha=self.alpha[chosen],
            colour=self.colour[chosen], ids=self.ids[chosen],
        )  # fmt: skip

    def of_pixels(self, pixels: NDArray[np.int64], window: Window) -> Samples:
        """A picture over a window, each pixel of which has the samples of one of these (P,)."""
        counts = np.diff(self.offsets)[pixels]
        offsets = np.concatenate([[0], np.cumsum(counts, dtype=np.int64)])
        taken = np.repeat(self.offsets[pixels] - offsets[:-1], counts) + np.arange(offsets[-1])
        return replace(
            self, offsets=offsets, depth=self.depth[taken], alpha=self.alpha[taken], colour=self.colour[taken],
            ids=self.ids[taken], window=window, display_window=window,
        )  # fmt: skip

    def at_depths(self, depth: NDArray[np.float32]) -> Samples:
        """The same samples at other depths, (N, 2)."""
        return replace(self, depth=np.ascontiguousarray(depth, np.float32), tidy=False)

    def over(self, window: Window) -> Samples:
        """The same over another window: cropped, and empty where it was not."""
        if window == self.window:
            return self
        counts = np.zeros(window.shape, np.int64)
        both = window.intersection(self.window)
        runs = [slice(0, 0)]
        if both is not None:
            rows, columns = both.slices_in(self.window)
            begins = self.offsets[:-1].reshape(self.window.shape)[rows, columns]
            ends = self.offsets[1:].reshape(self.window.shape)[rows, columns]
            counts[both.slices_in(window)] = ends - begins
            runs = [slice(begin, end) for begin, end in zip(begins[:, 0], ends[:, -1], strict=True)]  # of each row
            if both.width == self.window.width:
                runs = [slice(begins[0, 0], ends[-1, -1])]  # which are one behind the other
        offsets = np.concatenate([[0], np.cumsum(counts.reshape(-1))]).astype(np.int64)
        return replace(
            self, offsets=offsets, depth=_joined(self.depth, runs), alpha=_joined(self.alpha, runs),
            colour=_joined(self.colour, runs), ids=_joined(self.ids, runs), window=window,
        )  # fmt: skip

    def with_names(self, names: Sequence[str], id_names: Sequence[str]) -> Samples:
        """The same with just these channels, in this order; those that it has not are 0."""
        if (tuple(names), tuple(id_names)) == (self.names, self.id_names):
            return self
        colour = np.zeros((len(self), len(names)), np.float32)
        ids = np.zeros((len(self), len(id_names)), np.uint32)
        for wanted, own, values, target in (
            (names, self.names, self.colour, colour), (id_names, self.id_names, self.ids, ids),
        ):  # fmt: skip
            for place, name in enumerate(wanted):
                if name in own:
                    target[:, place] = values[:, own.index(name)]
        return replace(self, colour=colour, ids=ids, names=tuple(names), id_names=tuple(id_names))


def _joined(part: NDArray[Any], runs: Sequence[slice]) -> NDArray[Any]:
    """Runs of samples one after the other; a single one is not copied."""
    return part[runs[0]] if len(runs) == 1 else np.concatenate([part[run] for run in runs])


def samples_of(
    counts: NDArray[np.int32], runs: Mapping[str, NDArray], *, window: Window, display_window: Window, where: str = "",
    needs_depth: bool = True,
) -> Samples:  # fmt: skip
    """From the channels of a file. counts: (H, W); runs: (N,) each. Without alpha all is opaque; a back in front of its
    front counts as that.

    needs_depth: False takes samples without a depth as they lie, near to far. Raises MissingChannels without a depth,
    UnreadableFile if channels have other numbers of samples than the pixels.
    """
    total = int(counts.sum())
    if any(len(run) != total for run in runs.values()):
        raise UnreadableFile("Its channels have different numbers of samples.", where=where)
    bare = {split_name(name)[1]: name for name in runs if not split_name(name)[0]}
    if FRONT in bare:
        front = np.asarray(runs[FRONT], np.float32)
    elif needs_depth:
        raise MissingChannels(f"There is no depth; found {', '.join(runs)}.", where=where)
    else:
        front = np.arange(total, dtype=np.float32)
    back = np.maximum(front, np.asarray(runs.get(BACK, front), np.float32))
    rest = [name for name in runs if name not in (FRONT, BACK, ALPHA)]
    id_names = tuple(name for name in rest if runs[name].dtype == np.uint32)
    names = tuple(name for name in rest if name not in id_names)
    return Samples(
        offsets=np.concatenate([[0], np.cumsum(counts.reshape(-1), dtype=np.int64)]),
        depth=np.ascontiguousarray(np.stack([front, back], axis=1)),
        alpha=np.ones(total, np.float32) if ALPHA not in runs else np.ascontiguousarray(runs[ALPHA], np.float32),
        colour=_columns([runs[name] for name in names], total, np.float32),
        ids=_columns([runs[name] for name in id_names], total, np.uint32),
        names=names, id_names=id_names, window=window, display_window=display_window,
    )  # fmt: skip


def _columns(runs: Sequence[NDArray], total: int, dtype: type) -> NDArray:
    columns: NDArray = np.empty((total, len(runs)), dtype)
    for place, run in enumerate(runs):
        columns[:, place] = run
    return columns
