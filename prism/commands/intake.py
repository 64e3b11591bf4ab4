"""`python -m prism intake`: what lies in folders and files, and what is wrong with it."""

from __future__ import annotations

import argparse
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from prism.commands import Answer, Refused, Unable
from prism.commands.scenes import load_facts
from prism.elements import disk
from prism.elements.element import Element, ElementPass
from prism.elements.gathering import gather
from prism.elements.planned import PlannedNames
from prism.errors import PrismError
from prism.intake.asked import Expectation
from prism.intake.checking import check_frame, frames_to_check
from prism.intake.findings import findings
from prism.intake.on_disk import findings_of_scan, findings_of_versions, findings_on_disk
from prism.judging.finding import ERROR, Finding
from prism.naming.frames import format_frames
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan
from prism.plan.showing import for_plan
from prism.scenes.facts import SceneFacts


def intake(args: argparse.Namespace) -> Answer:
    """Read all of it, to the last pixel. Raises Refused with findings that are errors, Unable if nothing could be
    looked at."""
    try:
        planned, names, wanted = _plan(args.plan, args.scene)
        scans = [_scanned(path) for path in args.paths]
    except PrismError as error:
        raise Unable(error) from error
    elements: list[Element] = []
    found: list[Finding] = []
    for root, scanned in scans:
        gathered = gather(scanned.sequences, root=root, plan=names)
        elements += gathered.elements
        found += findings_of_scan(scanned, gathered.faults)
        found += findings_of_versions(gathered.elements)
        for element in gathered.elements:
            asked = wanted if wanted.frames and (names is None or element.planned) else Expectation(space=wanted.space)
            facts = {frame: check_frame(element, frame) for frame in frames_to_check(element)}
            found += findings_on_disk(element, scanned.sequences, asked)
            found += findings(element, facts, wanted=asked)
    found += _not_found(planned, names, scans)
    answer = {
        "elements": [_element(element) for element in elements],
        "sequences": [_sequence(sequence) for _, scanned in scans for sequence in scanned.sequences],
        "findings": [finding.as_json() for finding in found],
    }
    text = _text(answer)
    if any(finding.severity == ERROR for finding in found):
        raise Refused(answer, text)
    return answer, text


def _plan(path: Path | None, scene: Path | None) -> tuple[list[PlannedFiles], PlannedNames | None, Expectation]:
    if path is None:
        return [], None, Expectation()
    plan = Plan.load(path)
    facts = load_facts(scene) if scene else SceneFacts.unknown(plan.cameras)
    files = expand(plan, facts)
    return (
        files,
        PlannedNames(files, for_plan(facts, plan).labels),
        Expectation(plan.shot.written_frames, plan.shot.space),
    )


def _not_found(
    planned: Sequence[PlannedFiles], names: PlannedNames | None, scans: Sequence[tuple[Path, disk.Scan]]
) -> Iterator[Finding]:
    """Planned sequences of which not one file is there."""
    if names is None:
        return
    there = [names.find(sequence) for _, scanned in scans for sequence in scanned.sequences]
    titles = {id(sequence.files) for sequence in there if sequence is not None}
    for files in planned:
        if id(files) not in titles:
            yield Finding(
                "missing", ERROR, f"{files.example} and all further frames are not there.", advice="Render them.",
                files=tuple(files.path(frame) for frame in files.frames), frames=files.frames,
            )  # fmt: skip


def _scanned(path: Path) -> tuple[Path, disk.Scan]:
    path = Path(path)
    if path.is_dir():
        return path, disk.scan(path)
    return path.parent, disk.around(path)


def _element(element: Element) -> dict[str, Any]:
    return {
        "name": element.name,
        "layer": element.layer,
        "camera": element.camera,
        "version": element.number,
        "planned": element.planned,
        "frames": format_frames(element.frames),
        "passes": [_pass(element, pass_) for pass_ in element.passes],
    }


def _pass(element: Element, pass_: ElementPass) -> dict[str, Any]:
    return {
        "pass": pass_.key.removesuffix("_denoised") if pass_.kind and not pass_.excluded else None,
        "key": pass_.key,
        "title": pass_.title,
        "denoised": pass_.denoised,
        "files": [str(pass_.files.path(frame)) for frame in pass_.files.numbers or (0,)],
        "channels": [*pass_.channels, *([pass_.alpha] if pass_.alpha else [])],
        "alpha": pass_.state,
        "deep": pass_.deep,
        "certainty": pass_.certainty,
        "reason": pass_.excluded or pass_.reason,
        "others": list(pass_.others),
    }


def _sequence(sequence: disk.Sequence) -> dict[str, Any]:
    own = sequence.frames
    gaps = sorted(set(range(own[0], own[-1] + 1)) - set(own)) if own else []
    return {
        "pattern": str(sequence.folder / sequence.pattern),
        "frames": list(own),
        "range": format_frames(own),
        "gaps": gaps,
        "still": sequence.is_still,
        "bytes": sequence.byte_count,
    }


def _text(answer: dict[str, Any]) -> str:
    lines = []
    for element in answer["elements"]:
        lines.append(f"{element['name']}  {element['frames'] or 'still'}")
        for pass_ in element["passes"]:
            channels = " ".join(pass_["channels"])
            lines.append(f"  {pass_['key']:<32}{pass_['alpha']:<15}{pass_['certainty']:>5.0%}  {channels}")
    problems: Sequence[dict] = answer["findings"]
    for finding in problems:
        frames = f" [{finding['frames_text']}]" if finding["frames_text"] else ""
        lines.append(f"{finding['severity']}: {finding['what']}{frames} {finding['advice']}".rstrip())
    if not problems:
        lines.append("No problems.")
    return "\n".join(lines)
