"""The Finish station: the chain of a ledger as thumbnails and words, and presets laid on it."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from typing import Any

import numpy as np

from desk.elements.store import EVALUATOR
from desk.finish.models import FinishPreset
from desk.shots.models import Production
from prism.errors import BadArgument
from prism.finish.document import Finish
from prism.finish.presets import CHAINS
from prism.finish.wording import in_words
from prism.ledger.document import Ledger
from prism.ledger.finishing import with_finish
from prism.sources.frame import OpenFrame
from prism.viewing.finish_chain import chain_thumbnails
from prism.viewing.picture import Look, encode, step_for

THUMBNAIL_WIDTH = 220


def chain_of(document: Ledger, sources: OpenFrame, look: Look) -> dict[str, Any]:
    """The rebuilt picture and that after each step as one tall picture, top to bottom; and what is done, in words.
    Raises what the steps raise."""
    step = step_for(sources.display_window, THUMBNAIL_WIDTH)
    stages = chain_thumbnails(document, sources, look, step=step, evaluator=EVALUATOR)
    strip = base64.b64encode(encode(np.concatenate(stages), "jpeg")).decode()
    return {
        "words": in_words(document.finish, sources.number),
        "strip": f"data:image/jpeg;base64,{strip}",
        "stages": len(stages),
        "width": stages[0].shape[1],
        "height": stages[0].shape[0],
    }


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
