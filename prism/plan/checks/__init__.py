"""What is wrong with a plan before a frame is rendered: each finding says what, where, why, and how to fix it."""

from __future__ import annotations

from prism.judging.finding import Finding, by_severity
from prism.plan.checks.layers import layer_findings
from prism.plan.checks.light import light_findings
from prism.plan.checks.names import name_findings
from prism.plan.checks.packing import packing_findings
from prism.plan.checks.quality import quality_findings
from prism.plan.checks.repairs import mended
from prism.plan.checks.sizes import size_findings
from prism.plan.checks.staging import staging_findings
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan
from prism.plan.showing import for_plan
from prism.scenes.facts import SceneFacts

__all__ = ["check", "mended"]


def check(
    plan: Plan, facts: SceneFacts, files: list[PlannedFiles] | None = None, *, free_bytes: int | None = None
) -> list[Finding]:
    """All findings, errors first; an empty list is a plan that will do what it says.

    facts: of the scene, with its own light labels. files: the plan's expansion, if it is at hand. free_bytes: on the
    disk that the files go to, if it is known.
    """
    files = expand(plan, facts) if files is None else files
    facts = for_plan(facts, plan)
    findings = [
        *staging_findings(plan, facts),
        *light_findings(plan, facts),
        *layer_findings(plan, facts),
        *quality_findings(plan, facts),
        *packing_findings(plan, files),
        *name_findings(plan, files),
        *size_findings(plan, files, free_bytes),
    ]
    return by_severity(findings)
