"""The Rebuild station: what a ledger amounts to, and its keeping."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from desk.elements.models import Element
from desk.elements.services import document_of, elements_named, frames_on_disk, sources_of
from desk.elements.store import PIXELS
from desk.rebuild import layered
from desk.rebuild.models import Ledger, LedgerVersion
from desk.shots.models import Shot
from desk.shots.storage import shot_folder
from desk.web.saving import Outdated, locked
from prism.balance import balance as balances
from prism.balance.best_ledger import best_ledger
from prism.combine.contributions import contributions
from prism.combine.evaluate import identity
from prism.combine.program import compile_ledger
from prism.elements.element import Element as ElementDocument
from prism.elements.element import ElementPass
from prism.elements.identify import DENOISED
from prism.errors import BadArgument, UnreadableFile
from prism.ledger import adding
from prism.ledger import document as documents
from prism.ledger.adding import Added
from prism.ledger.copying import with_copied
from prism.ledger.dimmers import in_words, light_of
from prism.ledger.first import first_ledger, of_main, require_beauty
from prism.ledger.merging import merge
from prism.ledger.table import with_files
from prism.ledger.templates import apply_template
from prism.ledger.wording import changes
from prism.mattes import ranks
from prism.mattes.offers import UNFILTERED, covers, offers_of
from prism.sources.frame import OpenFrame
from prism.sources.pixels import OfElement
from prism.viewing.picture import Look, as_address, step_for, to_screen
from prism.viewing.remap import way_of_kind

THUMBNAIL_WIDTH = 96
MOST_NAMES = 20_000


def open_ledger(shot: Shot) -> Ledger | None:
    """The ledger in work, made from the passes found if there is none yet: all layers of the newest version of the plan
    that has them, else the first element that was brought in, those with a beauty before others. None if the shot has
    no frames.

    Raises NoBeauty, NoComponents or UnreadableFile if the files do not allow a first ledger.
    """
    existing = shot.ledgers.select_related("element").order_by("-changed").first()
    if existing is not None:
        return existing
    picture = layered.picture_of(shot)
    if picture is not None:
        element: Element | None = picture.elements[0]
        document = layered.ledger_of(picture, picture.frames[0])
    else:
        element = _first_element(shot)
        if element is None:
            return None
        document = best_ledger(sources_of([element], frames_on_disk(element)[0]))
    document = document.replace(space=shot.settings.space)
    made = {"element": element, "document": document.as_json()}  # two first visits at once make one
    return Ledger.objects.get_or_create(shot=shot, name=document.name, defaults=made)[0]


def _first_element(shot: Shot) -> Element | None:
    there = [element for element in shot.elements.all() if frames_on_disk(element)]
    whole = (e for e in there if any(pass_.kind == "beauty" and not pass_.excluded for pass_ in document_of(e).passes))
    return next(whole, next(iter(there), None))


def parse(shot: Shot, document: Any) -> documents.Ledger:
    """A ledger in the working colour of the shot, in which all its sources are handed out.

    Raises BadDocument or UnknownOperator with the path to the field.
    """
    return documents.Ledger.from_json(document, where="ledger").replace(space=shot.settings.space, files=())


def save(ledger: Ledger, document: documents.Ledger, revision: int, user) -> int:
    """Save a change that builds on `revision`; what files it lies on follows from the document. Returns the new
    revision; raises Outdated if it is not the newest."""
    element = ledger.shot.elements.filter(name=document.elements[0]).first() if document.elements else None
    changed = Ledger.objects.filter(pk=ledger.pk, revision=revision).update(
        document=document.as_json(),
        revision=revision + 1,
        changed=timezone.now(),
        changed_by=user,
        element=element or ledger.element,
    )
    if not changed:
        raise Outdated("ledger")
    return revision + 1


def theirs(ledger: Ledger, mine: documents.Ledger, base: documents.Ledger | None) -> dict[str, Any]:
    """The ledger as somebody else left it: who, when, and what they changed since `base`, in words; both changes as one
    ledger where they do not meet."""
    newest = Ledger.objects.select_related("changed_by").get(pk=ledger.pk)
    document = parse(ledger.shot, newest.document)
    return {
        "ledger": document.as_json(),
        "revision": newest.revision,
        "by": newest.changed_by.get_username() if newest.changed_by else "somebody",
        "at": newest.changed.isoformat(timespec="minutes"),
        "changes": changes(base or mine, document),
    } | _joined(base, mine, document)


def _joined(base: documents.Ledger | None, mine: documents.Ledger, other: documents.Ledger) -> dict[str, Any]:
    if base is None:
        return {"merged": None, "meeting": []}
    found = merge(base, mine, other)
    return {"merged": found.ledger.as_json() if found.ledger else None, "meeting": list(found.meeting)}


def keep_version(ledger: Ledger, user, comment: str = "", document: documents.Ledger | None = None) -> LedgerVersion:
    """Keep the ledger as it is now, or a document that was not saved; the newest version again if nothing changed
    since, with what is said of it now behind what was said before."""
    with transaction.atomic():
        now = locked(ledger)
        if document is not None:
            now.document = document.as_json()
        newest = now.versions.first()
        if newest is not None and parse(ledger.shot, newest.document) == parse(ledger.shot, now.document):
            return _with_comment(newest, comment)
        number = (now.versions.aggregate(Max("number"))["number__max"] or 0) + 1
        return LedgerVersion.objects.create(
            ledger=now, number=number, document=now.document, author=user, comment=comment, base=_nearest(now)
        )


LONGEST_COMMENT = 500


def _with_comment(version: LedgerVersion, comment: str) -> LedgerVersion:
    said = [version.comment, comment] if comment and comment not in version.comment else [version.comment]
    whole = "; ".join(filter(None, said))
    if whole != version.comment:
        if len(whole) > LONGEST_COMMENT:
            raise BadArgument("This version has so many comments that no more fit.", where="comment")
        version.comment = whole
        version.save(update_fields=["comment"])
    return version


def _nearest(ledger: Ledger) -> int | None:
    """Which version a ledger goes on from: that with the fewest changes to it, the newest of several."""
    now = parse(ledger.shot, ledger.document)
    apart = [(len(changes(parse(ledger.shot, v.document), now)), -v.number) for v in ledger.versions.all()]
    return -min(apart)[1] if apart else None


def version_entry(version: LedgerVersion) -> dict[str, Any]:
    """What the page says of a version that one can go back to."""
    return {
        "number": version.number,
        "label": version.label,
        "made": version.made.isoformat(timespec="minutes"),
        "author": version.author.get_username() if version.author else "",
        "comment": version.comment,
        "base": version.base,
    }


def laid_on(ledger: Ledger, document: documents.Ledger, element: Element) -> documents.Ledger:
    """The document on another element of the shot; one of several layers on the same layers of its camera and version.
    Nothing is saved. Raises UnreadableFile if that has no readable frame, or a layer is missing there."""
    frames = frames_on_disk(element)
    if not frames:
        raise UnreadableFile("This element has no frames on disk.", where=element.name)
    sources_of([element], frames[0])
    used = {name: "" for name in document.elements}
    known = {each.name: document_of(each) for each in ledger.shot.elements.exclude(document={})}
    target = document_of(element)
    there = {
        each.layer: name for name, each in known.items() if (each.camera, each.number) == (target.camera, target.number)
    }
    layered = [name for name in used if name in known and known[name].layer]
    if len(layered) < 2 or not target.layer:
        return document.moved(document.elements[0] if document.elements else "", element.name)
    missing = [known[name].layer for name in layered if known[name].layer not in there]
    if missing:
        raise UnreadableFile(
            f"Layer {', '.join(missing)} is not there through camera {target.camera}.", where=element.name,
            advice="Choose other files, or render that layer.",
        )  # fmt: skip
    for name in layered:
        document = document.moved(name, there[known[name].layer])
    return document


def contributions_of(document: documents.Ledger, sources: OpenFrame, look: Look) -> dict[str, Any]:
    """Running thumbnails as one tall picture, top to bottom, and the share of each row."""
    step = step_for(sources.window, THUMBNAIL_WIDTH)
    rows = contributions(document, sources, step=step)
    words = in_words(document, sources)
    if not rows:
        return {"rows": [], "strip": "", "width": 0, "height": 0, "words": words}
    strip = np.concatenate([to_screen(row.running, look) for row in rows])
    return {
        "words": words,
        "rows": [{"id": row.id, "share": row.share} for row in rows],
        "strip": as_address(strip),
        "width": strip.shape[1],
        "height": strip.shape[0] // len(rows),
    }


@dataclass(frozen=True, slots=True)
class _Kept:
    result: balances.Balance | balances.Change

    @property
    def byte_count(self) -> int:
        """About what a result takes in memory."""
        return 1000


def balance_of(document: documents.Ledger, sources: OpenFrame, *, thorough: bool = False) -> dict[str, Any]:
    """The balance of the untrimmed ledger, computed once for a set of rows and files however the trims change; and, as
    `trimmed`, what the ledger as it is makes of the picture. thorough: to search on for
    causes."""
    plain = document.untrimmed()
    key = ("balance", thorough, plain.beauty, plain.reference, plain.alpha, plain.rows, _identity(plain, sources))
    kept = PIXELS.get(key, lambda: _Kept(balances.balance(document, sources, thorough=thorough))).result
    as_it_is = ("change", document.replace(name="ledger", finish=()), _identity(document, sources))
    made = PIXELS.get(as_it_is, lambda: _Kept(balances.change(document, sources))).result
    return kept.as_json() | {"trimmed": made.as_json()}


def _identity(document: documents.Ledger, sources: OpenFrame) -> Hashable:
    return identity(compile_ledger(document, sources.number), sources)


def frame_of(ledger: Ledger, document: documents.Ledger, frame: int) -> OpenFrame:
    """The passes of all elements that a document names, the ledger's own first. Raises UnreadableFile."""
    return sources_of(elements_of(ledger, document), frame)


