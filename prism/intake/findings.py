"""What is wrong with an element: from what lies on disk, and from its frames as they were read.

A finding names one fault with all frames that have it. `no problems` may only be said of frames that were read.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import pairwise
from statistics import median
from typing import Any

from prism.colour.spaces import SPACES, space_of
from prism.elements import disk
from prism.elements.element import Element, ElementPass
from prism.elements.gathering import Doubt, Fault, doubts_of
from prism.formats.kinds import kind_of_title
from prism.intake.checking import FrameFacts, PassFacts
from prism.naming.frames import format_frames
from prism.passes.judging import ERROR, NOTE, WARNING, PlaneFacts, judge_values
from prism.passes.kinds import Role
from prism.text import printable

OLDER_SECONDS = 600  # between a file and the next younger one, to say that it was left from before
ALONE = 1.5  # times that one pass changes from a frame to the next, while no other does
STEADY = 1.1  # a pass that changes less is called steady
FLASH = 1.15  # times that a frame is brighter or darker than both its neighbours
SEVERITIES = (ERROR, WARNING, NOTE)
INTEGERS = ("uint8", "uint16", "uint10", "uint12", "int8", "int16")


@dataclass(frozen=True, slots=True)
class Finding:
    """One fault. key: of the pass, empty for the element. frames: those that have it, ascending; empty for stills and for what
    concerns no frame. place: a pixel to look at, from the picture's corner. action: what a page can do about it at once."""

    kind: str
    severity: str
    text: str
    advice: str = ""
    key: str = ""
    files: tuple[str, ...] = ()
    frames: tuple[int, ...] = ()
    place: tuple[int, int] | None = None
    action: str = ""

    def as_json(self) -> dict[str, Any]:
        """All fields, frames as a list of numbers."""
        return asdict(self) | {"frames": list(self.frames), "files": list(self.files)}

    @property
    def mark(self) -> str:
        """The same for the same fault of the same pass, whatever frames have it: by this it is accepted."""
        return f"{self.kind} {self.key}"


@dataclass(frozen=True, slots=True)
class Wanted:
    """What a plan or a shot asks of frames. Empty: nothing is asked."""

    frames: tuple[int, ...] = ()
    space: str = ""


def findings_on_disk(
    element: Element, sequences: Sequence[disk.Sequence], wanted: Wanted = Wanted()
) -> Iterator[Finding]:
    """What names, numbers and times tell, without opening a file."""
    held = {(s.folder, s.head, s.padding, s.suffix): s for s in sequences}
    whole = set(element.frames)
    nowhere = sorted(set(wanted.frames) - whole)
    if nowhere and whole:
        yield Finding(
            "missing", ERROR, f"No pass has {_count(nowhere)} of the shot's range: {format_frames(nowhere)}.",
            "Render them, or copy them here.", frames=tuple(nowhere),
        )  # fmt: skip
    for files in _files_of(element):
        if files.is_still:
            continue
        own = set(files.numbers)
        name = printable(files.pattern)
        gaps = sorted(set(range(min(own), max(own) + 1)) - own) if own else []
        gaps = [] if own and _is_stepped(files.numbers) else gaps
        absent = sorted(whole - own - set(gaps))
        if gaps:
            yield _missing(files, name, gaps, "within its range")
        if absent:
            yield _missing(files, name, absent, "that other passes have")
        beyond = sorted(own - set(wanted.frames)) if wanted.frames else []
        if beyond:
            yield Finding(
                "extra", NOTE, f"{name} has {_count(beyond)} outside the shot's range: {format_frames(beyond)}.",
                "They can be looked at; widen the range in Plan if they belong to the shot.", files=_paths(files, beyond),
                frames=tuple(beyond),
            )  # fmt: skip
        sequence = held.get(files.sequence)
        if sequence is not None:
            yield from _older(sequence, name)


