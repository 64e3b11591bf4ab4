"""All layers of a plan through one camera as one ledger."""

from __future__ import annotations

import argparse
from pathlib import Path

from prism.balance.layered import choose, layered_ledger
from prism.commands.framing import opened_at
from prism.commands.scenes import load_facts
from prism.elements import disk
from prism.elements.element import Element
from prism.elements.gathering import gather
from prism.elements.planned import PlannedNames
from prism.errors import BadArgument
from prism.ledger.document import Ledger
from prism.ledger.table import with_files
from prism.plan.checks.layers import layering_of
from prism.plan.expansion import expand
from prism.plan.plan import Plan
from prism.plan.showing import for_plan
from prism.scenes.facts import SceneFacts


def layers_of_plan(args: argparse.Namespace) -> tuple[Ledger, str]:
    """The first ledger of a folder that follows a plan, with the table of its files, and what it is compared with.

    Raises BadArgument, UnreadableFile, NoBeauty or NoComponents.
    """
    if len(args.files) != 1 or not args.files[0].is_dir():
        raise BadArgument("The files of a plan are in one folder.", where="FILE", advice="Name that folder alone.")
    folder: Path = args.files[0]
    plan = Plan.load(args.plan)
    camera = args.camera or next(iter(plan.cameras), "")
    if camera not in plan.cameras:
        raise BadArgument(
            f"The plan has no camera {camera}." if camera else "The plan has no camera.",
            where="--camera",
            advice=f"It has {', '.join(plan.cameras) or 'none'}.",
        )
    facts = load_facts(args.scene) if args.scene else SceneFacts.unknown(plan.cameras)
    elements = planned_elements(folder, plan, facts)
    chosen = choose(elements, layering_of(plan, facts), camera, plan.number)
    by_name = {element.name: element for element in elements}
    opened = [by_name[name] for name in chosen.names]
    frame = next(opened_at(opened, args.frames))
    ledger = layered_ledger(frame, chosen, by=args.by, denoised=args.denoised, name=args.out.stem)
    return with_files(ledger, opened, folder), chosen.text


def planned_elements(folder: Path, plan: Plan, facts: SceneFacts) -> tuple[Element, ...]:
    """What lies in a folder, known by the names that a plan gives."""
    names = PlannedNames(expand(plan, facts), for_plan(facts, plan).labels)
    return gather(disk.scan(folder).sequences, root=folder, plan=names).elements