def elements_of(ledger: Ledger, document: documents.Ledger) -> list[Element]:
    """The elements that a document names, the ledger's own first. Raises UnreadableFile if that is gone."""
    if ledger.element is None:
        raise UnreadableFile(
            "The files of this ledger are no longer part of the shot.", where=ledger.name, advice="Choose other files."
        )
    return elements_named(ledger.shot, document.elements, ledger.element)


def names_of(document: documents.Ledger, sources: OpenFrame, first: str) -> dict[str, Any]:
    """The names of a Cryptomatte, by its first rank. lost: share of what the beauty covers that no rank holds."""
    own = of_main(OfElement(sources, sources.source(first).key.rpartition("/")[0]))
    alpha = sources.pixels(require_beauty(own).key).alpha if own is not None else None
    height, width = sources.shape()
    found = ranks.shares(sources, first)[:MOST_NAMES]
    return {
        "names": [{"id": s.id, "name": s.name, "share": s.pixels / (height * width)} for s in found],
        "lost": ranks.lost(sources, first, alpha) if alpha is not None else 0.0,
    }


def source_list(shot: Shot, sources: OpenFrame) -> list[dict[str, Any]]:
    """What a row may take, for the page: the passes that are open, then those of other elements."""
    elements = {element.name: element for element in shot.elements.exclude(document={})}
    listed = [_listed(elements[source.key.rpartition("/")[0]], source.pass_) for source in sources]
    known = {source["elementName"] for source in listed}
    for element in elements.values():
        if element.name not in known:
            listed += [_listed(element, pass_) for pass_ in document_of(element).passes]
    return (
        listed
        if len(known) < 2
        else [entry | {"title": f"{entry['elementName']}: {entry['title']}"} for entry in listed]
    )


