"""A plan's files read frame by frame and judged: the one judgement of the command line, the page and of what is skipped."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from prism.combine.balance import balance
from prism.combine.first import SUMS, first_ledger
from prism.elements.opening import find_sources
from prism.errors import PrismError
from prism.intake.found import found_file, pictures_below
from prism.passes.audit import Deviation, Expected, extras, faults_of, gathered, keeps_sums
from prism.passes.checks.light import BY_COMPONENTS, BY_GROUPS, BY_PARTS, completeness
from prism.passes.expansion import PlannedFiles, expand
from prism.passes.facts import SceneFacts
from prism.passes.kinds import LIT, Role
from prism.passes.plan import Plan, PlannedImage

Fault = tuple[PlannedFiles, int, tuple[str, str]]
_SUMS = dict(zip((BY_COMPONENTS, BY_GROUPS, BY_PARTS), SUMS, strict=True))


def audit_folder(plan: Plan, facts: SceneFacts, folder: Path) -> list[Deviation]:
    """All that is not as planned below a folder; every file is read to its last pixel. facts: with the scene's own labels."""
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
        for fault in faults_of(planned, found_file(folder / planned.path(frame)), expected)
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
    """What the passes sum to, compared with the beauty, by each way in which they should be complete.

    Only where all files concerned hold light to the last bit of its type.
    """
    light = [
        planned
        for planned in files
        if _holds_light(planned) and not planned.group.denoised and not planned.group.carries_stray
    ]
    beauty = next((file for file in light if any(planned.kind.role is Role.WHOLE for planned in file.passes)), None)
    ways = completeness(plan, image, facts.for_plan(plan)).ways
    if beauty is None or not all(map(keeps_sums, light)) or image.layer.override == "occlusion":
        return
    for way in ways:
        try:
            sources = find_sources([folder / planned.path(frame) for planned in light])
            found = balance(first_ledger(sources, by=_SUMS[way]), sources, causes=0)
        except PrismError as error:
            yield beauty, frame, ("sum", f"The {way} cannot be summed: {error.what}")
            continue
        if not found.balanced:
            yield beauty, frame, (
                "sum", f"The {way} do not sum to the beauty: up to {found.difference.largest:.3g} in {found.beyond} pixels."
            )  # fmt: skip


def _holds_light(planned: PlannedFiles) -> bool:
    roles = {pass_.kind.role for pass_ in planned.passes}
    return bool(roles & {Role.WHOLE, *LIT}) and not planned.passes[0].kind.own_file