def findings_of_scan(scanned: disk.Scan, faults: Iterable[Fault]) -> Iterator[Finding]:
    """Of all that lies in a folder: files that cannot be read, numbers in two paddings."""
    for fault in faults:
        paths = tuple(str(fault.sequence.path(frame)) for frame in list(fault.sequence.files)[:1000])
        yield Finding(
            "unreadable", ERROR, f"{printable(fault.sequence.pattern)}: {fault.error.what}",
            fault.error.advice or "Render or copy it again.", files=paths, frames=fault.sequence.frames,
        )  # fmt: skip
    by_name: dict[tuple, list[disk.Sequence]] = defaultdict(list)
    for sequence in scanned.sequences:
        if not sequence.is_still:
            by_name[sequence.folder, sequence.head, sequence.suffix].append(sequence)
    for same in by_name.values():
        common = sorted(set.intersection(*(set(s.frames) for s in same))) if len(same) > 1 else []
        if common:
            names = " and ".join(printable(sequence.pattern) for sequence in same)
            paths = tuple(str(sequence.path(frame)) for sequence in same for frame in common)
            yield Finding(
                "doubled", WARNING, f"{_count(common)} {'are' if len(common) > 1 else 'is'} there twice, as {names}.",
                "The one with the wider padding is used; remove the other, or leave it out by a rule.",
                files=paths, frames=tuple(common), action="ignore",
            )  # fmt: skip


def findings_of_versions(elements: Sequence[Element]) -> Iterator[Finding]:
    """Images that are there in several versions."""
    by_image: dict[tuple, list[Element]] = defaultdict(list)
    for element in elements:
        if element.number is not None:
            bare = element.name.removesuffix(f" v{element.number:03}")
            by_image[bare, element.layer, element.camera].append(element)
    for (bare, *_), same in by_image.items():
        if len(same) > 1:
            newest = max(same, key=lambda element: element.number)
            versions = ", ".join(f"v{element.number:03}" for element in sorted(same, key=lambda e: e.number))
            yield Finding(
                "version", NOTE, f"{bare} is there as {versions}; {newest.name} is the newest.",
                "Each version is an element of its own; choose in Rebuild which to use.",
            )  # fmt: skip


def findings(
    element: Element, frames: Mapping[int, FrameFacts], *, wanted: Wanted = Wanted(), judged: bool = True
) -> list[Finding]:
    """All that the frames of an element show. frames: those that were read, by number.

    Sorted by severity. Frames that were not read are not spoken of.
    """
    found: dict[tuple, list[tuple[int, Finding]]] = defaultdict(list)
    for frame, facts in sorted(frames.items()):
        for finding in _of_frame(element, facts, wanted):
            found[finding.kind, finding.key, finding.severity].append((frame, finding))
    gathered = [_together(element, alike) for alike in found.values()]
    gathered += [_of_doubt(doubt) for doubt in doubts_of(element)]
    gathered += _unknown(element)
    gathered += _over_time(element, frames)
    return sorted(gathered, key=lambda finding: (SEVERITIES.index(finding.severity), finding.kind, finding.key))


def _of_frame(element: Element, facts: FrameFacts, wanted: Wanted) -> Iterator[Finding]:
    beauty = _setting(element, facts)
    for held in element.passes:
        own = facts.passes.get(held.key)
        if own is None:
            continue
        if own.fault:
            yield _said(held, "unreadable", ERROR, f"{held.title}: {own.fault}", "Render or copy this file again.")
            continue
        if own.missing:
            lost = ", ".join(own.missing)
            yield _said(held, "channels", ERROR, f"{held.title} is without {lost}.", "Render these frames again.")
        if held.aside.startswith("a copy"):
            continue
        if beauty is not None and own is not beauty:
            yield from _sizes(held, own, beauty)
        yield from _stored(held, own, wanted)
        yield from _alpha(held, own)
        kind = held.pass_kind
        planes = _components(held, own)
        for verdict in judge_values(kind, held.title, planes, whole_numbers=own.pixel in INTEGERS):
            place = _in_picture(verdict.place, own)
            yield _said(held, verdict.kind, verdict.severity, verdict.what, _ADVICE.get(verdict.kind, ""), place=place)
    for gap in facts.sums:
        few = sum(1 for p in element.passes if p.pass_kind and p.pass_kind.role in _LIT and not p.aside) < 2
        reason = f" {gap.reasons[0]}" if gap.reasons else ""
        yield Finding(
            "sum", NOTE if few else ERROR,
            f"The {gap.by} do not sum to the beauty: up to {gap.largest:.3g} in {gap.beyond} pixels.{reason}",
            gap.reasons[0] if gap.reasons else "Look at the difference in Rebuild: a pass is missing, doubled, or changed.",
            place=gap.place,
        )  # fmt: skip


