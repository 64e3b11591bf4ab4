"""Stages of the ledger on a page, or of a version that was kept."""

from django.shortcuts import get_object_or_404

from desk.rebuild import services
from desk.shots.requests import whole_number
from desk.viewer.registry import Asked, Opened, subject
from desk.viewer.store import EVALUATOR
from prism.viewing.subjects import LedgerSubject


@subject("ledger")
def open_stage(asked: Asked) -> Opened:
    ledger = get_object_or_404(asked.shot.ledgers.select_related("element"), pk=whole_number(asked.body, "ledgerId"))
    version = asked.chosen.get("version")
    kept = get_object_or_404(ledger.versions, number=whole_number(asked.chosen, "version")) if version else None
    document = services.parse(asked.shot, kept.document if kept else asked.body.get("ledger"))
    stage = LedgerSubject(
        ledger=document,
        show=str(asked.chosen.get("show", "rebuilt")),
        key=str(asked.chosen.get("key", "")),
        edited=asked.body.get("edited") if kept is None else None,
        evaluator=EVALUATOR,
    )
    return Opened(stage, services.frame_of(ledger, document, asked.frame))