def _listed(element: Element, pass_: ElementPass) -> dict[str, Any]:
    kind = pass_.pass_kind
    return {
        "key": f"{element.name}/{pass_.key}",
        "element": element.pk,
        "elementName": element.name,
        "pass": pass_.key,
        "title": pass_.title,
        "isDeep": kind is not None and kind.key == "deep",
        "isDepth": kind is not None and kind.key == "depth",
        "isMotion": kind is not None and kind.key.startswith("motion"),
        "passTitle": pass_.title.removesuffix(f", {DENOISED}"),
        "denoised": pass_.denoised,
        "role": kind.role if kind else "unknown",
        "light": light_of(pass_.key, kind),
        "meaning": kind.meaning if kind else "A pass of unknown meaning.",
        "alpha": pass_.alpha is not None,
        "covers": covers(pass_),
        "offers": [asdict(offer) for offer in offers_of(pass_)],
        "unfiltered": kind is not None and kind.key in UNFILTERED,
        "data": kind is not None and kind.is_data,
        "kind": kind.key if kind else "",
        "way": way_of_kind(kind),
    }


def start_again(ledger: Ledger, frame: int, by: str, *, denoised: bool, of_layers: bool) -> documents.Ledger:
    """A fresh first ledger, by components or by light groups, under the same name; of all layers that its element is
    one of, or of that element alone. Nothing is saved. Raises BadArgument, NoBeauty, NoComponents or UnreadableFile."""
    picture = layered.picture_around(ledger.shot, ledger.element) if of_layers else None
    if picture is not None:
        made = layered.ledger_of(picture, frame, by=by, denoised=denoised).replace(name=ledger.name)
    else:
        made = first_ledger(sources_of([ledger.element], frame), by=by, denoised=denoised, name=ledger.name)
    return made.replace(space=ledger.shot.settings.space)


