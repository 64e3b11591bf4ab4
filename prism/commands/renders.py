"""`python -m prism render`: one frame of a scene with the common passes, or everything a plan lists."""

from __future__ import annotations

import argparse
from pathlib import Path

from prism.commands import Answer
from prism.errors import BadArgument
from prism.judging.finding import ERROR
from prism.naming.frames import format_frames, parse_frames
from prism.naming.patterns import FIELDS, require_frame_number, require_portable
from prism.plan.checks import check
from prism.plan.expansion import expand
from prism.plan.plan import Plan

# The renderer is imported where it is used: it is the one part that takes seconds to load.


def render(args: argparse.Namespace) -> Answer:
    """Render one frame, or all a plan asks for. Raises BadArgument, BadDocument, UnreadableFile or UnwritableFile."""
    from standin.scene import Scene

    scene = Scene.load(args.scene)
    files = _frame(args, scene) if args.plan is None else _planned(args, scene)
    return {"files": [str(file) for file in files]}, "\n".join(str(file) for file in files)


def _frame(args: argparse.Namespace, scene) -> list[Path]:
    from standin.render import Quality, render_frame
    from standin.write import write_frame

    name, camera = args.name or args.scene.stem, scene.camera(args.camera).name
    require_frame_number(args.pattern, max(scene.last, args.frame))
    words = dict.fromkeys(FIELDS, "") | {"shot": name, "camera": camera, "pass": "diffuse_indirect", "layer": "all"}
    example = args.pattern.expand(words | {"version": 1, "frame": args.frame, "suffix": "exr"})
    require_portable(example, args.pattern.text)
    quality = Quality(samples=args.samples, seed=args.seed)
    image = render_frame(scene, args.frame, camera=camera, size=args.size, quality=quality)
    return write_frame(image, args.out, name, args.frame, pattern=args.pattern, camera=camera)


def _planned(args: argparse.Namespace, scene) -> list[Path]:
    from standin.facts import facts_of
    from standin.shot import make_frame

    plan, facts = Plan.load(args.plan), facts_of(scene)
    fault = next((finding for finding in check(plan, facts) if finding.severity == ERROR), None)
    if fault:
        raise BadArgument(fault.what, where=f"{args.plan}, {fault.where}", advice=fault.advice)
    planned = plan.shot.written_frames
    frames = parse_frames(args.frames) if args.frames else planned
    strange = sorted(set(frames) - set(planned))
    if strange:
        raise BadArgument(f"Not in the plan: {format_frames(strange)}.", where="frames")
    files = expand(plan, facts)
    for frame in plan.shot.warm_up_frames if not args.frames else ():
        for image in plan.images():
            make_frame(plan, scene, facts, image, [], frame, args.out)
    written: list[Path] = []
    for frame in frames:
        for image in plan.images():
            of_image = [planned for planned in files if planned.is_of(image)]
            written += make_frame(plan, scene, facts, image, of_image, frame, args.out).paths
    return written
