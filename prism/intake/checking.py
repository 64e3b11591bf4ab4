"""One frame of an element read to its last pixel: what every pass holds, kept as plain values that can be stored."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from prism.balance.balance import balance
from prism.deep.files import read_samples
from prism.deep.samples import BACK, FRONT
from prism.deep.survey import DeepFacts, survey
from prism.elements.alpha import AlphaEvidence, evidence
from prism.elements.element import Element, ElementPass
from prism.errors import PrismError, Superseded
from prism.formats.decoding import SAMPLES
from prism.formats.headers import Part
from prism.formats.reading import read_header, read_planes
from prism.formats.stamps import stamp_of
from prism.intake.agreeing import disagreements
from prism.intake.measuring import measure
from prism.intake.outliers import outliers_of
from prism.intake.says import said_by
from prism.judging.values import PlaneFacts
from prism.judging.version import version_of
from prism.ledger.bases import ASKED
from prism.ledger.first import first_ledger, starts_of
from prism.limits import Stale, never
from prism.passes.kinds import LIT, Role
from prism.pixels.channels import split_name
from prism.pixels.digest import digest_of
from prism.pixels.image import Image
from prism.sources.opening import open_frame
from prism.sources.store import PixelStore
from prism.text import storable

READER = version_of("prism.intake.checking", "prism.intake.measuring", "prism.intake.outliers", "prism.elements.alpha")
"""Of what is measured here: readings by another are made again, so that a new fact reaches every frame."""
WHERE = (SAMPLES, FRONT, BACK)  # where the samples of a deep pass are
MEASURES = ("depth", "position", "normals")
MOST_BYTES = 4 << 30  # of decoded planes of one frame that are held for its sums


@dataclass(frozen=True, slots=True)
class PassFacts:
    """One pass of one frame. planes: by the last part of the channel's name. fault: why nothing was read, if so."""

    size: tuple[int, int] = (0, 0)
    window: tuple[int, int, int, int] = (0, 0, 0, 0)  # data window from the picture's corner: left, top, width, height
    aspect: float = 1.0
    pixel: str = ""
    lossy: str = ""
    format: str = "OpenEXR"
    primaries: tuple[float, ...] | None = None
    planes: dict[str, PlaneFacts] = field(default_factory=dict)
    digest: str = ""
    alpha: AlphaEvidence | None = None
    border: int = 0  # pixels of one colour all around, where the picture itself begins
    fault: str = ""
    missing: tuple[str, ...] = ()  # channels that other frames have
    says: tuple[tuple[str, str], ...] = ()  # what its header says of camera, view, layer and shot
    deep: DeepFacts | None = None  # of a deep pass
    outliers: tuple[tuple[int, int], ...] = ()  # pixels of light that outshine all around them, from the data window

    @property
    def mean(self) -> float | None:
        """The mean of the colour, over all its channels."""
        means = [plane.mean for name, plane in self.planes.items() if name != "A" and plane.mean is not None]
        return float(np.mean(means)) if means else None


