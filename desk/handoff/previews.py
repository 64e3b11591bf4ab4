"""What items will be, and what was written, as pictures for the page."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from desk.elements.store import EVALUATOR, FINISHER
from desk.handoff import services
from desk.handoff.boards import loader
from desk.handoff.models import Delivery
from desk.rebuild.models import Ledger
from desk.rebuild.services import parse
from desk.shots.models import Shot
from prism.delivery.document import Delivery as Document
from prism.delivery.ledger_frame import CachedFrame
from prism.delivery.previewing import picture_of, preview
from prism.errors import BadArgument, UnreadableFile
from prism.plan.estimate import spoken_bytes
from prism.sheets.contact import within
from prism.viewing.picture import as_address

ACROSS = 960  # pixels of a preview
SIZES: Mapping[str, int] = {"small": 240, "large": ACROSS}


def ahead(shot: Shot, ledger: Ledger, user, frames: str, document: Document) -> dict[str, Any]:
    """The one item of a document as it would be written, of the first frame there is: a `picture` as an address, empty
    for what is none, and in `words` what it costs. Raises what writing it raises."""
    parsed, place, laid, sources = services.tried(shot, ledger, user, frames, document)
    made = CachedFrame(laid, sources, EVALUATOR, FINISHER)
    item, *others = parsed.enabled
    if others:
        raise BadArgument("Only one item can be shown at a time.", where="items", advice="Ask for each by itself.")
    found = preview(
        item, made, place, rate=shot.settings.rate, across=ACROSS, pictures=loader(shot.production, shot)
    )  # fmt: skip
    if found.codes is None:
        return {"picture": "", "words": [f"No picture: {item.in_words}."], "frame": sources.number}
    words = [*_bytes_in_words(found.of_frame, len(place.frames)), *found.remarks]
    return {"picture": as_address(found.codes), "words": words, "frame": sources.number}


def delivered(delivery: Delivery, item: str, size: str) -> NDArray[np.uint8]:
    """Codes of the first file of an item that was written. Raises UnreadableFile."""
    entry = next((each for each in services.progress(delivery)["items"] if each["id"] == item), None)
    if entry is None or not entry["pictured"]:
        raise UnreadableFile("This delivery has no such picture.", where=item)
    path = services.file_of(delivery, entry["files"][0])
    laid = parse(delivery.shot, delivery.version.document)
    subject = next(each.subject for each in delivery.parsed.items if each.id == item)
    return within(picture_of(path, subject, space=laid.space), SIZES[size])


def _bytes_in_words(of_frame: int, count: int) -> list[str]:
    """What a frame takes, and so about all of them."""
    if not of_frame:
        return []
    return [f"{spoken_bytes(of_frame)} a frame, about {spoken_bytes(of_frame * count)} for {count}."]
