"""Settings of sampling, denoising and prepared light that do not go together."""

from __future__ import annotations

from collections.abc import Iterator

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.plan.plan import Plan
from prism.scenes.facts import SceneFacts


def quality_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Settings of quality that contradict each other or the scene, or leave light out."""
    images = list(plan.variants())
    if any("deep" in image.passes for image in images) and plan.quality.sampling == "adaptive":
        yield Finding(
            "deep.sampling",
            ERROR,
            "Deep is not rendered with adaptive sampling.",
            "quality",
            "Pixels that end early would have fewer depths than their neighbours; deep needs the same samples "
            "everywhere.",
            {"quality.sampling": "uniform"},
        )
    moving = [name for name, group in facts.groups.items() if "moving" in group.gives]
    if plan.quality.prepared_every and moving:
        yield Finding(
            "prepared.moving",
            WARNING,
            f"Light is prepared on one frame in {plan.quality.prepared_every}, but the scene moves.",
            "quality",
            f"{', '.join(moving)} would keep the bounced light of that frame; prepare light only where the "
            "camera alone moves.",
            {"quality.prepared_every": 0},
        )
    limit = plan.quality.indirect_limit
    if limit:
        yield Finding(
            "quality.limited",
            NOTE,
            f"Indirect light is cut at {limit:g}.",
            "quality",
            "No sample of it carries more: fewer stray bright dots, and a little less light than there is. The "
            "files say so.",
            {"quality.indirect_limit": 0.0},
        )
