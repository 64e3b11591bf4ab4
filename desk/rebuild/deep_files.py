"""What is ordered by depth, written as deep or flat files: one task a frame, under a name and version of its own."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Self

import numpy as np

from desk.elements.services import frames_on_disk
from desk.jobs import engine
from desk.jobs.models import Job, Task
from desk.rebuild import services
from desk.rebuild.models import Ledger
from desk.shots.storage import kept_inside, shot_folder
from desk.web.requests import number, whole_number
from prism.combine.in_depth import all_samples, laid_in_depth
from prism.deep.files import write_samples
from prism.deep.operations import thinned
from prism.errors import BadArgument, UnreadableFile
from prism.formats.exr import write_exr
from prism.ledger import document as documents
from prism.naming.frames import parse_frames
from prism.pixels.image import Image
from prism.viewing.depth import depths_of

KIND = "deep-files"
WAYS = ("deep", "flat")
MOST_VERSIONS = 999


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """row: of the group. way: one of WAYS. frames: as a list, empty for all there are. tolerance, most: limits of deep
    files; 0 for none."""

    row: str
    way: str
    frames: str
    tolerance: float
    most: int

    @classmethod
    def from_body(cls, body: dict[str, Any]) -> Self:
        """Raises BadArgument."""
        way = str(body.get("way", "deep"))
        if way not in WAYS:
            raise BadArgument(f"Nothing is written as {way[:20]}.", where="way", advice=f"Use {', '.join(WAYS)}.")
        return cls(
            row=str(body.get("row", "")),
            way=way,
            frames=str(body.get("frames", ""))[:500],
            tolerance=number(body, "tolerance", 0.0, 0, 1e9),
            most=whole_number(body, "most", 0),
        )


def begin(ledger: Ledger, document: documents.Ledger, order: Order, author) -> Job:
    """Have every frame written below the shot's folder, in one that is new. Raises BadArgument, UnreadableFile."""
    there = frames_on_disk(ledger.element) if ledger.element else []
    wanted = set(parse_frames(order.frames)) if order.frames.strip() else set(there)
    frames = [frame for frame in there if frame in wanted]
    if not frames:
        raise BadArgument("None of these frames is there.", where="frames", advice="Leave the field empty for all.")
    if order.most < 0:
        raise BadArgument("The most samples are 0 or more.", where="most", advice="Use 0 for any number.")
    depths_of(document, order.row, frames[0])
    folder = _new_folder(ledger, order)
    tasks = [Task(number=frame, title=f"frame {frame}") for frame in frames]
    payload = {
        "ledger": ledger.pk, "document": document.as_json(), "row": order.row, "way": order.way, "most": order.most,
        "tolerance": order.tolerance, "folder": str(folder.relative_to(shot_folder(ledger.shot))),
    }  # fmt: skip
    job = engine.begin(KIND, ledger.shot, f"{folder.name}, {order.way}"[:200], tasks, author=author, **payload)
    engine.top_up()
    return job


def _new_folder(ledger: Ledger, order: Order) -> Path:
    """Made here, so that two orders never share one."""
    name = "".join(sign if sign.isalnum() else "_" for sign in order.row)[:60] or "depth"
    parent = kept_inside(shot_folder(ledger.shot) / "deep", ledger.shot.production)
    for version in range(1, MOST_VERSIONS + 1):
        folder = parent / f"{name}_{order.way}_v{version:03}"
        try:
            folder.mkdir(parents=True)
        except FileExistsError:
            continue
        return folder
    raise BadArgument(
        f"There are {MOST_VERSIONS} versions of {name} already.", where=str(parent), advice="Rename the row."
    )


def write(task: Task, is_over) -> str:
    """One frame. Returns a line for the log. Raises PrismError."""
    given = task.job.payload
    ledger = Ledger.objects.select_related("shot__production", "element").filter(pk=given["ledger"]).first()
    if ledger is None:
        raise UnreadableFile("The ledger was removed meanwhile.", where=task.job.title)
    document = services.parse(ledger.shot, given["document"])
    frame = services.frame_of(ledger, document, task.number)
    group = depths_of(document, given["row"], task.number)
    folder = kept_inside(shot_folder(ledger.shot) / given["folder"], ledger.shot.production)
    path = folder / f"{folder.name}.{task.number:04}.exr"
    if given["way"] == "flat":
        laid = laid_in_depth(group, frame, 1)
        planes = dict(zip("RGBA", (*laid.planes, laid.alpha), strict=True))
        channels = {name: np.ascontiguousarray(plane, np.float32) for name, plane in planes.items()}
        write_exr(path, Image(channels=channels, data_window=frame.window, display_window=frame.display_window))
        return f"{path.name}, flat."
    samples = all_samples(group, frame)
    made = thinned(samples, tolerance=given["tolerance"], most=given["most"])
    write_samples(path, made)
    return f"{path.name}, {len(made):,} of {len(samples):,} samples."
