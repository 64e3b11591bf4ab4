"""What is wrong with the frames of an element, as they were read.

A finding names one fault with all frames that have it. `no problems` may only be said of frames that were read.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from prism.colour.spaces import SPACES, space_of
from prism.elements.element import Element, ElementPass
from prism.elements.gathering import claimed_twice
from prism.intake.asked import Expectation
from prism.intake.checking import FrameFacts, PassFacts
from prism.intake.over_time import findings_over_time, with_fades
from prism.judging.finding import ERROR, NOTE, WARNING, Finding, by_severity
from prism.judging.values import PlaneFacts, judge_values
from prism.judging.version import version_of
from prism.passes.kinds import LIT, Role
from prism.pixels.file_formats import format_of_title
from prism.text import printable

JUDGE = version_of("prism.intake.findings", "prism.intake.over_time", "prism.intake.on_disk", "prism.judging.values")
"""Of what is found here: what another one found is worked out again from the same readings."""
INTEGERS = ("uint8", "uint16", "uint10", "uint12", "int8", "int16")


def findings(
    element: Element, frames: Mapping[int, FrameFacts], *, wanted: Expectation = Expectation(), judged: bool = True
) -> list[Finding]:
    """All that the frames of an element show. frames: those that were read, by number.

    Sorted by severity. Frames that were not read are not spoken of.
    """
    found: dict[tuple, list[tuple[int, Finding]]] = defaultdict(list)
    for frame, facts in sorted(frames.items()):
        for finding in _of_frame(element, facts, wanted):
            found[finding.code, finding.key, finding.severity].append((frame, finding))
    gathered = [_together(element, alike) for alike in found.values()]
    gathered = [with_fades(element, frames, finding) for finding in gathered]
    gathered += [_of_claims(claims) for claims in claimed_twice(element)]
    gathered += _unknown(element)
    gathered += findings_over_time(element, frames)
    return by_severity(sorted(gathered, key=lambda finding: (finding.code, finding.key)))


def _of_frame(element: Element, facts: FrameFacts, wanted: Expectation) -> Iterator[Finding]:
    beauty = _setting(element, facts)
    yield from _unreadable(element, facts)
    for pass_ in element.passes:
        own = facts.passes.get(pass_.key)
        if own is None or own.fault:
            continue
        if own.missing:
            lost = ", ".join(own.missing)
            yield _said(pass_, "channels", ERROR, f"{pass_.title} is without {lost}.", "Render these frames again.")
        if pass_.excluded.startswith("a copy"):
            continue
        if beauty is not None and own is not beauty:
            yield from _sizes(pass_, own, beauty)
        yield from _stored(pass_, own, wanted)
        yield from _alpha(pass_, own)
        for name, is_error, what, advice in own.deep.faults() if own.deep is not None else ():
            severity = ERROR if is_error else NOTE if name == "deep-untidy" else WARNING
            yield _said(pass_, name, severity, f"{pass_.title} {what}.", advice)
        kind = pass_.pass_kind
        planes = _components(pass_, own)
        for found in judge_values(kind, pass_.title, planes, whole_numbers=own.pixel in INTEGERS):
            place = _in_picture(found.place, own)
            yield replace(found, key=pass_.key, place=place)
    for one, other in facts.apart:
        first, second = element.find(one), element.find(other)
        yield _said(
            first,
            "apart",
            ERROR,
            f"{first.title} does not fit {second.title} of the same pixels: one of them is of another camera or frame.",
            "Render both again, from one camera and frame.",
        )
    for gap in facts.sums:
        few = sum(1 for p in element.passes if p.pass_kind and p.pass_kind.role in LIT and not p.excluded) < 2
        reason = f" {gap.reasons[0]}" if gap.reasons else ""
        yield Finding(
            "sum",
            NOTE if few else ERROR,
            f"The {gap.by} do not sum to the beauty: up to {gap.largest:.3g} in {gap.beyond} pixels.{reason}",
            advice=gap.reasons[0]
            if gap.reasons
            else "Look at the difference in Rebuild: a pass is missing, doubled, or changed.",
            place=gap.place,
        )


def _unreadable(element: Element, facts: FrameFacts) -> Iterator[Finding]:
    """Once for each file, whatever it holds."""
    by_file: dict[tuple, list[ElementPass]] = defaultdict(list)
    for pass_ in element.passes:
        own = facts.passes.get(pass_.key)
        if own is not None and own.fault:
            by_file[pass_.files.sequence, own.fault].append(pass_)
    for (_, fault), (first, *others) in by_file.items():
        more = f" and {len(others)} more pass{'es' if len(others) > 1 else ''} of its file" if others else ""
        yield _said(first, "unreadable", ERROR, f"{first.title}{more}: {fault}", "Render or copy this file again.")


def _components(pass_: ElementPass, own: PassFacts) -> dict[str, PlaneFacts]:
    """By R, G, B, A, whatever they are spelt like in the file."""
    if len(pass_.channels) != 3:
        return dict(own.planes)
    names = [channel.rpartition(".")[2] for channel in pass_.channels]
    lettered = dict(zip(names, "RGB", strict=True))
    return {lettered.get(name, name): plane for name, plane in own.planes.items()}


def _setting(element: Element, facts: FrameFacts) -> PassFacts | None:
    """The pass that others are measured against: the beauty, or the first of the size that most have."""
    whole = next(
        (p.key for p in element.passes if p.kind == "beauty" and not p.excluded and p.key in facts.passes), None
    )
    if whole is not None and not facts.passes[whole].fault:
        return facts.passes[whole]
    sound = [own for own in facts.passes.values() if not own.fault]
    sizes = [own.size for own in sound]
    return sound[sizes.index(max(sizes, key=sizes.count))] if sound else None


def _sizes(pass_: ElementPass, own: PassFacts, beauty: PassFacts) -> Iterator[Finding]:
    if own.size != beauty.size:
        ratio = own.size[0] / beauty.size[0], own.size[1] / beauty.size[1]
        what = f"{pass_.title} is {own.size[0]} x {own.size[1]} instead of {beauty.size[0]} x {beauty.size[1]}"
        advice = "Render it at the size of the picture, or have it scaled."
        if abs(ratio[0] - ratio[1]) < 0.01:
            what += f", {ratio[0]:.4g} times the picture"
        if own.border:
            inner = own.size[0] - 2 * own.border, own.size[1] - 2 * own.border
            yield _said(
                pass_,
                "guide",
                WARNING,
                f"{what}: a frame of {own.border} pixels runs around {inner[0]} x {inner[1]}.",
                "Capture it again without the guide around it.",
            )
            return
        if pass_.fit == "scale":
            yield _said(pass_, "size", NOTE, f"{what}; it is scaled.", "")
            return
        scalable = pass_.kind in (None, "wire", "background")
        yield _said(pass_, "size", WARNING if scalable else ERROR, f"{what}.", advice, repair={"fit": "scale"})
    elif own.window != beauty.window:
        yield _said(pass_, "window", NOTE, f"{pass_.title} holds {_box(own)}, the beauty {_box(beauty)}.",
                    "Each is placed by its window; outside it is black.")  # fmt: skip
    if abs(own.aspect - beauty.aspect) > 1e-4:
        yield _said(
            pass_,
            "aspect",
            WARNING,
            f"{pass_.title} has pixels {own.aspect:g} wide instead of {beauty.aspect:g}.",
            "Render it with the pixel aspect of the shot.",
        )


def _box(own: PassFacts) -> str:
    left, top, width, height = own.window
    return f"{width} x {height} pixels from {left}, {top}"


def _stored(pass_: ElementPass, own: PassFacts, wanted: Expectation) -> Iterator[Finding]:
    kind = pass_.pass_kind
    if kind is not None and kind.is_data:
        if own.lossy:
            yield _said(
                pass_,
                "lossy",
                ERROR,
                f"{pass_.title} is stored with lossy {own.lossy}: its values are approximations.",
                "Write data and identities with a lossless compression.",
            )
        if own.pixel == "uint8" and kind.role is Role.MEASURE:
            yield _said(
                pass_,
                "eight-bit",
                ERROR,
                f"{pass_.title} is stored in 8 bits.",
                "Write it as 32-bit float straight from the renderer.",
            )
        elif own.pixel in ("half", *INTEGERS) and kind.ranked:
            yield _said(pass_, "lossy", ERROR, f"{pass_.title} is stored as {own.pixel}: its identities are lost.",
                        "Write identities as 32-bit float.")  # fmt: skip
    light = kind is not None and kind.role in (Role.WHOLE, *LIT)
    display = format_of_title(own.format).display and own.pixel in INTEGERS
    if light and display and pass_.curve == "linear":
        yield _said(
            pass_,
            "curve",
            WARNING,
            f"{pass_.title} is a {own.format} of {own.pixel}: most likely made for a screen, with "
            "a display curve in it.",
            "Have it turned linear, or say that it is linear already.",
            repair={"curve": "srgb"},
        )
    elif light and not display and pass_.curve == "linear" and _is_stepped_light(own):
        yield _said(
            pass_,
            "curve",
            WARNING,
            f"{pass_.title} has only the steps of 8 bits: a picture for a screen, stored as {own.pixel}.",
            "Have it turned linear, or render it again as half.",
            repair={"curve": "srgb"},
        )
    if (
        wanted.space
        and own.primaries is not None
        and pass_.primaries == "header"
        and (kind is None or not kind.is_data)
    ):
        space = space_of(own.primaries)
        if space != wanted.space:
            says = SPACES[space] if space else "other primaries"
            yield _said(
                pass_,
                "colour",
                NOTE,
                f"{pass_.title} says {says}; it is converted to {SPACES[wanted.space]}.",
                "If the header is wrong, say which primaries it has.",
            )
    if kind is not None and kind.role is Role.WHOLE and pass_.alpha is None and own.format != "JPEG":
        yield _said(pass_, "no-alpha", WARNING, f"{pass_.title} has no alpha; it cannot be put over another picture.",
                    "Render it with alpha.")  # fmt: skip


def _is_stepped_light(own: PassFacts) -> bool:
    colour = [plane for name, plane in own.planes.items() if name.upper() not in ("A", "ALPHA")]
    telling = [plane for plane in colour if not plane.is_constant and plane.pixels >= 4096]
    return bool(telling) and all(plane.stepped for plane in telling)


def _alpha(pass_: ElementPass, own: PassFacts) -> Iterator[Finding]:
    seen = own.alpha
    if seen is None or seen.state == pass_.state or seen.certainty < 0.7 or pass_.state == "none":
        return
    yield _said(
        pass_,
        "alpha",
        WARNING,
        f"{pass_.title} is read as {pass_.state}, but looks {seen.state}: {'; '.join(seen.reasons)}.",
        f"Look at its edges, and have it read as {seen.state}.",
        repair={"state": seen.state},
    )


def _said(pass_: ElementPass, code: str, severity: str, what: str, advice: str, **more: Any) -> Finding:
    return Finding(code, severity, what, advice=advice, key=pass_.key, **more)


def _in_picture(place, own: PassFacts):
    return None if place is None else (place[0] + own.window[0], place[1] + own.window[1])


def _together(element: Element, alike: Sequence[tuple[int, Finding]]) -> Finding:
    """One finding for all frames that have it, in the words of the first."""
    _, first = alike[0]
    numbered = bool(element.frames)
    frames = tuple(frame for frame, _ in alike) if numbered else ()
    files: tuple[str, ...] = ()
    if first.key:
        pass_ = element.find(first.key).files
        files = tuple(dict.fromkeys(str(pass_.path(frame)) for frame, _ in alike))
    return replace(first, files=files, frames=frames)


def _of_claims(claims: Sequence[ElementPass]) -> Finding:
    winner, *others = claims
    names = ", ".join(", ".join(p.channels) if p.layer else printable(p.files.pattern) for p in others)
    return Finding(
        "claims",
        WARNING,
        f"{winner.title} is claimed by {names} as well.",
        advice="It is read from the surest; the others are kept under their own names. Choose one with a rule.",
        key=winner.key,
        files=tuple(str(p.files.path(p.files.numbers[0] if p.files.numbers else 0)) for p in claims),
        repair={"rule": ""},
    )


def _unknown(element: Element) -> Iterator[Finding]:
    for pass_ in element.passes:
        if pass_.kind is None and not pass_.excluded:
            name = ", ".join(pass_.channels) if pass_.layer else printable(pass_.files.pattern)
            yield Finding("unknown", NOTE, f"{name} is not a known pass; it is read as {pass_.key}.",
                          advice="Say once which pass it is.", key=pass_.key, repair={"rule": ""})  # fmt: skip
