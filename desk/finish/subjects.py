"""Stages of a finish on a page, or of a version that was kept."""

from __future__ import annotations

from desk.elements.store import EVALUATOR, FINISHER
from desk.rebuild import services
from desk.rebuild.subjects import asked_document
from desk.viewer.registry import Asked, Opened, subject
from prism.viewing.finish_chain import FinishSubject


@subject("finish")
def open_stage(asked: Asked) -> Opened:
    """A stage of the finish of a ledger, of the page or of a version. Raises BadDocument, UnreadableFile."""
    ledger, document, edited = asked_document(asked)
    stage = FinishSubject(
        ledger=document,
        show=str(asked.chosen.get("show", "finished")),
        key=str(asked.chosen.get("key", "")),
        edited=edited,
        evaluator=EVALUATOR,
        finisher=FINISHER,
    )
    return Opened(stage, services.frame_of(ledger, document, asked.frame))
