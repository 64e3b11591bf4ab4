"""The bench of what is ordered by depth: the group that it begins with, what is inside of it, and back into the
ledger."""

from __future__ import annotations

import struct
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from desk.rebuild import services
from desk.rebuild.models import Ledger
from prism.combine.in_depth import drawn_at, merged_samples
from prism.deep import costs
from prism.deep.samples import Samples
from prism.errors import BadArgument
from prism.ledger import document as documents
from prism.ledger.adding import free_id, name_of_deep
from prism.ledger.rows import DeepRow, DepthRow
from prism.sources.frame import OpenFrame
from prism.viewing import depth
from prism.viewing.picture import Look

MOST_POINTS = 500_000
FACTS_STEP = 4  # of large frames
BINS = 48  # of the histogram of samples


def begun(document: documents.Ledger, sources: OpenFrame, row: str) -> documents.Ledger | None:
    """The ledger of a bench: the group by depth of that id, or the first there is, by itself; else one of all deep
    passes of the frame. None if there is neither."""
    groups = [each for each in document.walk() if isinstance(each, DepthRow)]
    group = next((each for each in groups if each.id == row), next(iter(groups), None))
    if group is None:
        deep = [source for source in sources if source.is_deep]
        if not deep:
            return None
        group = DepthRow(id=free_id(document, "by depth"), in_balance=False)
        for source in deep:
            so_far = document.replace(rows=(group,))
            name = free_id(so_far, name_of_deep(source, so_far))
            group = group.replace(rows=(*group.rows, DeepRow(id=name, source=source.key, in_balance=False)))
    return document.replace(rows=(group,), reference=())


def put(ledger: Ledger, bench: documents.Ledger, row: str, user) -> int:
    """The group of a bench into the ledger as it is saved now: in place of its group of that id, or as a new last row.
    Returns the new revision. Raises BadArgument, Outdated."""
    group = bench.row(row)
    document = services.parse(ledger.shot, ledger.document)
    if any(each.id == row for each in document.walk()):
        if not isinstance(document.row(row), DepthRow):
            raise BadArgument(f"The ledger has another row {row}.", where=row, advice="Reload the page.")
        changed = document.with_row(group)
    else:
        changed = document.replace(rows=(*document.rows, group))
    return services.save(ledger, changed, ledger.revision, user)


def samples_of(bench: documents.Ledger, row: str, sources: OpenFrame) -> Samples:
    """All deep passes of a group, put together. Raises BadArgument if it has none."""
    group = depth.depths_of(bench, row, sources.number)
    merged = merged_samples(group, sources)
    if not len(merged):
        raise BadArgument("No deep pass of it has samples here.", where=row, advice="Switch one on, or change frames.")
    return merged


def facts_of(bench: documents.Ledger, row: str, sources: OpenFrame) -> dict[str, Any]:
    """What is to be known of all its samples: how many, and from where to where they are; of a large frame by some of
    its pixels (`about`)."""
    group = depth.depths_of(bench, row, sources.number)
    part, _ = drawn_at(sources, FACTS_STEP)
    samples = merged_samples(group, part)
    scale = sources.window.width * sources.window.height / (len(samples.offsets) - 1)
    ends = samples.depth[np.isfinite(samples.depth).all(axis=1)]
    return {
        "samples": round(scale * len(samples)),
        "about": part is not sources,
        "most": int(samples.counts.max(initial=0)),
        "histogram": _shares(np.bincount(np.diff(samples.offsets))),
        "mean": float(samples.counts.mean()),
        "near": float(ends[:, 0].min()) if len(ends) else 0.0,
        "far": float(ends[:, 1].max()) if len(ends) else 1.0,
    }


def _shares(counts: NDArray[np.int64]) -> list[float]:
    """The shares of pixels with none, one, two .. samples: shares of all, in at most BINS bins."""
    each = -(-len(counts) // BINS)
    padded = np.pad(counts, (0, -len(counts) % each)).reshape(-1, each)
    return (padded.sum(axis=1) / max(1, counts.sum())).tolist()


def points_of(bench: documents.Ledger, row: str, sources: OpenFrame, look: Look) -> bytes:
    """All samples as points for a canvas: the number N of points and of all samples (little-endian uint32), N x 3
    float32, N x 4 bytes of colour and alpha."""
    found = depth.cloud(bench, row, sources, look, most=MOST_POINTS)
    head = struct.pack("<2I", len(found.places), found.total)
    return head + found.places.astype("<f4").tobytes() + found.codes.tobytes()


def costs_of(bench: documents.Ledger, row: str, sources: OpenFrame, most_error: float) -> dict[str, Any]:
    """What limits would cost, and the cheapest whose errors are not above `most_error`; None if there is none."""
    found = costs.costs(samples_of(bench, row, sources))
    best = costs.cheapest(found, most_error)
    return {"costs": [asdict(each) for each in found], "best": None if best is None else found.index(best)}
