"""The Rebuild station: pictures, contributions and probes of a ledger, and its keeping."""

from __future__ import annotations

import base64
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from desk.rebuild.models import Ledger, LedgerVersion
from desk.shots.models import Element, Shot
from desk.shots.saving import Outdated
from desk.shots.services import document_of, elements_named, frames_on_disk, sources_of
from desk.viewer.store import EVALUATOR, PIXELS
from prism.colour.view import ViewTransform
from prism.combine import balance as balances
from prism.combine import ledger as documents
from prism.combine.contributions import contributions
from prism.combine.first import first_ledger, starts_of
from prism.combine.probe import probe
from prism.elements.frame import OpenFrame
from prism.elements.pixels import on_display
from prism.errors import UnreadableFile
from prism.viewing.picture import Look, Subject, encode, picture, step_for, to_screen

THUMBNAIL_WIDTH = 96


@dataclass(frozen=True, slots=True)
class Encoded:
    body: bytes
    content_type: str
    step: int


def open_ledger(shot: Shot) -> Ledger | None:
    """The ledger in work, made from the passes found if there is none yet, from denoised ones where those sum. None if the
    shot has no frames.

    Raises NoBeauty, NoComponents or UnreadableFile if the files do not allow a first ledger.
    """
    existing = shot.ledgers.select_related("element").order_by("-changed").first()
    if existing is not None:
        return existing
    for element in shot.elements.all():
        frames = frames_on_disk(element)
        if frames:
            sources = sources_of([element], frames[0])
            document = first_ledger(sources, denoised=any(start.denoised for start in starts_of(sources)))
            made = {"element": element, "document": document.as_json()}  # two first visits at once make one
            return Ledger.objects.get_or_create(shot=shot, name=document.name, defaults=made)[0]
    return None


def parse(document: Any) -> documents.Ledger:
    """Raises BadDocument or UnknownOperator with the path to the field."""
    return documents.Ledger.from_json(document, where="ledger")


def save(ledger: Ledger, document: documents.Ledger, revision: int) -> int:
    """Save a change that builds on `revision`. Returns the new revision; raises Outdated if it is not the newest."""
    changed = Ledger.objects.filter(pk=ledger.pk, revision=revision).update(
        document=document.as_json(), revision=revision + 1, changed=timezone.now()
    )
    if not changed:
        raise Outdated("ledger")
    return revision + 1


def keep_version(ledger: Ledger, user) -> LedgerVersion:
    """Keep the ledger as it is now; the newest version again if nothing changed since."""
    with transaction.atomic():
        locked = Ledger.objects.select_for_update().get(pk=ledger.pk)
        newest = locked.versions.first()
        if newest is not None and newest.document == locked.document:
            return newest
        number = (locked.versions.aggregate(Max("number"))["number__max"] or 0) + 1
        return LedgerVersion.objects.create(ledger=locked, number=number, document=locked.document, author=user)


def version_entry(version: LedgerVersion) -> dict[str, Any]:
    """What the page says of a version that one can go back to."""
    return {"number": version.number, "label": version.label, "made": version.made.isoformat(timespec="minutes")}


def use_element(ledger: Ledger, element: Element) -> None:
    """Lay the ledger on another element of the shot. Raises UnreadableFile if that has no readable frame."""
    frames = frames_on_disk(element)
    if not frames:
        raise UnreadableFile("This element has no frames on disk.", where=element.name)
    sources_of([element], frames[0])
    document = parse(ledger.document)
    before = document.elements[0] if document.elements else ""
    ledger.document = document.moved(before, element.name).as_json()
    ledger.revision += 1
    ledger.element = element
    ledger.save(update_fields=["element", "document", "revision", "changed"])


def picture_of(
    document: documents.Ledger,
    sources: OpenFrame,
    subject: Subject,
    look: Look,
    encoding: str,
    is_stale: Callable[[], bool],
) -> Encoded:
    rgba, data = picture(document, sources, subject, EVALUATOR, is_stale=is_stale)
    shown = to_screen(on_display(sources, rgba, step=subject.step), look, data=data)
    return Encoded(encode(shown, encoding), f"image/{encoding}", subject.step)


