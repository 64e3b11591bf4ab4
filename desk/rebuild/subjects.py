"""Stages of the ledger on a page, or of a version that was kept."""

from __future__ import annotations

import re

from django.shortcuts import get_object_or_404

from desk.elements.store import EVALUATOR
from desk.rebuild import services
from desk.rebuild.models import Ledger
from desk.viewer.registry import Asked, Opened, subject
from desk.web.requests import whole_number
from prism.errors import BadArgument
from prism.ledger.document import Ledger as Document
from prism.viewing.depth import DepthSubject
from prism.viewing.mattes import MatteSubject
from prism.viewing.subjects import LedgerSubject


def asked_document(asked: Asked) -> tuple[Ledger, Document, str | None]:
    """The ledger that is meant, its document as it is on the page or in a version, and the id of what is being changed
    there. Raises BadDocument, Http404."""
    ledger = get_object_or_404(asked.shot.ledgers.select_related("element"), pk=whole_number(asked.body, "ledgerId"))
    version = asked.chosen.get("version")
    kept = get_object_or_404(ledger.versions, number=whole_number(asked.chosen, "version")) if version else None
    document = services.parse(asked.shot, kept.document if kept else asked.body.get("ledger"))
    edited = asked.body.get("edited") if kept is None else None
    return ledger, document, str(edited) if edited else None


@subject("ledger")
def open_stage(asked: Asked) -> Opened:
    """A stage of a ledger, of the page or of a version. Raises BadDocument, UnreadableFile."""
    ledger, document, edited = asked_document(asked)
    stage = LedgerSubject(
        ledger=document,
        show=str(asked.chosen.get("show", "rebuilt")),
        key=str(asked.chosen.get("key", "")),
        edited=edited,
        evaluator=EVALUATOR,
    )
    return Opened(stage, services.frame_of(ledger, document, asked.frame))


@subject("matte")
def open_matte(asked: Asked) -> Opened:
    """A matte of the ledger on a page. colour: of the tint, as #rrggbb."""
    ledger = get_object_or_404(asked.shot.ledgers.select_related("element"), pk=whole_number(asked.body, "ledgerId"))
    document = services.parse(asked.shot, asked.body.get("ledger"))
    matte = MatteSubject(
        ledger=document,
        matte=str(asked.chosen.get("matte", "")),
        way=str(asked.chosen.get("way", "tint")),
        colour=_colour(str(asked.chosen.get("colour", ""))),
        evaluator=EVALUATOR,
    )
    return Opened(matte, services.frame_of(ledger, document, asked.frame))


@subject("depth")
def open_depth(asked: Asked) -> Opened:
    """A group by depth of the ledger on a bench. show: one of `prism.viewing.depth.SHOWS`."""
    ledger = get_object_or_404(asked.shot.ledgers.select_related("element"), pk=whole_number(asked.body, "ledgerId"))
    document = services.parse(asked.shot, asked.body.get("ledger"))
    group = DepthSubject(
        ledger=document, row=str(asked.body.get("row", "")), show=str(asked.chosen.get("show", "seen"))
    )
    return Opened(group, services.frame_of(ledger, document, asked.frame))


def _colour(text: str) -> tuple[float, float, float]:
    if not re.fullmatch("#[0-9a-fA-F]{6}", text):
        raise BadArgument(f"{text[:20]} is no colour.", where="colour", advice="Write it as #rrggbb.")
    red, green, blue = (int(text[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return red, green, blue
