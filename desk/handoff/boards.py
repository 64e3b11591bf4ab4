"""Boards of a shot: kept, and their pictures found."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from django.shortcuts import get_object_or_404
from django.utils import timezone
from numpy.typing import NDArray

from desk.elements.services import elements_named, frames_on_disk, sources_of
from desk.handoff.models import Board
from desk.rebuild.models import Ledger
from desk.rebuild.services import frame_around, open_ledger, parse
from desk.shots.models import Production, Shot
from desk.shots.storage import shot_file
from desk.web.saving import Outdated, at_once, locked
from prism.colour.view import ViewTransform
from prism.delivery.document import Delivery as Document
from prism.delivery.encodings.board import BoardSheet
from prism.delivery.files import codes_of, shown_file
from prism.delivery.ledger_frame import LedgerFrame
from prism.errors import BadArgument, UnreadableFile
from prism.ledger.copying import free
from prism.ledger.templates import apply_template
from prism.sheets.boards.document import Board as BoardDocument
from prism.sheets.boards.elements import FilePicture, PictureElement, PictureSource, ShotPicture
from prism.sheets.boards.render import missing
from prism.sheets.boards.templates import TEMPLATES
from prism.sheets.contact import within

SMALL = 900  # pixels across of a picture on the editor's sheet


def make(shot: Shot, template: str, user) -> Board:
    """A board from one of ours, or a copy of one of the shot's by its number. Raises BadArgument."""
    if template in TEMPLATES:
        document = TEMPLATES[template]
    elif template.isdecimal():
        document = parsed(get_object_or_404(shot.boards, pk=int(template)))
    else:
        raise BadArgument(f"There is no board to begin with called {template}.", where="template")
    document = with_frames(document, shot)
    return keep(shot, document, user)


def keep(shot: Shot, document: BoardDocument, user) -> Board:
    """A new board, under a name that is free."""
    name = free(document.name, set(shot.boards.values_list("name", flat=True)))
    document = document.replace(name=name)
    return Board.objects.create(shot=shot, name=name, document=document.as_json(), changed_by=user)


def with_frames(document: BoardDocument, shot: Shot) -> BoardDocument:
    """Pictures that are empty show frames of the shot, spread over it."""
    ledger = open_ledger(shot)
    frames = frames_on_disk(ledger.element) if ledger else []
    empty = [each.id for each in document.elements if isinstance(each, PictureElement) and each.source is None]
    if not frames:
        return document
    chosen = {key: frames[round(place * (len(frames) - 1) / max(1, len(empty) - 1))] for place, key in enumerate(empty)}
    elements = tuple(
        each.replace(source=ShotPicture(shot=shot.code, frame=chosen[each.id])) if each.id in chosen else each
        for each in document.elements
    )
    return document.replace(elements=elements)


def parsed(board: Board) -> BoardDocument:
    """Its document."""
    return BoardDocument.from_json(board.document, where=f"board {board.name}")


@at_once
def save(board: Board, document: BoardDocument, revision: int, user) -> int:
    """Save a change that builds on `revision`. Returns the new one. Raises Outdated, or BadArgument for a name that
    another board of the shot has."""
    if board.shot.boards.exclude(pk=board.pk).filter(name=document.name).exists():
        raise BadArgument(f"Another board is called {document.name}.", where="name", advice="Choose another name.")
    changed = Board.objects.filter(pk=board.pk, revision=revision).update(
        name=document.name, document=document.as_json(), revision=revision + 1, changed_by=user
    )
    if not changed:
        raise Outdated("board")
    return revision + 1


def with_boards(shot: Shot, document: Document) -> Document:
    """A delivery with the boards that its items name, as they are now."""
    known = {board.name: board for board in shot.boards.all()}
    items = tuple(
        item.replace(encoding=item.encoding.replace(board=parsed(known[item.encoding.name])))
        if isinstance(item.encoding, BoardSheet) and item.encoding.name in known
        else item
        for item in document.items
    )
    return document.replace(items=items)


def loader(production: Production, shot: Shot) -> Callable[[PictureSource, int], NDArray[np.uint8]]:
    """Loads pictures: frames of the production's shots, and files of this shot. It raises PrismError."""

    def load(source: PictureSource, across: int) -> NDArray[np.uint8]:
        if isinstance(source, ShotPicture):
            return _of_shot(production, source)
        if isinstance(source, FilePicture):
            return codes_of(shown_file(shot_file(shot, source.path), keep_alpha=True))
        return missing(source, across)

    return load


def _of_shot(production: Production, source: ShotPicture) -> NDArray[np.uint8]:
    shot, ledger = _ledger_of(production, source.shot)
    if source.shared and source.shared != source.shot:
        other, shared = _ledger_of(production, source.shared)
        sources = frame_around(ledger, source.frame)
        template = parse(other, _document(shared, source.version)).replace(space=shot.settings.space)
        applied = apply_template(template, sources)
        if applied.missing:
            row, name = applied.missing[0]
            raise UnreadableFile(
                f"The ledger of {source.shared} asks for {name} in {row}, which {source.shot} does not have.",
                where="board", advice="Let it have its own ledger, or render the pass.",
            )  # fmt: skip
        laid = applied.ledger
    else:
        laid = parse(shot, _document(ledger, source.version))
        sources = sources_of(elements_named(shot, laid.elements, ledger.element), source.frame)
    transform = ViewTransform(laid.space, source.view)
    return codes_of(LedgerFrame(laid, sources).developed(transform, keep_alpha=source.alpha == "keep"))


def _ledger_of(production: Production, code: str) -> tuple[Shot, Ledger]:
    shot = production.shots.filter(code=code).first()
    ledger = open_ledger(shot) if shot is not None else None
    if shot is None or ledger is None:
        raise UnreadableFile(f"There is no picture of {code}.", where="board", advice="Choose another shot.")
    return shot, ledger


def _document(ledger: Ledger, number: int) -> dict[str, Any]:
    """The document of a version; as it is now for 0."""
    if not number:
        return ledger.document
    version = ledger.versions.filter(number=number).first()
    if version is None:
        raise UnreadableFile(f"{ledger.shot.code} has no version {number}.", where="board")
    return version.document


def small(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """For the editor's sheet."""
    return within(codes, SMALL, SMALL)


def choices(shot: Shot) -> dict[str, Any]:
    """What the editor can put on a sheet: shots of the production with their frames, and files of this shot."""
    shots = []
    for other in shot.production.shots.order_by("code"):
        ledger = other.ledgers.select_related("element").order_by("-changed").first()
        frames = frames_on_disk(ledger.element) if ledger else []
        if frames:
            versions = [version.number for version in ledger.versions.all()[:50]]
            size = other.settings
            aspect = size.width * size.pixel_aspect / size.height
            shots.append({"code": other.code, "frames": list(frames), "versions": versions, "aspect": aspect})
    return {"shots": shots}


@at_once
def remove(board: Board) -> None:
    """Take a board away, until somebody wants it back."""
    board.removed, board.name = timezone.now(), f"removed {board.pk}"
    board.save(update_fields=["removed", "name"])


@at_once
def restore(shot: Shot, pk: int) -> Board:
    """A board that was removed, under its name or one like it. Raises UnreadableFile if there is none."""
    board = Board._base_manager.filter(shot=locked(shot), pk=pk).exclude(removed=None).first()
    if board is None:
        raise UnreadableFile("This board is not among those that were removed.", where="board")
    document = parsed(board)
    board.name = free(document.name, set(shot.boards.values_list("name", flat=True)))
    board.document, board.removed = document.replace(name=board.name).as_json(), None
    board.save()
    return board
