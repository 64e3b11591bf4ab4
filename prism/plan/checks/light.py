"""Whether the passes carry light, and whether they sum to the beauty."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.passes.catalogue import BY_KEY, CATALOGUE, COMPONENTS
from prism.passes.kinds import Role
from prism.plan.checks.repairs import titles, with_passes, without_passes
from prism.plan.plan import Plan, PlannedImage
from prism.plan.showing import lacking, visible_in
from prism.scenes.facts import SceneFacts, dark_groups

TOTALS = {kind.key: kind.total_of for kind in CATALOGUE if kind.total_of}
BY_COMPONENTS, BY_GROUPS, BY_PARTS = "components", "light groups", "components by light group"


@dataclass(frozen=True, slots=True)
class Completeness:
    """How the beauty of an image can be rebuilt. ways: complete sums. missing: passes without which the components are
    not complete. doubled: passes that hold the light of others chosen as well."""

    ways: tuple[str, ...]
    missing: tuple[str, ...]
    doubled: tuple[str, ...]


def completeness(plan: Plan, image: PlannedImage, facts: SceneFacts) -> Completeness:
    """facts: with the plan's light labels on them."""
    given = visible_in(facts, image)
    passes = set(image.passes)
    covered = passes | {part for total in passes & TOTALS.keys() for part in TOTALS[total]}
    missing = tuple(kind.key for kind in COMPONENTS if kind.key not in covered and not lacking(kind, given))
    doubled = tuple(total for total, parts in TOTALS.items() if total in passes and passes.intersection(parts))
    all_groups = bool(facts.labels) and plan.light_groups.chosen(facts.labels) == facts.labels
    ways = {
        BY_COMPONENTS: not missing and any(BY_KEY[key].role is Role.LIGHT for key in passes),
        BY_GROUPS: all_groups and "light_group" in passes,
        BY_PARTS: all_groups and "group_components" in passes,
    }
    return Completeness(tuple(way for way, complete in ways.items() if complete), missing, doubled)


def light_findings(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Passes that carry nothing, sums that are not whole, and labels of lights."""
    for image in plan.variants():
        yield from _pointless(plan, image, facts)
        yield from _pointless_through_some(plan, image, facts)
        yield from _sum(plan, image, completeness(plan, image, facts))
    yield from _labels(plan, facts)
    if any(BY_KEY[key].role in (Role.GROUP, Role.PART) for image in plan.variants() for key in image.passes):
        yield from _light_groups(plan, facts)


def _pointless(plan: Plan, image: PlannedImage, facts: SceneFacts) -> Iterator[Finding]:
    """Passes that would come out all black or all white, with the reason."""
    given = visible_in(facts, image)
    for key in image.passes:
        kind = BY_KEY[key]
        reason = lacking(kind, given)
        if reason:
            yield Finding(
                "pass.pointless", WARNING, f"{kind.title} would come out all {kind.blank}.", image.where,
                f"In what this layer shows {reason}.", without_passes(plan, image, {key}),
            )  # fmt: skip


def _pointless_through_some(plan: Plan, image: PlannedImage, facts: SceneFacts) -> Iterator[Finding]:
    """Passes that carry something through one of the cameras of a layer, and nothing through another."""
    given = visible_in(facts, image)
    for camera in image.cameras if len(image.cameras) > 1 else ():
        single = replace(image, camera=camera, cameras=(camera,))
        seen = visible_in(facts, single)
        empty = [key for key in image.passes if lacking(BY_KEY[key], seen) and not lacking(BY_KEY[key], given)]
        if empty:
            reasons = dict.fromkeys(lacking(BY_KEY[key], seen) for key in empty)
            yield Finding(
                "pass.pointless-here", NOTE, f"{titles(empty)} would come out empty through {camera}.", image.where,
                f"In what {camera} sees {' and '.join(reasons)}.", without_passes(plan, single, empty),
            )  # fmt: skip


def _sum(plan: Plan, image: PlannedImage, found: Completeness) -> Iterator[Finding]:
    """Whether the beauty can be rebuilt, and whether something would be summed twice."""
    if "beauty" not in image.passes:
        yield Finding(
            "rebuild.no-beauty", WARNING, "The beauty is not rendered.", image.where,
            "A rebuilt picture can then be compared with nothing.", with_passes(plan, image, ("beauty",)),
        )  # fmt: skip
    for total in found.doubled:
        both = [part for part in TOTALS[total] if part in image.passes]
        complete = len(both) == len(TOTALS[total])
        yield Finding(
            "pass.doubled", WARNING, f"{BY_KEY[total].title} is chosen whole and in parts.", image.where,
            "Both are the same light; summed together they double it.",
            without_passes(plan, image, {total} if complete else both),
        )  # fmt: skip
    chosen = any(BY_KEY[key].role is Role.LIGHT for key in image.passes)
    if chosen and found.missing and not found.ways:
        yield Finding(
            "rebuild.incomplete", WARNING, f"The components do not sum to the beauty without {titles(found.missing)}.",
            image.where, "This light is in the beauty, but in no component that is rendered.",
            with_passes(plan, image, found.missing),
        )  # fmt: skip


def _labels(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    """Labels on lights that are not there."""
    names = {light.name for light in facts.lights}
    lost = [light for light in plan.light_labels if names and light not in names]
    if lost:
        kept = {light: label for light, label in plan.light_labels.items() if light in names}
        yield Finding(
            "lights.unknown-light", ERROR, f"There is no light {', '.join(lost)}.", "light labels",
            f"The scene has {', '.join(sorted(names))}.", {"light_labels": kept},
        )  # fmt: skip


def _light_groups(plan: Plan, facts: SceneFacts) -> Iterator[Finding]:
    chosen = plan.light_groups.chosen(facts.labels)
    unknown = [label for label in plan.light_groups.labels if label not in facts.labels]
    if unknown and facts.lights:
        kept = [label for label in plan.light_groups.labels if label in facts.labels]
        yield Finding(
            "lights.unknown", ERROR, f"No light has the label {', '.join(unknown)}.", "light groups",
            f"The scene's lights are labelled {', '.join(facts.labels)}.", {"light_groups.labels": kept},
        )  # fmt: skip
    left_out = [label for label in facts.labels if label not in chosen]
    if left_out:
        yield Finding(
            "lights.incomplete", WARNING, f"Light groups excluded: {', '.join(left_out)}.", "light groups",
            "Those rendered do not sum to the beauty.", {"light_groups.mode": "all", "light_groups.labels": []},
        )  # fmt: skip
    dark = [label for label in dark_groups(facts) if label in chosen]
    if dark:
        yield Finding(
            "lights.dark", WARNING, f"Light group {', '.join(dark)} would come out all black.", "light groups",
            "None of its lights gives any light.", {"light_groups.mode": "all-but", "light_groups.labels": dark},
        )  # fmt: skip
