"""`python -m prism plan`: which files a plan will write, what is wrong with it, and whether a folder follows it."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from prism.commands import Answer, Refused
from prism.commands.scenes import load_facts
from prism.errors import BadArgument
from prism.intake.auditing import audit_folder
from prism.judging.finding import ERROR
from prism.plan.checks import check
from prism.plan.estimate import Measured, seconds_per_frame, total_bytes, total_seconds
from prism.plan.expansion import expand
from prism.plan.plan import Plan
from prism.scenes.facts import SceneFacts


def plan(args: argparse.Namespace) -> Answer:
    """Expand, check, estimate or audit a plan, or print its schema. Raises BadArgument, BadDocument or
    UnreadableFile."""
    if args.schema:
        schema = Plan.model_json_schema()
        return schema, json.dumps(schema, indent=2)
    if not args.action or not args.plan:
        raise BadArgument(
            "Nothing to do.", where="plan", advice="Say expand, check, estimate or audit, and a plan file."
        )
    document = Plan.load(args.plan)
    facts = _facts(args.scene, document)
    return {"expand": _expand, "check": _check, "estimate": _estimate, "audit": _audit}[args.action](
        args, document, facts
    )


def _facts(scene: Path | None, document: Plan) -> SceneFacts:
    if scene is None:
        return SceneFacts.unknown(document.cameras)
    return load_facts(scene)


def _expand(args: argparse.Namespace, document: Plan, facts: SceneFacts) -> Answer:
    files = expand(document, facts)
    listed = [
        {
            "first": planned.example,
            "last": planned.path(planned.frames[-1]),
            "frames": len(planned.frames),
            "size": planned.size,
            "storage": planned.group.storage.title,
            "channels": planned.channels,
            "bytes_each": planned.bytes_each,
        }
        for planned in files
    ]
    lines = [f"{len(planned.frames):>6} x {planned.bytes_each / 1e6:8.2f} MB  {planned.example}" for planned in files]
    return listed, "\n".join(lines)


def _check(args: argparse.Namespace, document: Plan, facts: SceneFacts) -> Answer:
    findings = check(document, facts)
    lines = [f"{finding.severity:<8}{finding.what} ({finding.where}) {finding.advice}" for finding in findings] or [
        "no problems found"
    ]
    answer = [finding.as_json() for finding in findings], "\n".join(lines)
    if any(finding.severity == ERROR for finding in findings):
        raise Refused(*answer)
    return answer


def _estimate(args: argparse.Namespace, document: Plan, facts: SceneFacts) -> Answer:
    size = total_bytes(expand(document, facts))
    answer: dict[str, Any] = {"bytes": size}
    text = f"{size / 1e9:.2f} GB"
    if args.measured:
        measured = [Measured.parse(args.measured)]
        seconds = total_seconds(document, measured)
        answer |= {"seconds": seconds, "seconds_per_frame": seconds_per_frame(document, measured)}
        text += f", {seconds / 3600:.2f} hours ({answer['seconds_per_frame']:.1f} s a frame, from {args.measured})"
    return answer, text


def _audit(args: argparse.Namespace, document: Plan, facts: SceneFacts) -> Answer:
    if args.folder is None:
        raise BadArgument("No folder was named.", where="plan audit", advice="Add --folder DIR.")
    deviations = audit_folder(document, facts, args.folder)
    lines = [
        " ".join(filter(None, (f"{found.code:<11}{found.where}", found.frames_text, found.what, found.advice)))
        for found in deviations
    ] or ["all as planned"]
    answer = [deviation.as_json() for deviation in deviations], "\n".join(lines)
    if deviations:
        raise Refused(*answer)
    return answer
