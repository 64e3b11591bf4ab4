"""Settings of sampling, denoising and prepared light that do not go together."""

from __future__ import annotations

from collections.abc import Iterator

from prism.passes.checks.finding import ERROR, WARNING, Finding, titles, with_passes
from prism.passes.facts import SceneFacts
from prism.passes.plan import Plan

GUIDES = ("albedo", "normals", "variance")
"""What a denoiser tells edges and noise apart by (common practice)."""


def quality_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    images = list(plan.variants())
    if any("deep" in image.passes for image in images) and plan.quality.sampling == "adaptive":
        yield Finding(
            "deep.sampling", ERROR, "Deep is not rendered with adaptive sampling.", "quality",
            "Pixels that end early would have fewer depths than their neighbours; deep needs the same samples everywhere.",
            {"quality.sampling": "uniform"},
        )  # fmt: skip
    for image in images:
        blind = [key for key in GUIDES if key not in image.passes]
        if plan.quality.denoise and blind:
            yield Finding(
                "denoise.blind", WARNING, f"The denoiser would work without {titles(blind)}.", image.where,
                "It tells edges from noise by them, and would smear fine detail.", with_passes(plan, image, blind),
            )  # fmt: skip
    moving = [name for name, group in facts.groups.items() if "moving" in group.gives]
    if plan.quality.prepared_every and moving:
        yield Finding(
            "prepared.moving", WARNING, f"Light is prepared on one frame in {plan.quality.prepared_every}, but the scene moves.",
            "quality", f"{', '.join(moving)} would keep old shadows and bounces; that saves time only where the camera alone moves.",
            {"quality.prepared_every": 0},
        )  # fmt: skip