@dataclass(frozen=True, slots=True)
class SumFacts:
    """What the passes of one way sum to. reasons: what would close the gap."""

    by: str
    largest: float
    beyond: int
    place: tuple[int, int]
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class FrameFacts:
    """All of a frame. passes: by key. sums: of the ways that do not land on the beauty. apart: pairs of keys that
    measure one surface and do not agree. stamps: of its files, by path."""

    frame: int
    passes: dict[str, PassFacts]
    sums: tuple[SumFacts, ...] = ()
    stamps: dict[str, tuple[int, int]] = field(default_factory=dict)
    apart: tuple[tuple[str, str], ...] = ()

    def as_json(self) -> dict[str, Any]:
        """All fields, for JSON."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> FrameFacts:
        """What `as_json` gave."""
        passes = {}
        for key, stored in data["passes"].items():
            planes = {
                name: PlaneFacts(**{**facts, "strange": _places(facts["strange"])})
                for name, facts in stored["planes"].items()
            }
            alpha = (
                AlphaEvidence(**{**stored["alpha"], "reasons": tuple(stored["alpha"]["reasons"])})
                if stored["alpha"]
                else None
            )
            primaries = tuple(stored["primaries"]) if stored["primaries"] else None
            deep = DeepFacts(**stored["deep"]) if stored.get("deep") else None
            passes[key] = PassFacts(
                **stored
                | {"planes": planes, "alpha": alpha, "primaries": primaries, "deep": deep}
                | {name: tuple(stored[name]) for name in ("size", "window", "missing")}
                | {"says": tuple((name, value) for name, value in stored.get("says", ()))}
                | {"outliers": tuple((x, y) for x, y in stored.get("outliers", ()))}
            )
        sums = tuple(
            SumFacts(**{**s, "place": tuple(s["place"]), "reasons": tuple(s["reasons"])}) for s in data["sums"]
        )
        stamps = {path: tuple(stamp) for path, stamp in data["stamps"].items()}
        apart = tuple((one, other) for one, other in data.get("apart", ()))
        return cls(data["frame"], passes, sums, stamps, apart)


def _places(stored: dict[str, Sequence[int]] | None) -> dict[str, tuple[int, int]] | None:
    return {name: (place[0], place[1]) for name, place in stored.items()} if stored else None


def stamps_of(element: Element, frame: int) -> dict[str, tuple[int, int]]:
    """Time and size of every file of a frame that is there, by path as `storable` has it: the same while no file
    changes."""
    stamps = {}
    for path in element.files_at(frame):
        try:
            stamps[storable(str(path))] = stamp_of(path)[1:]
        except PrismError:
            continue
    return stamps


def check_frame(element: Element, frame: int, *, is_stale: Stale = never) -> FrameFacts:
    """Read every pass of a frame once, measure it, and sum it up. Never raises for the state of a file; Superseded."""
    stamps = stamps_of(element, frame)
    decoded = _Decoded()
    by_place: dict[tuple[Path, int], list[ElementPass]] = defaultdict(list)
    for pass_ in element.passes:
        if pass_.files.is_still or pass_.files.has(frame):
            by_place[pass_.files.path(frame), pass_.part].append(pass_)
    passes: dict[str, PassFacts] = {}
    for (path, part), together in by_place.items():
        if is_stale():
            raise Superseded("A newer request took over.")
        passes |= _facts_of_part(path, part, together, decoded)
    ordered = {pass_.key: passes[pass_.key] for pass_ in element.passes if pass_.key in passes}
    sums = tuple(_sums(element, frame, decoded, is_stale))
    return FrameFacts(frame, ordered, sums, stamps, tuple(_apart(element, frame, decoded)))


class _Decoded:
    """Reads a part of a file whole, once; what was read stays for the sums, up to a bound."""

    def __init__(self) -> None:
        self._held: dict[tuple[Path, int], Image] = {}
        self._bytes = 0

    def __call__(self, path: Path, part: Part, names=None, *, cache=None) -> Image:
        key = path, part.index
        if key not in self._held:
            image = read_planes(path, part)
            size = sum(plane.nbytes for plane in image.channels.values())
            if self._bytes + size > MOST_BYTES:
                return image
            self._bytes += size
            self._held[key] = image
        return self._held[key]


def _facts_of_part(path: Path, index: int, passes: Sequence[ElementPass], decoded: _Decoded) -> dict[str, PassFacts]:
    try:
        parts = read_header(path)
        part = parts[index] if index < len(parts) else parts[0]
        image, deep = _deep(path, part) if part.deep else (dict(decoded(path, part).channels), None)
    except PrismError as error:
        return {pass_.key: PassFacts(fault=error.what) for pass_ in passes}
    wanted = {name for pass_ in passes for name in _names(pass_) if name in image}
    facts = measure({name: image[name] for name in wanted})
    found = {pass_.key: _facts_of_pass(pass_, part, image, facts) for pass_ in passes}
    return found if deep is None else {key: replace(each, deep=deep) for key, each in found.items()}


def _deep(path: Path, part: Part) -> tuple[dict[str, np.ndarray], DeepFacts]:
    samples = read_samples(path, part, needs_depth=False)
    return samples.runs | {SAMPLES: samples.counts}, survey(samples, has_depth=FRONT in part.channels)


def _names(pass_: ElementPass) -> tuple[str, ...]:
    return (*pass_.channels, *((pass_.alpha,) if pass_.alpha else ()))


def _facts_of_pass(pass_: ElementPass, part: Part, image: dict, facts: dict[str, PlaneFacts]) -> PassFacts:
    there = [name for name in _names(pass_) if name in image]
    display, data = part.display_window, part.data_window
    own = {name: image[name] for name in (*there, *(WHERE if part.deep else ())) if name in image}
    colour = [image[name] for name in pass_.channels if name in image]
    weighed = None
    if pass_.alpha in image and len(colour) == 3 and pass_.state != "none" and not part.deep:
        weighed = evidence(np.stack(colour), image[pass_.alpha], part)
    return PassFacts(
        size=(display.width, display.height),
        window=(data.x0 - display.x0, data.y0 - display.y0, data.width, data.height),
        aspect=part.pixel_aspect,
        pixel=part.stored or (part.channels[there[0]] if there else ""),
        lossy=part.lossy_for(there),
        format=part.format,
        primaries=part.says("chromaticities"),
        planes={_component(name): facts[name] for name in there},
        digest=digest_of(own),
        alpha=weighed,
        border=_border(colour) if colour and not part.deep and pass_.kind in (None, "wire") else 0,
        missing=tuple(name for name in _names(pass_) if name not in image),
        says=tuple((name, said) for name, said in said_by(part).items() if name != "passes" or "," not in said),
        outliers=outliers_of(colour) if _may_sparkle(pass_, part, colour) else (),
    )


def _may_sparkle(pass_: ElementPass, part: Part, colour: Sequence[np.ndarray]) -> bool:
    """Whether a pass is rendered light, in which single pixels may be far too bright."""
    kind = pass_.pass_kind
    return bool(colour) and not part.deep and kind is not None and kind.role in (Role.WHOLE, *LIT)


def _component(name: str) -> str:
    return split_name(name)[1]


def _border(colour: Sequence[np.ndarray]) -> int:
    """Width of a frame of one colour around a picture, in pixels, none if there is no other colour inside or it is
    black."""
    plane = np.stack(colour).astype(np.float32)
    first = plane[:, 0, 0]
    if not first.any():
        return 0
    same = (plane == first[:, None, None]).all(axis=0)
    width = 0
    most = min(same.shape) // 4
    while width < most and all(
        edge.all() for edge in (same[width], same[-1 - width], same[:, width], same[:, -1 - width])
    ):
        width += 1
    return width if width < most else 0


def _sums(element: Element, frame: int, decoded: _Decoded, is_stale: Stale):
    """By each way in which a first ledger can be made; nothing where none can, or where a pass of light is not
    there."""
    try:
        sources = open_frame(element, frame, store=PixelStore(MOST_BYTES), reader=decoded)
    except PrismError:
        return
    if sources.faults:
        return
    for start in starts_of(sources):
        if start.by in ASKED:
            continue  # which is exact only where a renderer writes it so
        try:
            found = balance(
                first_ledger(sources, by=start.by, denoised=start.denoised), sources, causes=1, is_stale=is_stale
            )
        except Superseded:
            raise
        except PrismError:
            continue
        if not found.balanced:
            reasons = tuple(suggestion.what for suggestion in found.suggestions)
            yield SumFacts(start.title, found.difference.largest, found.beyond, (found.x, found.y), reasons)


def _apart(element: Element, frame: int, decoded: _Decoded) -> list[tuple[str, str]]:
    """Keys of passes that measure one surface and do not agree."""
    chosen = {kind: pass_ for kind in MEASURES for pass_ in element.passes if pass_.kind == kind and not pass_.excluded}
    if "position" not in chosen or len(chosen) < 2:
        return []
    try:
        sources = open_frame(
            element.replace(passes=tuple(chosen.values())), frame, store=PixelStore(MOST_BYTES), reader=decoded
        )
        planes = {kind: sources.pixels(pass_.key).planes for kind, pass_ in chosen.items() if pass_.key in sources}
    except PrismError:
        return []
    shaped = {kind: three[0] if kind == "depth" else np.stack(three) for kind, three in planes.items()}
    return [(chosen[one].key, chosen[other].key) for one, other in disagreements(shaped)]


def frames_to_check(element: Element) -> tuple[int, ...]:
    """All of them; one for stills alone."""
    return element.frames or (0,)