_LIT = (Role.LIGHT, Role.GROUP, Role.PART)
_ADVICE = {
    "nan": "Render it again, or find out what divides by zero there.",
    "infinite": "Render it again, or find out what divides by zero there.",
    "negative": "Filters with negative lobes make such; look whether they matter.",
    "black": "Was the light, the layer or the pass switched off when it was rendered?",
    "white": "Was it rendered with anything to show?",
    "constant": "Was it rendered with anything to show?",
    "clamped": "Write it as half or float without clamping; what was cut off cannot come back.",
    "eight-bit": "Write it as 32-bit float straight from the renderer.",
}


def _components(held: ElementPass, own: PassFacts) -> dict[str, PlaneFacts]:
    """By R, G, B, A, whatever they are spelt like in the file."""
    if len(held.channels) != 3:
        return dict(own.planes)
    names = [channel.rpartition(".")[2] for channel in held.channels]
    lettered = dict(zip(names, "RGB", strict=True))
    return {lettered.get(name, name): plane for name, plane in own.planes.items()}


def _setting(element: Element, facts: FrameFacts) -> PassFacts | None:
    """The pass that others are measured against: the beauty, or the first of the size that most have."""
    whole = next((p.key for p in element.passes if p.kind == "beauty" and not p.aside and p.key in facts.passes), None)
    if whole is not None and not facts.passes[whole].fault:
        return facts.passes[whole]
    sound = [own for own in facts.passes.values() if not own.fault]
    sizes = [own.size for own in sound]
    return sound[sizes.index(max(sizes, key=sizes.count))] if sound else None


def _sizes(held: ElementPass, own: PassFacts, beauty: PassFacts) -> Iterator[Finding]:
    if own.size != beauty.size:
        ratio = own.size[0] / beauty.size[0], own.size[1] / beauty.size[1]
        what = f"{held.title} is {own.size[0]} x {own.size[1]} instead of {beauty.size[0]} x {beauty.size[1]}"
        advice = "Render it at the size of the picture, or have it scaled."
        if abs(ratio[0] - ratio[1]) < 0.01:
            what += f", {ratio[0]:.4g} times the picture"
        if own.border:
            inner = own.size[0] - 2 * own.border, own.size[1] - 2 * own.border
            yield _said(held, "guide", WARNING, f"{what}: a frame of {own.border} pixels runs around {inner[0]} x {inner[1]}.",
                        "Capture it again without the guide around it.")  # fmt: skip
            return
        if held.fit == "scale":
            yield _said(held, "size", NOTE, f"{what}; it is scaled.", "")
            return
        scalable = held.kind in (None, "wire", "background")
        yield _said(held, "size", WARNING if scalable else ERROR, f"{what}.", advice, action="scale")
    elif own.window != beauty.window:
        yield _said(held, "window", NOTE, f"{held.title} holds {_box(own)}, the beauty {_box(beauty)}.",
                    "Each is placed by its window; outside it is black.")  # fmt: skip
    if abs(own.aspect - beauty.aspect) > 1e-4:
        yield _said(held, "aspect", WARNING, f"{held.title} has pixels {own.aspect:g} wide instead of {beauty.aspect:g}.",
                    "Render it with the pixel aspect of the shot.")  # fmt: skip


def _box(own: PassFacts) -> str:
    left, top, width, height = own.window
    return f"{width} x {height} pixels from {left}, {top}"


