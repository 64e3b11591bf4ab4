"""What stands before the lens: cameras, frames, size and mist."""

from __future__ import annotations

from collections.abc import Iterator

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.plan.plan import Plan
from prism.scenes.facts import CameraFact, SceneFacts


def staging_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Cameras, frames, scale and mist that do not fit the scene."""
    yield from _cameras(plan, facts)
    yield from _frames(plan)
    yield from _scale(plan)
    yield from _mist(plan, facts)


def _cameras(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    made = [camera for camera in facts.cameras if camera not in facts.working_views]
    if not plan.cameras:
        fix = {"cameras": made} if len(made) == 1 else {}
        why = f"Nothing is rendered without one; the scene has {', '.join(made) or 'none that is known'}."
        yield Finding("camera.none", ERROR, "No camera is chosen.", "cameras", why, fix)
    for camera in plan.cameras:
        others = [name for name in plan.cameras if name != camera]
        if camera not in facts.cameras:
            why = f"The scene has {', '.join(facts.cameras)}."
            kept = [name for name in others if name in facts.cameras]
            yield Finding("camera.unknown", ERROR, f"There is no camera {camera}.", "cameras", why, {"cameras": kept})
        elif camera in facts.working_views:
            instead = others or (made if len(made) == 1 else [])
            yield Finding(
                "camera.working-view", WARNING, f"{camera} is only for working, not for rendering.", "cameras",
                f"It shows what was looked at last, not the shot; the scene has {', '.join(made) or 'no other'}.",
                {"cameras": instead} if instead else {},
            )  # fmt: skip


def _frames(plan: Plan) -> Iterator[Finding]:
    first = plan.shot.written_frames[0]
    if first > 0:
        return
    fix = {"shot.handles": 0} if plan.shot.handles and _listed_first(plan) > 0 else {}
    if first < 0:
        yield Finding(
            "frames.negative", WARNING, f"The first frame is {first}.", "frames",
            "Many programs read the minus as a hyphen and find frame "
            f"{-first} instead; begin at 1001, which leaves room for handles.", fix,
        )  # fmt: skip
    else:
        yield Finding(
            "frames.zero", NOTE, "There is a frame 0.", "frames",
            "Editing programs count from 1, so that everything after is one off; make sure who receives it knows.", fix,
        )  # fmt: skip


def _listed_first(plan: Plan) -> int:
    return plan.shot.replace(handles=0).written_frames[0]


def _scale(plan: Plan) -> Iterator[Finding]:
    if plan.shot.scale > 1:
        width, height = plan.shot.scaled_size
        why = f"Full size is {plan.shot.width} x {plan.shot.height}."
        yield Finding("shot.scaled", NOTE, f"Rendered at {width} x {height}.", "shot", why, {"shot.scale": 1})


def _mist(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    mist = plan.mist or facts.mist
    if mist is None:
        return
    for image in plan.images():
        near, far = facts.cameras.get(image.camera, CameraFact()).reach
        if "mist" not in image.passes or not far:
            continue
        look = "black" if mist.near >= far else "white" if mist.far <= near else ""
        if look:
            yield Finding(
                "mist.unseen",
                WARNING,
                f"Mist would come out all {look}.",
                image.where,
                f"It runs from {mist.near:g} to {mist.far:g}; what {image.camera} sees is from {near:.3g} to "
                f"{far:.3g}.",
                {"mist": (mist.replace(near=near, far=max(far, near + 1e-3))).model_dump(mode="json")},
            )
