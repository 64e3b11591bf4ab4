"""The Finish station: the chain of a ledger as thumbnails and words, and presets laid on it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from desk.elements.store import EVALUATOR
from desk.finish.models import FinishPreset
from desk.shots.models import Production
from prism.errors import BadArgument
from prism.finish.base import FinishStep
from prism.finish.document import Finish
from prism.finish.presets import CHAINS
from prism.finish.steps import active
from prism.finish.wording import in_words, step_in_words
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.sheets.contact import within
from prism.sources.frame import OpenFrame
from prism.viewing.changes import Change, change_between, where_it_changes
from prism.viewing.finish_chain import chain_thumbnails
from prism.viewing.picture import Look, as_address, step_for

THUMBNAIL_WIDTH = 220
MEASURED_WIDTH = 1920  # pixels; of a larger picture every second is measured, or fewer


def chain_of(document: Ledger, sources: OpenFrame, look: Look, *, measured: bool = False) -> dict[str, Any]:
    """The rebuilt picture and that after each step as one tall picture, top to bottom, and what is done, in words.
    measured: with what each step changes, every `every`-th pixel looked at, and another tall picture of where; a small
    picture would not tell what a narrow step does. Raises what the steps raise."""
    small = step_for(sources.display_window, THUMBNAIL_WIDTH)
    step = step_for(sources.display_window, MEASURED_WIDTH) if measured else small
    stages = chain_thumbnails(document, sources, look, step=step, evaluator=EVALUATOR)
    thumbs = [stage[:: small // step, :: small // step] for stage in stages]
    height, width = thumbs[0].shape[:2]
    answer: dict[str, Any] = {
        "words": in_words(document.finish, sources.number),
        "strip": as_address(np.concatenate(thumbs)),
        "stages": len(stages),
        "width": width,
        "height": height,
        "where": "",
        "changes": [],
        "every": step,
    }
    if measured and document.finish:
        answer |= _changes(document, sources, stages, step)
    return answer


def _changes(document: Ledger, sources: OpenFrame, stages: Sequence[NDArray[np.uint8]], step: int) -> dict[str, Any]:
    there = {each.id: each for each in active(document.finish, sources.number)}
    pairs = list(pairwise(stages))
    changes = (change_between(*pair, sources.display_window, step=step) for pair in pairs)
    where = [within(where_it_changes(*pair), THUMBNAIL_WIDTH) for pair in pairs]
    return {
        "where": as_address(np.concatenate(where)),
        "changes": [
            _change_entry(each.id, there.get(each.id), change)
            for each, change in zip(document.finish, changes, strict=True)
        ],
    }


def _change_entry(key: str, step: FinishStep | None, change: Change) -> dict[str, Any]:
    if step is None:
        return {"id": key, "step": "off", "change": "", "x": None, "y": None}
    place = {"x": change.x, "y": change.y} if change.largest else {"x": None, "y": None}
    return {"id": key, "step": step_in_words(step), "change": change.in_words()} | place


def presets_for(production: Production) -> list[dict[str, Any]]:
    """What the page offers: those of the production, then ours."""
    kept = production.finish_presets.select_related("author")
    own = [{"id": str(preset.pk), "title": preset.name, "own": True} for preset in kept]
    return own + [{"id": key, "title": chain.title, "own": False} for key, chain in CHAINS.items()]


def preset_document(production: Production, key: str) -> Finish:
    """A preset by what the page calls it. Raises BadArgument, BadDocument."""
    if key in CHAINS:
        return CHAINS[key].finish
    preset = production.finish_presets.filter(pk=int(key)).first() if key.isdecimal() else None
    if preset is None:
        raise BadArgument("This preset is no longer there.", where="preset", advice="Load the page again.")
    return Finish.from_json(preset.document, where=preset.name)


def keep_preset(production: Production, name: str, document: Ledger, steps: Sequence[str], user) -> None:
    """Keep some steps of a ledger, or all, under a name; whatever had that name is replaced. Raises BadArgument."""
    name = name.strip()
    chosen = tuple(step for step in document.finish if not steps or step.id in steps)
    if not name or len(name) > 80:
        raise BadArgument("A preset has a name of 1 to 80 characters.", where="name")
    if not chosen:
        raise BadArgument("There is no step to keep.", where="preset", advice="Add a step first.")
    finish = Finish.of(chosen, document.mattes, name=name)
    FinishPreset.objects.update_or_create(
        production=production, name=name, defaults={"document": finish.as_json(), "author": user}
    )


def laid(document: Ledger, finish: Finish, sources: OpenFrame, *, keep: bool) -> dict[str, Any]:
    """A ledger with a finish in place of its own, or behind it; and what could not be found, in words."""
    applied = with_finish(document, finish, sources, keep=keep)
    count = len(finish.steps)
    remark = f"{count} step{'' if count == 1 else 's'} {'added' if keep else 'in place of those before'}."
    if applied.missing:
        lost = ", ".join(f"{source} of {who}" for who, source in applied.missing)
        remark += f" Switched off, since it is not here: {lost}."
    return {"ledger": applied.ledger.as_json(), "remark": remark}
