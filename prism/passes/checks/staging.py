"""What stands before the lens: cameras, layers, frames, size and mist."""

from __future__ import annotations

from collections.abc import Iterator

from prism.passes.checks.finding import ERROR, NOTE, WARNING, Finding
from prism.passes.facts import SceneFacts
from prism.passes.plan import Plan


def staging_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    yield from _cameras(plan, facts)
    yield from _layers(plan, facts)
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
                "camera.working-view", WARNING, f"{camera} is the working view.", "cameras",
                f"It shows what was looked at last, not the shot; the scene has {', '.join(made) or 'no other'}.",
                {"cameras": instead} if instead else {},
            )  # fmt: skip


def _layers(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    names = tuple(facts.groups)
    for layer in plan.layers:
        where = f"layer {layer.name}"
        unknown = [group for group in layer.visibility if names and group not in facts.groups]
        if unknown:
            kept = {group: how for group, how in layer.visibility.items() if group not in unknown}
            layers = [one.replace(visibility=kept) if one is layer else one for one in plan.layers]
            yield Finding(
                "layer.unknown-group", ERROR, f"There is no object group {', '.join(unknown)}.", where,
                f"The scene has {', '.join(names)}.", {"layers": [one.model_dump(mode="json") for one in layers]},
            )  # fmt: skip
        if names and not layer.shown(names):
            yield Finding(
                "layer.empty", WARNING, "No object group is visible.", where, "Only sky and lights would be seen."
            )
        lost = [camera for camera in layer.for_camera if camera not in plan.cameras]
        if lost:
            kept = {camera: passes for camera, passes in layer.for_camera.items() if camera not in lost}
            layers = [one.replace(for_camera=kept) if one is layer else one for one in plan.layers]
            yield Finding(
                "layer.unused-camera", NOTE, f"Passes are kept for {', '.join(lost)}, which is not rendered.", where,
                "They come back when the camera is chosen again.", {"layers": [one.model_dump(mode="json") for one in layers]},
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
        near, far = facts.reach.get(image.camera, (0.0, 0.0))
        if "mist" not in image.passes or not far:
            continue
        look = "black" if mist.start >= far else "white" if mist.end <= near else ""
        if look:
            yield Finding(
                "mist.unseen", WARNING, f"Mist would come out all {look}.", image.where,
                f"It runs from {mist.start:g} to {mist.end:g}; what {image.camera} sees lies from {near:.3g} to {far:.3g}.",
                {"mist": (mist.replace(start=near, depth=max(far - near, 1e-3))).model_dump(mode="json")},
            )  # fmt: skip
