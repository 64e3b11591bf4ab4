"""A plan's files read frame by frame and judged: the one judgement of the command line, the page and of what is
skipped."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from prism.balance.balance import balance
from prism.errors import PrismError
from prism.intake.found import found_file, pictures_below
from prism.judging.finding import Finding
from prism.ledger.bases import SUMS
from prism.ledger.first import first_ledger
from prism.passes.kinds import LIT, Role
from prism.plan.audit import Expected, extras, faults_of, gathered, keeps_sums
from prism.plan.checks.light import BY_COMPONENTS, BY_GROUPS, BY_PARTS, completeness
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan, PlannedImage
from prism.plan.showing import for_plan
from prism.scenes.facts import SceneFacts
from prism.sources.frame import OpenFrame
from prism.sources.opening import find_sources

Fault = tuple[PlannedFiles, int, tuple[str, str]]
RAW_WITHIN = 0.15  # share by which raw light times surface colour may differ: both are averages over a pixel
_SUMS = dict(zip((BY_COMPONENTS, BY_GROUPS, BY_PARTS), SUMS, strict=True))


def audit_folder(plan: Plan, facts: SceneFacts, folder: Path) -> list[Finding]:
    """All that is not as planned below a folder; every file is read to its last pixel. facts: with the scene's own
    labels."""
    files = expand(plan, facts)
    faults: list[Fault] = []
    for image in plan.images():
        of_image = [planned for planned in files if planned.is_of(image)]
        for frame in plan.shot.written_frames:
            faults += frame_faults(plan, facts, image, of_image, frame, folder)
    return gathered(faults) + extras(files, pictures_below(folder) if Path(folder).is_dir() else ())


def frame_faults(
    plan: Plan, facts: SceneFacts, image: PlannedImage, files: Sequence[PlannedFiles], frame: int, folder: Path
) -> list[Fault]:
    """All faults of one frame of one image: of every file by itself, and of their sum. files: those of the image."""
    expected = Expected(scene=facts.fingerprint, plan=plan.fingerprint)
    faults = [
        (planned, frame, fault)
        for planned in files
        for fault in faults_of(planned, found_file(folder / planned.path(frame)), expected, frame)
    ]
    if not any(kind in ("missing", "unreadable", "channels", "colour") for _, _, (kind, _) in faults):
        faults += _sum_faults(plan, facts, image, files, frame, folder)
    return faults


def is_as_planned(
    plan: Plan, facts: SceneFacts, image: PlannedImage, files: Sequence[PlannedFiles], frame: int, folder: Path
) -> bool:
    """Whether the files of one frame are all there and just as planned, so that they need not be made again."""
    if not all((folder / planned.path(frame)).is_file() for planned in files):
        return False
    return not frame_faults(plan, facts, image, files, frame, folder)


def _sum_faults(
    plan: Plan, facts: SceneFacts, image: PlannedImage, files: Sequence[PlannedFiles], frame: int, folder: Path
) -> Iterator[Fault]:
    """What the passes sum to, compared with the beauty, by each way in which they should be complete; the denoised ones
    as well.

    Only where all files concerned hold light to the last bit of its type.
    """
    for denoised in (False, True):
        light = [
            planned
            for planned in files
            if _holds_light(planned) and planned.group.denoised == denoised and not planned.group.carries_stray
        ]
        yield from _sums_of(plan, facts, image, light, frame, folder, denoised=denoised)
    yield from _raw_faults(files, frame, folder)


def _sums_of(
    plan: Plan, facts: SceneFacts, image: PlannedImage, light: Sequence[PlannedFiles], frame: int, folder: Path, *,
    denoised: bool,
) -> Iterator[Fault]:  # fmt: skip
    beauty = next((file for file in light if any(planned.kind.role is Role.WHOLE for planned in file.passes)), None)
    ways = completeness(plan, image, for_plan(facts, plan)).ways
    if beauty is None or not all(map(keeps_sums, light)) or image.layer.override == "occlusion":
        return
    for way in ways:
        try:
            sources = find_sources([folder / planned.path(frame) for planned in light])
            found = balance(first_ledger(sources, by=_SUMS[way], denoised=denoised), sources, causes=1)
        except PrismError as error:
            yield beauty, frame, ("sum", f"The {way} cannot be summed: {error.what}")
            continue
        if not found.balanced:
            yield (
                beauty,
                frame,
                (
                    "sum",
                    f"The {way}{', denoised,' if denoised else ''} do not sum to the beauty: up to "
                    f"{found.difference.largest:.3g} in "
                    f"{found.wrong} pixels. {found.suggestions[0].what if found.suggestions else ''}".rstrip(),
                ),
            )


def _raw_faults(files: Sequence[PlannedFiles], frame: int, folder: Path) -> Iterator[Fault]:
    """Raw light is in no sum of its own: times the surface colour it should come to about the diffuse light."""
    of_kind = {pass_.key: planned for planned in files if not planned.group.denoised for pass_ in planned.passes}
    diffuse = [key for key in ("diffuse", "diffuse_direct", "diffuse_indirect") if key in of_kind]
    parts = ["diffuse"] if "diffuse" in diffuse else diffuse
    if not {"raw_light", "surface_colour"} <= of_kind.keys() or not (len(parts) == 2 or parts == ["diffuse"]):
        return
    used = [of_kind[key] for key in ("raw_light", "surface_colour", *parts)]
    try:
        sources = find_sources(list(dict.fromkeys(folder / planned.path(frame) for planned in used)))
        colour, raw, *light = (_colour(sources, key) for key in ("surface_colour", "raw_light", *parts))
    except PrismError as error:
        yield of_kind["raw_light"], frame, ("sum", f"Raw light cannot be compared with the diffuse light: {error.what}")
        return
    due = float(sum(plane.sum(dtype=np.float64) for plane in light))
    ratio = float((colour * raw).sum(dtype=np.float64)) / due if due else 1.0
    if abs(ratio - 1) > RAW_WITHIN:
        yield of_kind["raw_light"], frame, (
            "sum", f"Raw light times surface colour is {ratio:.3g} times the diffuse light.",
        )  # fmt: skip


def _colour(sources: OpenFrame, key: str) -> NDArray[np.float32]:
    planes = np.stack(sources.pixels(key).planes).astype(np.float32)
    return np.nan_to_num(planes, nan=0, posinf=0, neginf=0)


def _holds_light(planned: PlannedFiles) -> bool:
    roles = {pass_.kind.role for pass_ in planned.passes}
    return bool(roles & {Role.WHOLE, *LIT}) and not planned.passes[0].kind.own_file
