"""The Intake station: what was brought in, what it was taken for, and what the artist says to that."""

from __future__ import annotations

import secrets
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone
from pydantic import ValidationError

from desk.elements.models import Element, Place
from desk.elements.services import document_of
from desk.intake import checks
from desk.intake.looking import drop_file, files_of_shot, look, unreadable_files_of
from desk.jobs import engine
from desk.jobs.models import Job, State, Task
from desk.shots.models import Shot
from desk.shots.storage import allowed_place, kept_inside
from desk.web.saving import at_once, locked
from prism.documents import spoken_fault
from prism.errors import BadArgument, UnreadableFile
from prism.intake.found import found_file
from prism.text import from_storable, printable, storable

KIND = "intake"


def bring_in(shot: Shot, folder: str, name: str, author) -> Place:
    """Register a folder, or one frame of a sequence, and have it looked at. Raises UnreadableFile or BadArgument; then
    nothing is changed."""
    path = allowed_place(folder.strip(), shot.production)
    name = name.strip().replace("/", "_")
    if name and shot.elements.filter(name=name).exists():
        raise BadArgument(f"This shot has an element {name} already.", where="name", advice="Choose another name.")
    place = Place.objects.get_or_create(shot=shot, folder=storable(str(path)), defaults={"name": name})[0]
    look_again(place, author)
    return place


def look_again(place: Place, author) -> Job | None:
    """Have a place looked at by a worker, and what is new in it read; None if that is under way."""
    return _ask(place.shot, {"place": place.pk}, f"looking at {printable(place.folder)}", author)


def check_again(element: Element, author) -> Job | None:
    """Have the frames of an element read that changed; its place looked at before, if it has one."""
    if element.place is not None:
        return look_again(element.place, author)
    return _ask(element.shot, {"element": element.pk}, f"reading {element.name}", author)


def _ask(shot: Shot, payload: dict[str, int], title: str, author) -> Job | None:
    with transaction.atomic():
        locked(shot)  # asked for twice at once
        # Not those that run: they may have looked before what came since.
        waiting = Task.objects.filter(job__shot=shot, job__kind=KIND, state=State.QUEUED)
        if any(task.payload == payload for task in waiting):
            return None
        job = engine.begin(
            KIND, shot, title[:200], [Task(number=0, title=title[:200], payload=payload)], author=author, priority=2
        )
    engine.top_up()
    return job


def look_at(task: Task) -> str:
    """What a worker does of it: look, then queue the frames that are to be read. Returns a line for its log.

    Raises UnreadableFile.
    """
    author = task.job.author
    if task.given("element"):
        elements = list(Element.objects.filter(pk=task.given("element")).select_related("shot__plan"))
    else:
        place = Place.objects.select_related("shot__production", "shot__plan").filter(pk=task.given("place")).first()
        if place is None:
            return "It was removed meanwhile."
        try:
            elements = look(place)
        except UnreadableFile as error:
            Place.objects.filter(pk=place.pk).update(report={"gone": error.as_json()}, looked=timezone.now())
            return f"{error}"
    for element in elements:
        checks.begin(element, author)
    return f"{len(elements)} element{'s' * (len(elements) != 1)}."


def look_where_changed(shot: Shot, author) -> None:
    """Have those places looked at whose folders hold other files since, and those files read that are others than were
    read: folders and files are asked for their time, not listed."""
    for place in shot.places.prefetch_related("elements"):
        if place.looked is not None and _newest(place) > place.looked.timestamp():
            look_again(place, author)
    for element in shot.elements.exclude(document={}).select_related("place"):
        if checks.have_changed(element):
            check_again(element, author)


def _newest(place: Place) -> float:
    """When a file last came to or went from the place, or a folder of its sequences."""
    folders = {Path(from_storable(place.folder))}
    for element in place.elements.all():
        folders |= {pass_.files.sequence[0] for pass_ in document_of(element).passes} if element.document else set()
    times = []
    for folder in folders:
        with suppress(OSError):
            times.append(folder.stat().st_mtime)
    return max(times, default=0.0)


def look_everywhere(shot: Shot, author) -> None:
    """Have all places looked at again, since names are read in another way now."""
    for place in shot.places.all():
        look_again(place, author)


def choose(element: Element, key: str, author, **chosen: Any) -> None:
    """Say how a pass is to be read: state of its alpha, curve, fit, primaries. Raises BadArgument or BadDocument."""
    _keep_choice(element, key, chosen)
    checks.begin(element, author)


@at_once
def _keep_choice(element: Element, key: str, chosen: dict[str, Any]) -> None:
    """Beside those that were made meanwhile. element: gets them all."""
    now = locked(element)
    document_of(now).find(key)
    element.choices = now.choices = {**now.choices, key: {**now.choices.get(key, {}), **chosen}}
    try:
        document_of(now)
    except ValidationError as error:
        raise BadArgument(f"A pass cannot be read so: {spoken_fault(error.errors()[0])}", where=key) from None
    now.save(update_fields=["choices"])


def remove(element: Element) -> None:
    """Forget an element; its files stay where they are. Its place goes with the last one."""
    place = element.place
    element.delete()
    if place is not None and not place.elements.exists():
        place.delete()


def forget(place: Place) -> None:
    """Forget a place with all its elements; the files stay."""
    place.elements.all().delete()
    place.delete()


def set_aside(shot: Shot, text: str) -> Path:
    """Hide a file of the shot that cannot be read, under a name beside it that no station looks at. Returns that name.

    Raises BadArgument for a file that is sound, UnreadableFile for one that is no file of the shot's elements.
    """
    files = (*unreadable_files_of(shot), *files_of_shot(shot))
    path = next((file for file in files if printable(str(file)) == text and file.exists()), None)
    if path is None:
        raise UnreadableFile("This file belongs to no element of the shot.", where=text[:200])
    found = found_file(kept_inside(path, shot.production))
    if found is not None and not found.fault:
        raise BadArgument("This file can be read to its last pixel; it stays.", where=path.name)
    hidden = path.with_name(f".{path.name}.{secrets.token_hex(2)}.aside")
    path.rename(hidden)
    drop_file(shot, path)
    for place in shot.places.all():
        place.report["faults"] = [f for f in place.report.get("faults", ()) if f["path"] != storable(str(path))]
        place.save(update_fields=["report"])
    return hidden