def _stored(held: ElementPass, own: PassFacts, wanted: Wanted) -> Iterator[Finding]:
    kind = held.pass_kind
    if kind is not None and kind.is_data:
        if own.lossy:
            yield _said(held, "lossy", ERROR, f"{held.title} is stored with lossy {own.lossy}: its values are approximations.",
                        "Write data and identities with a lossless compression.")  # fmt: skip
        if own.pixel == "uint8" and kind.role is Role.MEASURE:
            yield _said(held, "eight-bit", ERROR, f"{held.title} is stored in 8 bits.", _ADVICE["eight-bit"])
        elif own.pixel in ("half", *INTEGERS) and kind.ranked:
            yield _said(held, "lossy", ERROR, f"{held.title} is stored as {own.pixel}: its identities are lost.",
                        "Write identities as 32-bit float.")  # fmt: skip
    light = kind is not None and kind.role in (Role.WHOLE, *_LIT)
    display = kind_of_title(own.format).display and own.pixel in INTEGERS
    if light and display and held.curve == "linear":
        yield _said(held, "curve", WARNING, f"{held.title} is a {own.format} of {own.pixel}: most likely made for a screen, with "
                    "a display curve in it.", "Have it turned linear, or say that it is linear already.",
                    action="linear")  # fmt: skip
    elif light and not display and held.curve == "linear" and _is_stepped_light(own):
        yield _said(held, "curve", WARNING, f"{held.title} has only the steps of 8 bits: a picture for a screen, stored as "
                    f"{own.pixel}.", "Have it turned linear, or render it again as half.", action="linear")  # fmt: skip
    if wanted.space and own.primaries is not None and (kind is None or not kind.is_data):
        space = space_of(own.primaries)
        if space != wanted.space:
            says = SPACES[space] if space else "other primaries"
            yield _said(
                held, "colour", NOTE, f"{held.title} says {says}; it is converted to {SPACES[wanted.space]}.", ""
            )
    if kind is not None and kind.role is Role.WHOLE and held.alpha is None and own.format != "JPEG":
        yield _said(held, "no-alpha", WARNING, f"{held.title} has no alpha; it cannot be laid over another picture.",
                    "Render it with alpha.")  # fmt: skip


def _is_stepped_light(own: PassFacts) -> bool:
    colour = [plane for name, plane in own.planes.items() if name.upper() not in ("A", "ALPHA")]
    telling = [plane for plane in colour if not plane.is_constant and plane.pixels >= 4096]
    return bool(telling) and all(plane.stepped for plane in telling)


def _alpha(held: ElementPass, own: PassFacts) -> Iterator[Finding]:
    seen = own.alpha
    if seen is None or seen.state == held.state or seen.certainty < 0.7 or held.state == "none":
        return
    yield _said(
        held, "alpha", WARNING, f"{held.title} is read as {held.state}, but looks {seen.state}: {'; '.join(seen.reasons)}.",
        f"Look at its edges, and have it read as {seen.state}.", action=seen.state,
    )  # fmt: skip


def _said(held: ElementPass, kind: str, severity: str, text: str, advice: str, *, place=None, action="") -> Finding:
    return Finding(kind, severity, text, advice, key=held.key, place=place, action=action)


def _in_picture(place, own: PassFacts):
    return None if place is None else (place[0] + own.window[0], place[1] + own.window[1])


def _together(element: Element, alike: Sequence[tuple[int, Finding]]) -> Finding:
    """One finding for all frames that have it, in the words of the first."""
    _, first = alike[0]
    numbered = bool(element.frames)
    frames = tuple(frame for frame, _ in alike) if numbered else ()
    files: tuple[str, ...] = ()
    if first.key:
        held = element.find(first.key).files
        files = tuple(dict.fromkeys(str(held.path(frame)) for frame, _ in alike))
    return Finding(
        first.kind, first.severity, first.text, first.advice, first.key, files, frames, first.place, first.action
    )


