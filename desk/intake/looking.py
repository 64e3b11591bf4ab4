"""Looking at the disk: folders become elements, and elements are brought up to date. Done by workers, never by a
page."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from django.db import transaction
from django.utils import timezone
from pydantic import ValidationError

from desk.elements.models import Element, NameRule, Place
from desk.intake.models import Judgement
from desk.scenes.services import facts_for
from desk.shots.models import Shot
from desk.shots.storage import allowed_place, kept_inside, shot_folder
from desk.web.saving import at_once, locked
from prism.elements import disk
from prism.elements.element import Element as Document
from prism.elements.element import ElementPass
from prism.elements.gathering import Gathered, gather
from prism.elements.planned import PlannedNames
from prism.elements.rules import Rule
from prism.errors import BadArgument, BadDocument, PrismError, UnreadableFile
from prism.formats.reading import read_header
from prism.naming.frames import format_frames
from prism.plan.expansion import PlannedFiles, expand
from prism.plan.plan import Plan
from prism.plan.showing import for_plan
from prism.text import from_storable, printable, storable

MOST_FAULTS = 50  # sequences that cannot be read, listed one by one


def look(place: Place) -> list[Element]:
    """Scan a place and bring its elements up to date. Raises UnreadableFile, with nothing changed, if it is gone."""
    shot = place.shot
    path = allowed_place(from_storable(place.folder), shot.production)
    found = disk.scan(path) if path.is_dir() else disk.around(path)
    root = path if path.is_dir() else path.parent
    sequences = [s for s in found.sequences if _is_inside(s.first_path, shot)]
    headers = lambda file: read_header(kept_inside(file, shot.production))  # noqa: E731
    gathered = gather(sequences, root=root, rules=rules_of(shot), plan=_planned_names(shot), headers=headers)
    with transaction.atomic():
        locked(place)
        elements = _keep(place, gathered)
        place.report = _report(found, gathered)
        place.looked = timezone.now()
        place.save(update_fields=["report", "looked"])
    return elements


def look_at_run(shot: Shot, name: str, files: Sequence[PlannedFiles]) -> Element | None:
    """The element of the image that planned files hold, as far as they are there; None while none is."""
    folder = shot_folder(shot)
    places = sorted({(folder / planned.path(frame)).parent for planned in files for frame in planned.frames[:1]})
    names = PlannedNames(files)
    numbers = {str(planned.values["version"]) for planned in files}
    sequences = [
        sequence
        for place in places
        if place.is_dir()
        for sequence in disk.scan(place, below=False).sequences
        if (found := names.find(sequence)) is not None and str(found.version) in numbers
    ]
    if not sequences:
        return None
    gathered = gather(sequences, root=folder, plan=names, as_one=True)
    if not gathered.elements:
        return None
    document = gathered.elements[0].replace(name=name)
    element, made = Element.objects.get_or_create(
        shot=shot, name=name, defaults={"found": name, "document": document.as_json()}
    )
    if not made:
        element.document = document.as_json()
        element.save(update_fields=["document"])
        Judgement.objects.filter(element=element).update(whole=len(document.frames))
    return element


def rules_of(shot: Shot) -> list[Rule]:
    """The artist's, those made last first."""
    return [Rule(pattern=rule.pattern, does=rule.does, target=rule.target) for rule in shot.name_rules.all()]


def _planned_names(shot: Shot) -> PlannedNames | None:
    """The names of the shot's plan as it is now, whatever its version; None if it cannot be carried out."""
    try:
        plan = Plan.from_json(shot.plan.document, where="plan")
        facts = facts_for(shot, plan.cameras)
        files = expand(plan, facts) if plan.cameras else []
        return PlannedNames(files, for_plan(facts, plan).labels) if files else None
    except (BadArgument, BadDocument):
        return None


def _is_inside(path: Path, shot: Shot) -> bool:
    try:
        kept_inside(path, shot.production)
    except UnreadableFile:
        return False
    return True


def _keep(place: Place, gathered: Gathered) -> list[Element]:
    """Bring records in line with what was found. An element that is gone keeps its record, without frames, while a
    ledger or a delivery names it."""
    known = {element.found: element for element in place.elements.all()}
    unnamed = [element for element in known.values() if not element.document]  # from before there were documents
    kept = []
    for document in sorted(gathered.elements, key=lambda document: -len(document.passes)):
        element = (
            known.pop(document.name, None) or _same_files(document, known) or (unnamed.pop(0) if unnamed else None)
        )
        if element is None:
            only = len(gathered.elements) == 1 and place.name
            element = Element(shot=place.shot, place=place, name=_free_name(place.shot, only or document.name))
        known.pop(element.found, None)
        element.found = document.name
        element.document = document.replace(name=element.name).as_json()
        element.save(update_fields=["found", "document"] if element.pk else None)  # choices are made meanwhile
        kept.append(element)
    for gone in known.values():
        if gone.document and (gone.ledgers.exists() or gone.deliveries.exists()):
            gone.document = _without_files(Document.from_json(gone.document)).as_json()
            gone.save(update_fields=["document"])
        elif gone not in kept:
            gone.delete()
    return kept


