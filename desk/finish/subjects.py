"""Stages of a finish on a page, or of a version that was kept."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from desk.elements.store import EVALUATOR, FINISHER
from desk.rebuild import services
from desk.viewer.registry import Asked, Opened, subject
from desk.web.requests import whole_number
from prism.viewing.finishing import FinishSubject


@subject("finish")
def open_stage(asked: Asked) -> Opened:
    """A stage of the finish of a ledger, of the page or of a version. Raises BadDocument, UnreadableFile."""
    ledger = get_object_or_404(asked.shot.ledgers.select_related("element"), pk=whole_number(asked.body, "ledgerId"))
    version = asked.chosen.get("version")
    kept = get_object_or_404(ledger.versions, number=whole_number(asked.chosen, "version")) if version else None
    document = services.parse(asked.shot, kept.document if kept else asked.body.get("ledger"))
    stage = FinishSubject(
        ledger=document,
        show=str(asked.chosen.get("show", "finished")),
        key=str(asked.chosen.get("key", "")),
        edited=str(asked.body["edited"]) if kept is None and asked.body.get("edited") else None,
        evaluator=EVALUATOR,
        finisher=FINISHER,
    )
    return Opened(stage, services.frame_of(ledger, document, asked.frame))
