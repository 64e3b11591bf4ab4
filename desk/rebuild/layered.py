"""The layers of a shot as one picture: which elements belong together, by the plan that they were rendered from."""

from __future__ import annotations

from dataclasses import dataclass

from desk.elements.models import Element
from desk.elements.services import document_of, frames_on_disk, sources_of
from desk.rebuild.models import Ledger
from desk.scenes.services import facts_for
from desk.shots.models import Shot
from prism.balance.layered import Chosen, choose, layered_ledger, ways_of
from prism.errors import PrismError, UnreadableFile
from prism.ledger import document as documents
from prism.ledger.first import starts_of
from prism.plan.checks.layers import layering_of
from prism.plan.plan import Plan
from prism.sources.pixels import OfElement


@dataclass(frozen=True, slots=True)
class LayeredPicture:
    """What makes one picture of a shot. elements: as `chosen` names them, the main one first. frames: that all of them
    have."""

    chosen: Chosen
    elements: tuple[Element, ...]
    frames: tuple[int, ...]


def picture_of(shot: Shot, camera: str = "", number: int | None = None) -> LayeredPicture | None:
    """The layers of a version of the plan through a camera: the newest version with all of them, the first such camera
    of its plan, unless they are named. None if no version has."""
    planned = [(element, document_of(element)) for element in shot.elements.exclude(document={})]
    planned = [(element, document) for element, document in planned if document.planned and document.frames]
    for plan in _plans(shot, number):
        layering = layering_of(plan, facts_for(shot, plan.cameras))
        for name in (camera,) if camera else plan.cameras:
            own = [(element, document) for element, document in planned if document.number == plan.number]
            try:
                chosen = choose([document for _, document in own], layering, name, plan.number)
            except UnreadableFile:
                continue
            by_name = {element.name: element for element, _ in own}
            elements = tuple(by_name[key] for key in chosen.names)
            shared = set.intersection(*(set(frames_on_disk(element)) for element in elements))
            if shared:
                return LayeredPicture(chosen, elements, tuple(sorted(shared)))
    return None


def picture_around(shot: Shot, element: Element | None) -> LayeredPicture | None:
    """The picture of all layers that an element is one of; None if it is of a single one."""
    document = document_of(element) if element is not None and element.document else None
    if document is None or not document.planned:
        return None
    picture = picture_of(shot, document.camera, document.number)
    return picture if picture is not None and len(picture.chosen.layers) > 1 else None


def _plans(shot: Shot, number: int | None) -> list[Plan]:
    """Versions that were rendered, the newest first; a plan that cannot be read any more is passed over."""
    found = []
    for version in shot.plan.versions.order_by("-number"):
        if number in (None, version.number):
            try:
                found.append(Plan.from_json(version.document, where="plan"))
            except PrismError:
                continue
    return found


def ledger_of(
    picture: LayeredPicture, frame: int, *, by: str | None = None, denoised: bool | None = None
) -> documents.Ledger:
    """The first ledger of a picture. denoised: where there is a denoised beauty if None. Raises NoBeauty, NoComponents
    or UnreadableFile."""
    sources = sources_of(picture.elements, frame)
    if denoised is None:
        parts = [OfElement(sources, layer) for layer in picture.chosen.layers]
        denoised = all(any(start.denoised for start in starts_of(part)) for part in parts)
    return layered_ledger(sources, picture.chosen, by=by, denoised=denoised)


def starts_of_layers(shot: Shot, ledger: Ledger, frame: int) -> list[dict]:
    """The ways to begin with all layers that a ledger's element is one of; none for a single one."""
    picture = picture_around(shot, ledger.element)
    if picture is None or frame not in picture.frames:
        return []
    ways = ways_of(sources_of(picture.elements, frame), picture.chosen)
    return [{"by": s.by, "denoised": s.denoised, "layers": True, "title": f"all layers, {s.title}"} for s in ways]
