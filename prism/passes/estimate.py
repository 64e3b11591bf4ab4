"""How much a plan will take: bytes from measured passes, time from a measured frame."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from prism.errors import BadArgument
from prism.passes.expansion import PlannedFiles
from prism.passes.plan import Plan

_MEASURED = re.compile(r"(\d+(?:\.\d+)?)@(\d+)x(\d+)x(\d+)")


@dataclass(frozen=True, slots=True)
class Measured:
    """A frame of this scene that was rendered: how long it took, at which size and samples for each pixel."""

    seconds: float
    width: int
    height: int
    samples: int

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


def total_bytes(files: Sequence[PlannedFiles]) -> int:
    return sum(planned.bytes_each * len(planned.frames) for planned in files)


def seconds_per_frame(plan: Plan, measured: Sequence[Measured]) -> float:
    """For one layer and camera: time grows with pixels and samples, which for path tracing it does (common practice).

    measured: frames that were rendered, at least one; longer ones count for more. A time limit caps it. Adaptive
    sampling is counted as if no pixel ended early, so that it takes this long at most.
    """
    width, height = plan.shot.written_size
    paths = width * height * plan.quality.samples
    seconds = paths * sum(one.seconds for one in measured) / sum(one.paths for one in measured)
    return min(seconds, plan.quality.time_limit) if plan.quality.time_limit else seconds


def total_seconds(plan: Plan, measured: Sequence[Measured]) -> float:
    """For all layers, cameras and frames, the warm-up frames that are thrown away included."""
    frames = len(plan.shot.written_frames) + plan.shot.warm_up
    return len(plan.layers) * len(plan.cameras) * frames * seconds_per_frame(plan, measured)
