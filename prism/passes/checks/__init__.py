"""What is wrong with a plan before a frame is rendered: each finding says what, where, why, and how to mend it."""

from __future__ import annotations

from prism.passes.checks.finding import ERROR, NOTE, WARNING, Finding, mend
from prism.passes.checks.light import light_findings
from prism.passes.checks.names import name_findings
from prism.passes.checks.packing import packing_findings
from prism.passes.checks.quality import quality_findings
from prism.passes.checks.staging import staging_findings
from prism.passes.expansion import PlannedFiles, expand
from prism.passes.facts import SceneFacts
from prism.passes.plan import Plan

__all__ = ["ERROR", "NOTE", "WARNING", "Finding", "check", "mend"]


def check(plan: Plan, facts: SceneFacts, files: list[PlannedFiles] | None = None) -> list[Finding]:
    """All findings, errors first; an empty list is a plan that will do what it says.

    facts: of the scene, with its own light labels. files: the plan's expansion, if it is at hand.
    """
    files = expand(plan, facts) if files is None else files
    facts = facts.relabelled(plan.light_labels)
    findings = [
        *staging_findings(plan, facts),
        *light_findings(plan, facts),
        *quality_findings(plan, facts),
        *packing_findings(plan, files),
        *name_findings(plan, files),
    ]
    return sorted(findings, key=lambda finding: (ERROR, WARNING, NOTE).index(finding.level))