def _same_files(document: Document, known: dict[str, Element]) -> Element | None:
    """The element that most of these sequences belonged to, under another name: names are read in another way since."""
    own = {p.files.sequence for p in document.passes}
    shared = {name: len(own & _sequences_of(element)) for name, element in known.items()}
    best = max(shared, key=shared.__getitem__, default=None)
    return known.pop(best) if best is not None and shared[best] else None


def _sequences_of(element: Element) -> set:
    return {p.files.sequence for p in Document.from_json(element.document).passes} if element.document else set()


def _without_files(document: Document) -> Document:
    passes = tuple(pass_ for pass_ in document.passes if not pass_.files.is_still)
    return document.replace(passes=tuple(pass_.replace(files=pass_.files.replace(frames="")) for pass_ in passes))


def _free_name(shot: Shot, wanted: str) -> str:
    taken = set(shot.elements.values_list("name", flat=True))
    wanted = wanted.replace("/", "_")[:100]
    names = (wanted if number == 1 else f"{wanted} {number}" for number in range(1, len(taken) + 2))
    return next(name for name in names if name not in taken)


def _report(found: disk.Scan, gathered: Gathered) -> dict:
    return {
        "faults": [
            _fault(fault.error, fault.sequence.pattern, fault.sequence.first_path)
            for fault in gathered.faults[:MOST_FAULTS]
        ],
        "more": max(0, len(gathered.faults) - MOST_FAULTS),
        "ignored": [printable(sequence.pattern) for sequence in gathered.ignored],
        "others": found.others,
        "hidden": found.hidden,
        "closed": [printable(str(folder)) for folder in found.closed],
    }


def _fault(error: PrismError, pattern: str, path: Path) -> dict:
    return error.as_json() | {"sequence": printable(pattern), "path": storable(str(path))}


def rule(shot: Shot, pattern: str, does: str, target: str) -> NameRule:
    """Make or change a rule for names. Raises BadDocument for a pass there is not."""
    try:
        checked = Rule(pattern=pattern.strip(), does=does, target=target.strip())
    except ValidationError as error:
        said = error.errors()[0]["msg"].removeprefix("Value error, ")
        raise BadDocument(f"{said.rstrip('.')}.", where="rule") from None
    return _keep_rule(shot, checked)


@at_once
def _keep_rule(shot: Shot, checked: Rule) -> NameRule:
    locked(shot)  # the same may be said twice at once
    made, _ = NameRule.objects.update_or_create(
        shot=shot, pattern=checked.pattern, defaults={"does": checked.does, "target": checked.target}
    )
    return made


@at_once
def take_over(shot: Shot, other: Shot) -> int:
    """Add the rules of another shot; those of this one stay as they are. Returns how many were new."""
    locked(shot)
    own = set(shot.name_rules.values_list("pattern", flat=True))
    new = [rule for rule in reversed(other.name_rules.all()) if rule.pattern not in own]
    NameRule.objects.bulk_create(
        NameRule(shot=shot, pattern=rule.pattern, does=rule.does, target=rule.target) for rule in new
    )
    return len(new)


def files_of_shot(shot: Shot) -> Iterable[Path]:
    """Every file that an element of the shot names."""
    for element in shot.elements.all():
        document = Document.from_json(element.document) if element.document else None
        for pass_ in document.passes if document else ():
            numbers = pass_.files.numbers or (0,)
            yield from (pass_.files.path(frame) for frame in numbers)


def unreadable_files_of(shot: Shot) -> Iterable[Path]:
    """Files that were found to be no pictures, so that they belong to no element."""
    for place in shot.places.all():
        for fault in place.report.get("faults", ()):
            yield Path(from_storable(fault["path"]))


@at_once
def drop_file(shot: Shot, path: Path) -> None:
    """Take one file out of all elements of a shot, without listing its folder again."""
    for element in shot.elements.exclude(document={}).select_for_update():
        document = Document.from_json(element.document)
        passes = tuple(_without(pass_, path) for pass_ in document.passes)
        if passes != document.passes:
            element.document = document.replace(passes=passes).as_json()
            element.save(update_fields=["document"])


def _without(pass_: ElementPass, path: Path) -> ElementPass:
    files = pass_.files
    left = [frame for frame in files.numbers if files.path(frame) != path]
    if len(left) == len(files.numbers):
        return pass_
    return pass_.replace(files=files.replace(frames=format_frames(left)))
