"""What only shows when a frame lies beside other frames."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise

from prism.elements.element import Element, ElementPass, Files
from prism.elements.identify import DENOISED
from prism.intake.asked import count_of, files_of, listed, paths_of
from prism.intake.checking import FrameFacts
from prism.intake.outliers import MOST
from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.naming.frames import format_frames
from prism.passes.kinds import LIT, Role
from prism.text import printable

ALONE = 1.5  # times that one pass changes from a frame to the next, while no other does
STEADY = 1.1  # a pass that changes less is called steady
EVEN = 1.03  # times by which the passes of a frame may differ in how much they change, to change alike
DIM = 0.5  # of the brightest frame, below which a fade has come far
FLASH = 1.15  # times that a frame is brighter or darker than both its neighbours


def findings_over_time(element: Element, frames: Mapping[int, FrameFacts]) -> Iterator[Finding]:
    """Frames that are their neighbours, flash, hold one pass that changes alone, or differ from the others in size,
    level or header. frames: those that were read."""
    numbers = sorted(frames)
    yield from _fireflies(element, frames)
    yield from _exchanged(element, frames)
    if len(numbers) < 2 or not element.frames:
        return
    yield from _identical(element, frames, numbers)
    means = {
        pass_.key: {n: m for n in numbers if (own := frames[n].passes.get(pass_.key)) and (m := own.mean) is not None}
        for pass_ in element.passes
        if pass_.pass_kind is not None and pass_.pass_kind.role in (Role.WHOLE, *LIT) and not pass_.files.is_still
    }
    yield from _flashes(element, means)
    yield from _jumps(element, means)
    yield from _levels(element, means)
    yield from _sizes(element, frames, numbers)
    yield from _headers(element, frames, numbers)


def _fireflies(element: Element, frames: Mapping[int, FrameFacts]) -> Iterator[Finding]:
    """Single pixels that outshine their neighbours, and are not there in the frames beside: one finding, with the place
    of the first in the beauty, else in the pass that has most."""
    by_pass = {pass_.key: by_frame for pass_ in element.passes if (by_frame := _fireflies_of(pass_, frames))}
    if not by_pass:
        return
    counts = {key: sum(map(len, by_frame.values())) for key, by_frame in by_pass.items()}
    ranked = sorted(counts, key=lambda key: (element.find(key).kind != "beauty", -counts[key]))
    key = ranked[0]
    first, odd = min(by_pass[key]), sorted(set().union(*by_pass.values()))
    own = frames[first].passes[key].window
    x, y = min(by_pass[key][first], key=lambda place: (place[1], place[0]))
    place = x + own[0], y + own[1]
    said = listed([f"{element.find(other).title} {_counted(counts[other])}" for other in ranked], comma=";")
    paths = (
        path
        for other, by_frame in by_pass.items() if not element.find(other).files.is_still
        for path in paths_of(element.find(other).files, sorted(by_frame))
    )  # fmt: skip
    yield Finding(
        "fireflies",
        WARNING,
        f"Single pixels outshine all around them: {said}. The first of {element.find(key).title} lies at x {place[0]} "
        f"y {place[1]}.",
        advice="Render with more samples or a limit of indirect light, or denoise; look whether they show in the "
        "picture.",
        key=key,
        files=tuple(paths),
        frames=tuple(odd) if element.frames else (),
        place=place,
    )


def _fireflies_of(pass_: ElementPass, frames: Mapping[int, FrameFacts]) -> dict[int, set[tuple[int, int]]]:
    """Places by frame, of the frames that have some."""
    if pass_.excluded:
        return {}
    places = {n: set(facts.passes[pass_.key].outliers) for n, facts in frames.items() if pass_.key in facts.passes}
    found = {n: _not_beside(own, (places.get(n - 1), places.get(n + 1))) for n, own in places.items()}
    return {n: own for n, own in found.items() if own}


def _counted(count: int) -> str:
    return f"{count} or more" if count >= MOST else str(count)


def _not_beside(own: set[tuple[int, int]], beside: Sequence[set[tuple[int, int]] | None]) -> set[tuple[int, int]]:
    """The outliers of a frame that have none within a pixel in either of the frames beside."""
    near = {
        (x + across, y + down)
        for places in beside
        for x, y in places or ()
        for across in (-1, 0, 1)
        for down in (-1, 0, 1)
    }
    return own - near


def with_fades(element: Element, frames: Mapping[int, FrameFacts], finding: Finding) -> Finding:
    """A black picture is no fault where the picture goes dark towards it, as a fade does."""
    if finding.code != "black" or not finding.frames:
        return finding
    means = {n: frames[n].passes[finding.key].mean or 0.0 for n in frames if finding.key in frames[n].passes}
    brightest = max(means.values(), default=0.0)

    def fades(number: int) -> bool:
        """Whether the nearest frames that are not black, on either side, are darker than those beyond."""
        for step in (-1, 1):
            near = number
            while near in means and not means[near]:
                near += step
            if near in means and near + step in means and means[near] < min(means[near + step], DIM * brightest):
                return True
        return False

    if brightest > 0 and all(fades(number) for number in finding.frames):
        return replace(finding, severity=NOTE, what=f"{finding.what} It fades to black there.", advice="")
    return finding


def _levels(element: Element, means: Mapping[str, Mapping[int, float]]) -> Iterator[Finding]:
    """All passes brighter or darker by one factor from a frame on."""
    steps: dict[int, list[float]] = defaultdict(list)
    for by_frame in means.values():
        for number, mean in by_frame.items():
            if number - 1 in by_frame and min(mean, by_frame[number - 1]) > 1e-6:
                steps[number].append(mean / by_frame[number - 1])
    whole = {
        n: ratios for n, ratios in steps.items() if len(ratios) > 1 and len(ratios) == max(map(len, steps.values()))
    }
    for number, ratios in whole.items():
        factor = sorted(ratios)[len(ratios) // 2]
        alike = max(ratios) / min(ratios) < EVEN
        others = [ratio for n, listed in whole.items() if n != number for ratio in listed]
        calm = all(1 / STEADY < ratio < STEADY for ratio in others)
        if alike and calm and len(others) > len(ratios) and not 1 / FLASH < factor < FLASH:
            yield Finding(
                "level", WARNING, f"All passes are {factor:.3g} times as bright from frame {number} on.",
                advice="Was the exposure changed there, or another version rendered?", frames=(number,),
            )  # fmt: skip


def _sizes(element: Element, frames: Mapping[int, FrameFacts], numbers: Sequence[int]) -> Iterator[Finding]:
    """Frames of the picture that have another size than most; all else is compared with the picture frame by frame."""
    whole = [pass_.key for pass_ in element.passes if pass_.kind == "beauty" and not pass_.excluded]
    for files, keys in _by_files(element):
        if whole and not set(whole) & set(keys):
            continue
        sizes = {n: own.size for n in numbers if (own := frames[n].passes.get(keys[0])) and not own.fault}
        if len(set(sizes.values())) < 2:
            continue
        most = max(sizes.values(), key=list(sizes.values()).count)
        odd = [n for n, size in sizes.items() if size != most]
        width, height = sizes[odd[0]]
        yield Finding(
            "size", ERROR, f"{printable(files.pattern)}: {count_of(odd)} of {width} x {height} pixels instead of "
            f"{most[0]} x {most[1]}.", advice="Render these again.", files=paths_of(files, odd), frames=tuple(odd),
            key=keys[0] if len(keys) == 1 else "",
        )  # fmt: skip


def _headers(element: Element, frames: Mapping[int, FrameFacts], numbers: Sequence[int]) -> Iterator[Finding]:
    """Frames whose header says another camera, view, layer or shot than most of the element, or than what it is known
    as."""
    said: dict[str, dict[tuple[int, str], str]] = defaultdict(dict)
    by_key = {keys[0]: files for files, keys in _by_files(element)}
    for number in numbers:
        for key in by_key:
            own = frames[number].passes.get(key)
            for name, value in own.says if own is not None else ():
                if name != "passes":
                    said[name][number, key] = value
    for name, by_place in said.items():
        values = list(by_place.values())
        due = {"camera": element.camera, "layer": element.layer}.get(name, "") if element.planned else ""
        most = due or max(values, key=values.count)
        for other in dict.fromkeys(value for value in values if value != most):
            places = [place for place, value in by_place.items() if value == other]
            odd = tuple(sorted({number for number, _ in places}))
            files = tuple(path for number, key in places for path in paths_of(by_key[key], [number]))
            yield Finding(
                "place",
                ERROR,
                f"{count_of(odd)} {'says' if len(odd) == 1 else 'say'} {name} {printable(other)} in the header instead "
                f"of {printable(most)}.",
                advice="Render these again, or move them to where they belong.",
                files=files,
                frames=odd,
            )


def _exchanged(element: Element, frames: Mapping[int, FrameFacts]) -> Iterator[Finding]:
    """Files of one pass whose header says that they hold another."""
    for files, keys in _by_files(element):
        odd: dict[str, list[int]] = defaultdict(list)
        for number, facts in sorted(frames.items()):
            own = facts.passes.get(keys[0]) if len(keys) == 1 else None
            says = dict(own.says).get("passes", "") if own is not None else ""
            if says and says.split(",")[0] != keys[0].removesuffix(f"_{DENOISED}") and says.split(",")[0] != keys[0]:
                odd[says].append(number)
        for says, numbers in odd.items():
            title = element.find(keys[0]).title
            yield Finding(
                "place", ERROR, f"{title}: {count_of(numbers)} {'says' if len(numbers) == 1 else 'say'} in the header "
                f"that {'it holds' if len(numbers) == 1 else 'they hold'} {printable(says)}.",
                advice="Were two files exchanged? Move them to where they belong, or render these again.", key=keys[0],
                files=paths_of(files, numbers), frames=tuple(numbers),
            )  # fmt: skip


def _by_files(element: Element) -> list[tuple[Files, list[str]]]:
    """Its sequences, each with the keys of the passes that lie in it."""
    return [
        (f, [pass_.key for pass_ in element.passes if pass_.files == f]) for f in files_of(element) if not f.is_still
    ]


def _identical(element: Element, frames: Mapping[int, FrameFacts], numbers: Sequence[int]) -> Iterator[Finding]:
    for files in files_of(element):
        if files.is_still:
            continue
        keys = [pass_.key for pass_ in element.passes if pass_.files == files]
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
            "identical",
            NOTE if held_still else WARNING,
            f"{name}: {count_of(same)} {'are' if len(same) > 1 else 'is'} the same as the frame before, to the "
            "last bit.",
            advice="If something moves there, render them again."
            if not held_still
            else "Nothing seems to move in this shot.",
            key=keys[0] if len(keys) == 1 else "",
            files=paths_of(files, same),
            frames=tuple(same),
        )


def _flashes(element: Element, means: Mapping[str, Mapping[int, float]]) -> Iterator[Finding]:
    for key, by_frame in means.items():
        odd = [
            n for n, mean in by_frame.items()
            if n - 1 in by_frame and n + 1 in by_frame and _is_flash(by_frame[n - 1], mean, by_frame[n + 1])
        ]  # fmt: skip
        if odd:
            pass_ = element.find(key)
            yield Finding(
                "flash",
                WARNING,
                f"{pass_.title} is darker or lighter than both its neighbours in {format_frames(odd)}.",
                advice="Look at these frames in the sequence; render them again if a light is missing there.",
                key=key,
                files=paths_of(pass_.files, odd),
                frames=tuple(odd),
            )


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
        pass_ = element.find(key)
        yield Finding(
            "jump", WARNING, f"{pass_.title} changes all at once at {format_frames(numbers)}, and no other pass does.",
            advice="Was it rendered from another version of the scene from there on?", key=key,
            files=paths_of(pass_.files, numbers), frames=tuple(numbers),
        )  # fmt: skip
