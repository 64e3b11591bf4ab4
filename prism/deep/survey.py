"""What is to be known of a deep file before it is worked on, and what may be wrong with it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from prism.deep.samples import Samples

PILED = 4  # times as many pixels with the most samples as with one less, that tell of a limit
LEAST_PILED = 0.01  # of all pixels, below which that says nothing


@dataclass(frozen=True, slots=True)
class DeepFacts:
    """samples: of all pixels; most: of one. empty: pixels without any. near, far: depths of the nearest front and the
    farthest back that are numbers. unsorted, overlapping: pixels whose samples are not in order, or share depths.
    at_limit: pixels that seem to have been cut at the most samples that were allowed. outside: samples with an alpha
    outside 0..1. strange: samples with a depth or alpha that is no number. has_depth: False if there is none at all."""

    samples: int
    most: int
    mean: float
    empty: int
    near: float | None
    far: float | None
    unsorted: int
    overlapping: int
    at_limit: int
    outside: int
    strange: int
    has_depth: bool = True

    @property
    def tidy(self) -> bool:
        """Whether the samples of every pixel lie one behind the other already."""
        return not (self.unsorted or self.overlapping)

    @property
    def text(self) -> str:
        """In a line."""
        reach = "" if self.near is None or self.far is None else f", from {self.near:g} to {self.far:g}"
        return f"{self.samples:,} samples, at most {self.most} a pixel{reach}"

    def faults(self) -> Iterator[tuple[str, bool, str, str]]:
        """What is wrong: a name, whether it is an error, what, and what to do about it."""
        if not self.has_depth:
            yield "no-depth", True, "has no depth, so nothing can be put between its samples", "Render Z with it."
        elif self.samples and self.near == self.far:
            yield "one-depth", False, f"has all samples at a depth of {self.near:g}", "Was it rendered as deep?"
        if self.strange:
            yield (
                "deep-strange", True, f"has {self.strange:,} samples whose depth or alpha is NaN or infinite",
                "Render these frames again.",
            )  # fmt: skip
        if self.outside:
            yield (
                "deep-alpha", True, f"has {self.outside:,} samples with an alpha outside of 0 to 1",
                "No order of samples gives a right picture of them. Render these frames again.",
            )  # fmt: skip
        if self.at_limit:
            yield (
                "deep-limit", False, f"seems cut at {self.most} samples in {self.at_limit:,} pixels",
                "What lies behind the last of them is missing. Allow more samples.",
            )  # fmt: skip
        if not self.tidy:
            what = f"has {self.unsorted:,} pixels with samples in disorder, and {self.overlapping:,} where they overlap"
            yield "deep-untidy", False, what, "They are put in order whenever it is read."


def survey(samples: Samples, *, has_depth: bool = True) -> DeepFacts:
    """Facts of a deep picture. has_depth: whether its file has one."""
    counts = np.diff(samples.offsets)
    pixel = np.repeat(np.arange(len(counts)), counts)
    front, back = samples.depth.T
    numbers = np.isfinite(samples.depth).all(axis=1)
    same = pixel[1:] == pixel[:-1]
    order = np.lexsort((front, pixel))
    ordered = samples.depth[order]
    shared = (ordered[:-1, 1] > ordered[1:, 0]) | (ordered[:-1] == ordered[1:]).all(axis=1)
    at_most = np.bincount(counts)
    most = int(counts.max(initial=0))
    piled = most > 1 and at_most[most] > max(PILED * at_most[most - 1], LEAST_PILED * len(counts))
    alpha = samples.alpha
    return DeepFacts(
        samples=len(samples),
        most=most,
        mean=float(counts.mean()),
        empty=int((counts == 0).sum()),
        near=float(front[numbers].min()) if numbers.any() else None,
        far=float(back[numbers].max()) if numbers.any() else None,
        unsorted=len(np.unique(pixel[1:][same & (front[1:] < front[:-1])])),
        overlapping=len(np.unique(pixel[1:][same & shared])),
        at_limit=int(at_most[most]) if piled and len(set(counts[counts > 0].tolist())) > 1 else 0,
        outside=int(((alpha < 0) | (alpha > 1)).sum()),
        strange=int((~np.isfinite(front) & ~np.isposinf(front)).sum() + (~np.isfinite(alpha)).sum()),
        has_depth=has_depth,
    )
