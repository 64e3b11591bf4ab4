"""The picture that stands for a shot in lists: what has come of it so far."""

from __future__ import annotations

from desk.elements.services import SMALL_WIDTH, frames_on_disk, small_picture
from desk.rebuild import layered, services
from desk.rebuild.models import Ledger
from desk.shots.models import Shot
from prism.colour.view import ViewTransform
from prism.errors import PrismError
from prism.viewing.finish_chain import FinishSubject
from prism.viewing.picture import Look, encode, step_for, to_screen


def picture_of(shot: Shot) -> bytes | None:
    """A small JPEG: the newest ledger with its finish; where there is none, or it cannot be made, a render of all
    rather than one of its layers. None without frames. Raises PrismError if the files cannot be read."""
    ledger = shot.ledgers.select_related("element").order_by("-changed").first()
    if ledger is not None and ledger.element is not None:
        try:
            return _finished(shot, ledger)
        except PrismError:
            pass  # the page of the ledger says why
    whole = layered.picture_of(shot)
    element = whole.elements[0] if whole else shot.elements.first()
    frames = (whole.frames if whole else ()) or frames_on_disk(element)
    return small_picture(element, frames[0]) if element is not None and frames else None


def _finished(shot: Shot, ledger: Ledger) -> bytes | None:
    frames = frames_on_disk(ledger.element)
    if not frames:
        return None
    document = services.parse(shot, ledger.document)
    sources = services.frame_of(ledger, document, frames[0])
    shown = FinishSubject(ledger=document).shown(sources, step=step_for(sources.display_window, SMALL_WIDTH))
    look = Look(transform=ViewTransform(document.space, "film"))
    return encode(to_screen(shown.picture.on_display, look, after_view=shown.after_view), "jpeg")
