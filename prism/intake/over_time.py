"""What only shows when a frame lies beside other frames."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

from prism.elements.element import Element
from prism.intake.checking import FrameFacts
from prism.intake.finding import Finding, count_of, files_of, paths_of
from prism.naming.frames import format_frames
from prism.passes.judging import NOTE, WARNING
from prism.passes.kinds import LIT, Role
from prism.text import printable

ALONE = 1.5  # times that one pass changes from a frame to the next, while no other does
STEADY = 1.1  # a pass that changes less is called steady
FLASH = 1.15  # times that a frame is brighter or darker than both its neighbours


def findings_over_time(element: Element, frames: Mapping[int, FrameFacts]) -> Iterator[Finding]:
    """Frames that are their neighbours, flash, or hold one pass that changes alone. frames: those that were read."""
    numbers = sorted(frames)
    if len(numbers) < 2 or not element.frames:
        return
    yield from _identical(element, frames, numbers)
    means = {
        held.key: {n: m for n in numbers if (own := frames[n].passes.get(held.key)) and (m := own.mean) is not None}
        for held in element.passes
        if held.pass_kind is not None and held.pass_kind.role in (Role.WHOLE, *LIT) and not held.files.is_still
    }
    yield from _flashes(element, means)
    yield from _jumps(element, means)


def _identical(element: Element, frames: Mapping[int, FrameFacts], numbers: Sequence[int]) -> Iterator[Finding]:
    for files in files_of(element):
        if files.is_still:
            continue
        keys = [held.key for held in element.passes if held.files == files]
        digests = {n: tuple(frames[n].passes[key].digest for key in keys if key in frames[n].passes) for n in numbers}
        flat = all(
            plane.is_constant
            for n in numbers[:1] for key in keys if key in frames[n].passes
            for plane in frames[n].passes[key].planes.values()
        )  # fmt: skip
        same = [
            b
            for a, b in pairwise(numbers)
            if b == a + 1 and digests[a] and any(digests[a]) and digests[a] == digests[b]
        ]
        if not same or flat:
            continue
        held_still = len(same) > len(numbers) / 2
        name = printable(files.pattern)
        yield Finding(
            "identical", NOTE if held_still else WARNING,
            f"{name}: {count_of(same)} {'are' if len(same) > 1 else 'is'} the same as the frame before, to the last bit.",
            "If something moves there, render them again." if not held_still else "Nothing seems to move in this shot.",
            key=keys[0] if len(keys) == 1 else "", files=paths_of(files, same), frames=tuple(same),
        )  # fmt: skip


def _flashes(element: Element, means: Mapping[str, Mapping[int, float]]) -> Iterator[Finding]:
    for key, by_frame in means.items():
        odd = [
            n for n, mean in by_frame.items()
            if n - 1 in by_frame and n + 1 in by_frame and _is_flash(by_frame[n - 1], mean, by_frame[n + 1])
        ]  # fmt: skip
        if odd:
            held = element.find(key)
            yield Finding(
                "flash", WARNING, f"{held.title} is darker or lighter than both its neighbours in {format_frames(odd)}.",
                "Look at these frames in the sequence; render them again if a light is missing there.", key=key,
                files=paths_of(held.files, odd), frames=tuple(odd),
            )  # fmt: skip


def _is_flash(before: float, mean: float, after: float) -> bool:
    low, high = sorted((abs(before), abs(after)))
    if high > low * FLASH + 1e-6:  # it changes there anyway
        return False
    return abs(mean) > high * FLASH + 1e-6 or abs(mean) * FLASH < low - 1e-6


def _jumps(element: Element, means: Mapping[str, Mapping[int, float]]) -> Iterator[Finding]:
    """One pass that changes all at once and stays so, while the others do not."""
    if len(means) < 3:
        return
    steps: dict[int, dict[str, float]] = defaultdict(dict)
    for key, by_frame in means.items():
        for number, mean in by_frame.items():
            if number - 1 in by_frame and min(abs(mean), abs(by_frame[number - 1])) > 1e-6:
                ratio = abs(mean) / abs(by_frame[number - 1])
                steps[number][key] = max(ratio, 1 / ratio)
    odd: dict[str, list[int]] = defaultdict(list)
    for number, by_pass in steps.items():
        jumping = [key for key, ratio in by_pass.items() if ratio > ALONE]
        steady = [key for key, ratio in by_pass.items() if ratio < STEADY]
        if len(jumping) == 1 and len(steady) >= len(by_pass) - 2 and len(by_pass) > 2:
            odd[jumping[0]].append(number)
    for key, numbers in odd.items():
        held = element.find(key)
        yield Finding(
            "jump", WARNING, f"{held.title} changes all at once at {format_frames(numbers)}, and no other pass does.",
            "Was it rendered from another version of the scene from there on?", key=key,
            files=paths_of(held.files, numbers), frames=tuple(numbers),
        )  # fmt: skip