def contributions_of(document: documents.Ledger, sources: OpenFrame, look: Look) -> dict[str, Any]:
    """Running thumbnails as one tall picture, top to bottom, and the share of each row."""
    step = step_for(sources.window.width, THUMBNAIL_WIDTH)
    rows = contributions(document, sources, step=step, space=look.transform.space)
    if not rows:
        return {"rows": [], "strip": "", "width": 0, "height": 0}
    strip = np.concatenate([to_screen(row.running, look) for row in rows])
    return {
        "rows": [{"id": row.id, "share": row.share} for row in rows],
        "strip": "data:image/jpeg;base64," + base64.b64encode(encode(strip, "jpeg")).decode(),
        "width": strip.shape[1],
        "height": strip.shape[0] // len(rows),
    }


@dataclass(frozen=True, slots=True)
class _Kept:
    balance: balances.Balance

    @property
    def byte_count(self) -> int:
        return 1000


def balance_of(document: documents.Ledger, sources: OpenFrame) -> dict[str, Any]:
    """The balance of the untrimmed ledger; computed once for a set of rows and files, however the trims change."""
    plain = document.untrimmed()
    key = ("balance", plain.beauty, plain.alpha, plain.rows, sources.identity())
    return PIXELS.get(key, lambda: _Kept(balances.balance(document, sources))).balance.as_json()


def probe_of(
    document: documents.Ledger, sources: OpenFrame, x: int, y: int, transform: ViewTransform
) -> dict[str, Any]:
    readings = probe(document, sources, x, y, transform)
    return {
        "rows": [asdict(reading) for reading in readings["rows"]],
        "running": [asdict(reading) for reading in readings["running"]],
        "rebuilt": asdict(readings["rebuilt"]),
        "rendered": asdict(readings["rendered"]) if readings["rendered"] else None,
    }


def frame_of(ledger: Ledger, document: documents.Ledger, frame: int) -> OpenFrame:
    """The passes of all elements that a document names, the ledger's own first. Raises UnreadableFile."""
    return sources_of(elements_of(ledger, document), frame)


def elements_of(ledger: Ledger, document: documents.Ledger) -> list[Element]:
    """Those a document names, the ledger's own first. Raises UnreadableFile if that is gone."""
    if ledger.element is None:
        raise UnreadableFile(
            "The files of this ledger are no longer part of the shot.", where=ledger.name, advice="Choose other files."
        )
    return elements_named(ledger.shot, document.elements, ledger.element)


def source_list(shot: Shot, sources: OpenFrame) -> list[dict[str, Any]]:
    """What a row may take, for the page: the passes that are open, then those of other elements."""
    listed = _open_sources(sources)
    known = {source["key"].rpartition("/")[0] for source in listed}
    for element in shot.elements.exclude(name__in=known):
        for held in document_of(element).passes if element.document else ():
            listed.append(
                {
                    "key": f"{element.name}/{held.key}",
                    "title": f"{element.name}: {held.title}",
                    "passTitle": held.title,
                    "denoised": held.denoised,
                    "role": held.pass_kind.role if held.pass_kind else "unknown",
                    "meaning": held.pass_kind.meaning if held.pass_kind else "A pass of unknown meaning.",
                    "alpha": held.alpha is not None,
                }
            )
    return listed


def _open_sources(sources: OpenFrame) -> list[dict[str, Any]]:
    return [
        {
            "key": source.key,
            "title": source.title,
            "passTitle": source.pass_title,
            "denoised": source.denoised,
            "role": source.kind.role if source.kind else "unknown",
            "meaning": source.kind.meaning if source.kind else "A pass of unknown meaning.",
            "alpha": source.alpha is not None,
        }
        for source in sources
    ]


def start_again(ledger: Ledger, element: Element, frame: int, by: str, *, denoised: bool) -> documents.Ledger:
    """A fresh first ledger, by components or by light groups, under the same name. Nothing is saved."""
    return first_ledger(sources_of([element], frame), by=by, denoised=denoised, name=ledger.name)