def exported(ledger: Ledger, document: documents.Ledger) -> dict[str, Any]:
    """The document for other programs, with a table of where its sources lie below the production's folder of the
    shot."""
    elements = [document_of(element) for element in ledger.shot.elements.exclude(document={})]
    folder = shot_folder(ledger.shot)
    return with_files(document, elements, folder).as_json()


def templates_for(shot: Shot) -> list[dict[str, Any]]:
    """Ledgers of other shots of the production that this one may start from."""
    others = Ledger.objects.filter(shot__production=shot.production).exclude(shot=shot).select_related("shot")
    return [{"id": other.pk, "title": f"{other.shot.code}, {other.name}"} for other in others]


def laid_from(ledger: Ledger, template: documents.Ledger, frame: int, chosen: dict[str, str]) -> dict[str, Any]:
    """A ledger of another shot on the passes of this one; what is not found is named, and nothing is saved."""
    sources = frame_around(ledger, frame)
    applied = apply_template(template.replace(space=ledger.shot.settings.space), sources, chosen=chosen)
    titles = {source.key: source.title for source in sources}
    return {
        "ledger": applied.ledger.replace(name=ledger.name).as_json(),
        "missing": [{"row": row, "source": source} for row, source in applied.missing],
        "leftOver": [titles[key] for key in applied.left_over],
    }


def frame_around(ledger: Ledger, frame: int) -> OpenFrame:
    """The passes of all elements of the shot that have a frame, the ledger's own first; of a planned one only those of
    the same camera and version beside what was brought in. Raises UnreadableFile."""
    (main, *_) = elements_of(ledger, parse(ledger.shot, ledger.document))
    own = document_of(main)
    others = [
        element
        for element in ledger.shot.elements.exclude(pk=main.pk).exclude(document={})
        if frame in frames_on_disk(element) and _belongs(document_of(element), own)
    ]
    return sources_of([main, *others], frame)


def _belongs(other: ElementDocument, main: ElementDocument) -> bool:
    planned = other.planned and main.planned
    return not planned or (other.camera, other.number) == (main.camera, main.number)


def pasted(
    ledger: Ledger, document: documents.Ledger, data: Any, frame: int, after: str
) -> tuple[documents.Ledger, str]:
    """The document with rows of a copied one, and a remark. Raises BadDocument, UnreadableFile."""
    made, remark = with_copied(document, data, frame_around(ledger, frame), after)
    return made, remark


def with_pass(ledger: Ledger, document: documents.Ledger, key: str, frame: int, row: str = "") -> Added:
    """The document with a row for a pass, of whatever element of the shot; or for a key of `OFFERS`, or a word of
    `TAKEN_AS` and a pass, for it as such a row, in that of the id `row` if there is one. Nothing is saved.

    Raises UnknownSource.
    """
    if key in adding.OFFERS:
        return adding.OFFERS[key].add(document, frame_of(ledger, document, frame))
    word, _, picture = key.partition(" ")
    taken = adding.TAKEN_AS.get(word)
    source = picture if taken else key
    names = dict.fromkeys((*document.elements, source.rpartition("/")[0]))
    sources = sources_of(elements_named(ledger.shot, tuple(names), ledger.element), frame)
    if taken:
        return taken(document, sources, source, row=row)
    return adding.with_pass(document, sources, key)
