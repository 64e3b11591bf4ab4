"""How much a plan will take: bytes from measured passes, time from a measured frame."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from prism.errors import BadArgument
from prism.plan.expansion import PlannedFiles
from prism.plan.plan import Plan

_MEASURED = re.compile(r"(\d+(?:\.\d+)?)@(\d+)x(\d+)x(\d+)")


@dataclass(frozen=True, slots=True)
class Measured:
    """A frame of this scene that was made: how long rendering, denoising and writing took together, at which size and
    samples for each pixel, and how many were made side by side meanwhile, itself included."""

    seconds: float
    width: int
    height: int
    samples: int
    beside: int = 1

    @classmethod
    def parse(cls, text: str) -> Measured:
        """`SECONDS@WIDTHxHEIGHTxSAMPLES`. Raises BadArgument."""
        match = _MEASURED.fullmatch(text)
        if match is None or not all(float(number) > 0 for number in match.groups()):
            raise BadArgument(f"{text} is not a measured frame.", advice="Write for example 25@960x540x16.")
        return cls(float(match[1]), int(match[2]), int(match[3]), int(match[4]))

    @property
    def paths(self) -> int:
        """Light paths followed from the camera."""
        return self.width * self.height * self.samples


def spoken_time(seconds: float) -> str:
    """A time as people say it: seconds up to two minutes, minutes up to two hours, then hours."""
    if seconds < 120:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.1f} h"


def spoken_bytes(count: float) -> str:
    """Bytes as people say them, in powers of ten: 72.4 TB."""
    for unit, size in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6)):
        if count >= size:
            return f"{count / size:.1f} {unit}"
    return f"{count / 1e3:.1f} kB"


def total_bytes(files: Sequence[PlannedFiles]) -> int:
    """Estimate for all frames of all files."""
    return sum(planned.bytes_each * len(planned.frames) for planned in files)


def seconds_per_frame(plan: Plan, measured: Sequence[Measured]) -> float:
    """For one layer and camera: time grows with pixels and samples, which for path tracing it does (common practice).

    measured: frames that were made, at least one; longer ones count for more. A time limit caps it. Adaptive sampling
    is counted as if no pixel ended early, so that it takes this long at most.
    """
    width, height = plan.shot.written_size
    paths = width * height * plan.quality.samples
    seconds = (
        paths
        * sum(measurement.seconds for measurement in measured)
        / sum(measurement.paths for measurement in measured)
    )
    return min(seconds, plan.quality.time_limit) if plan.quality.time_limit else seconds


def total_seconds(plan: Plan, measured: Sequence[Measured]) -> float:
    """For all layers, cameras and frames, warm-up frames included, as many side by side as were when it was
    measured."""
    frames = len(plan.shot.written_frames) + plan.shot.warm_up
    beside = sum(measurement.seconds * measurement.beside for measurement in measured) / sum(
        measurement.seconds for measurement in measured
    )
    return len(plan.layers) * len(plan.cameras) * frames * seconds_per_frame(plan, measured) / beside