def _of_doubt(doubt: Doubt) -> Finding:
    winner, *others = doubt.claims
    names = ", ".join(", ".join(p.channels) if p.layer else printable(p.files.pattern) for p in others)
    return Finding(
        "claims", WARNING, f"{winner.title} is claimed by {names} as well.",
        "It is read from the surest; the others are kept under their own names. Say which is meant by a rule.",
        key=winner.key, files=tuple(str(p.files.path(p.files.numbers[0] if p.files.numbers else 0)) for p in doubt.claims),
        action="rule",
    )  # fmt: skip


def _unknown(element: Element) -> Iterator[Finding]:
    for held in element.passes:
        if held.kind is None and not held.aside:
            name = ", ".join(held.channels) if held.layer else printable(held.files.pattern)
            yield Finding("unknown", NOTE, f"Nobody can tell which pass {name} is; it is kept as {held.key}.",
                          "Say once which pass it is.", key=held.key, action="rule")  # fmt: skip


def _over_time(element: Element, frames: Mapping[int, FrameFacts]) -> Iterator[Finding]:
    """What only shows beside other frames."""
    numbers = sorted(frames)
    if len(numbers) < 2 or not element.frames:
        return
    yield from _identical(element, frames, numbers)
    means = {
        held.key: {n: m for n in numbers if (own := frames[n].passes.get(held.key)) and (m := own.mean) is not None}
        for held in element.passes
        if held.pass_kind is not None and held.pass_kind.role in (Role.WHOLE, *_LIT) and not held.files.is_still
    }
    yield from _flashes(element, means)
    yield from _jumps(element, means)


def _identical(element: Element, frames: Mapping[int, FrameFacts], numbers: Sequence[int]) -> Iterator[Finding]:
    for files in _files_of(element):
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
            f"{name}: {_count(same)} {'are' if len(same) > 1 else 'is'} the same as the frame before, to the last bit.",
            "If something moves there, render them again." if not held_still else "Nothing seems to move in this shot.",
            key=keys[0] if len(keys) == 1 else "", files=_paths(files, same), frames=tuple(same),
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
                files=_paths(held.files, odd), frames=tuple(odd),
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
            files=_paths(held.files, numbers), frames=tuple(numbers),
        )  # fmt: skip


def _files_of(element: Element):
    return list({held.files.model_dump_json(): held.files for held in element.passes}.values())


def _is_stepped(numbers: Sequence[int]) -> bool:
    """Every n-th frame, as first looks are rendered: at least three, all equally far apart."""
    gaps = {b - a for a, b in pairwise(numbers)}
    return len(numbers) > 2 and len(gaps) == 1 and gaps != {1}


def _missing(files, name: str, numbers: Sequence[int], which: str) -> Finding:
    return Finding(
        "missing", ERROR, f"{name} lacks {_count(numbers)} {which}: {format_frames(numbers)}.",
        "Render them, or copy them here.", files=_paths(files, numbers), frames=tuple(numbers),
    )  # fmt: skip


def _older(sequence: disk.Sequence, name: str) -> Iterator[Finding]:
    """Files from before a long pause, where most are from after it."""
    times = sorted((facts.modified / 1e9, frame) for frame, facts in sequence.files.items())
    if len(times) < 3:
        return
    pauses = [(b[0] - a[0], place) for place, (a, b) in enumerate(pairwise(times), start=1)]
    longest, place = max(pauses)
    usual = median(pause for pause, _ in pauses)
    if longest < max(OLDER_SECONDS, 10 * usual) or place > len(times) / 2:
        return
    old = tuple(sorted(frame for _, frame in times[:place]))
    yield Finding(
        "older", WARNING, f"{name}: {_count(old)} {'are' if len(old) > 1 else 'is'} older than the others: {format_frames(old)}.",
        "Were they left from an earlier render? Look at them beside their neighbours.",
        files=tuple(str(sequence.path(frame)) for frame in old), frames=old,
    )  # fmt: skip


def _paths(files, numbers: Iterable[int]) -> tuple[str, ...]:
    return tuple(str(files.path(number)) for number in numbers)


def _count(numbers: Sequence[int]) -> str:
    return f"{len(numbers)} frame{'s' * (len(numbers) > 1)}"
