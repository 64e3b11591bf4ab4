"""Names that lose, hide or confuse files."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator

from prism.errors import BadArgument
from prism.judging.finding import ERROR, NOTE, WARNING, Finding
from prism.naming.patterns import Pattern, Piece, parse_pattern, require_frame_number, require_portable
from prism.plan.expansion import PlannedFiles
from prism.plan.plan import Plan

_TOLD_BY = ("layer", "camera", "pass", "suffix")
_SUFFIX = re.compile(r"\.(\w+)$")
_AGAIN = re.compile(r"(?<![a-z0-9])([a-z][a-z0-9]*)[^a-z0-9]+\1(?![a-z0-9])")


def name_findings(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """Names that are bad, collide, lack a version or say a thing twice."""
    pattern, frames = parse_pattern(plan.names), plan.shot.written_frames
    widest = max((frames[0], frames[-1]), key=lambda frame: len(str(frame)))
    yield from _bad(pattern, files, widest)
    yield from _collisions(plan, files)
    yield from _suffixes(plan, files)
    yield from _shared_folder(plan, files)
    yield from _unversioned(plan, pattern)
    yield from _redundant(plan, pattern, files)


def _bad(pattern: Pattern, files: list[PlannedFiles], widest: int) -> Iterator[Finding]:
    """Frame number, padding, characters and length; one finding, for the first name that has a fault."""
    try:
        require_frame_number(pattern, widest)
        for planned in files:
            require_portable(planned.example, pattern.text)
        if files:
            require_portable(max(files, key=lambda longest: len(longest.example)).path(widest), pattern.text)
    except BadArgument as error:
        fix = _renamed(pattern, len(str(widest)))
        yield Finding("names.bad", ERROR, error.what, error.where, error.advice, fix)


def _collisions(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """Two outputs of one name, or of names that macOS and Windows take for the same."""
    same: dict[str, list[PlannedFiles]] = defaultdict(list)
    for planned in files:
        same[planned.example.casefold()].append(planned)
    members = next((members for members in same.values() if len(members) > 1), None)
    if members is None:
        return
    differing = [name for name in _TOLD_BY if len({str(member.values[name]).casefold() for member in members}) > 1]
    added = " and ".join(f"{{{name}}}" for name in differing)
    why = (
        f"They differ by {' and '.join(differing)}; add {added}." if differing else "Their layers differ by case alone."
    )
    yield Finding(
        "names.collision", ERROR, f"{len(members)} outputs have the name {members[0].example}.", plan.names, why,
        _told_apart(plan, differing),
    )  # fmt: skip


def _shared_folder(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """The files of two images in one folder are taken for one image by whoever opens that folder."""
    images: dict[str, dict[tuple[str, str], PlannedFiles]] = defaultdict(dict)
    for planned in files:
        place = (str(planned.place["layer"]), str(planned.place["camera"]))
        images[planned.example.rpartition("/")[0].casefold()][place] = planned
    folder, members = next(((name, members) for name, members in images.items() if len(members) > 1), ("", {}))
    if not members:
        return
    fields = [
        field for place, field in enumerate(("layer", "camera")) if len({member[place] for member in members}) > 1
    ]
    before, _, name = plan.names.rpartition("/")
    apart = "/".join(filter(None, (before, *(f"{{{field}}}" for field in fields), name)))
    yield Finding(
        "names.shared-folder",
        WARNING,
        f"{len(members)} images share the folder {folder or 'of the shot'}.",
        plan.names,
        f"They differ by {' and '.join(fields)}; give each a folder so that their passes are not mixed up.",
        {"names": apart},
    )


def _suffixes(plan: Plan, files: list[PlannedFiles]) -> Iterator[Finding]:
    """A suffix that is written out must be that of the format."""
    for meant, planned in {planned.group.storage.suffix: planned for planned in files}.items():
        written = _SUFFIX.search(planned.example)
        if written is None or written[1].lower() not in (meant, *_ALIKE.get(meant, ())):
            stem = plan.names if written is None or plan.names.endswith("}") else plan.names[: -len(written[0])]
            yield Finding(
                "names.suffix", ERROR, f"{planned.example.rpartition('/')[2]} will hold {planned.group.storage.title}.",
                plan.names, f"Its name should end in .{meant}; {{suffix}} is always that of the format.",
                {"names": f"{stem}.{{suffix}}"},
            )  # fmt: skip
            return


_ALIKE = {"tif": ("tiff",), "jpg": ("jpeg",)}


def _unversioned(plan: Plan, pattern: Pattern) -> Iterator[Finding]:
    if "version" not in pattern.fields:
        yield Finding(
            "names.version", WARNING, "The names do not tell the version.", plan.names,
            "The next version would overwrite this one.", _put_in(plan, "_v{version:03}"),
        )  # fmt: skip


def _redundant(plan: Plan, pattern: Pattern, files: list[PlannedFiles]) -> Iterator[Finding]:
    """Words that stand twice in a name and make it longer, not clearer."""
    for part in plan.names.split("/"):
        fields = re.findall(r"\{(\w+)", part)
        doubled = next((name for name in fields if fields.count(name) > 1), None)
        if doubled:
            once = re.sub(rf"[_.-]?\{{{doubled}(:\w+)?\}}(?=.*\{{{doubled}\b)", "", part, count=1).lstrip("_.-")
            yield Finding(
                "names.redundant", NOTE, f"{{{doubled}}} stands twice in one name.", part,
                "It makes the name longer, not clearer.", {"names": plan.names.replace(part, once, 1)},
            )  # fmt: skip
            return
    for planned in files:
        name = planned.example.rpartition("/")[2]
        again = _AGAIN.search(name.lower())
        if again:
            yield Finding(
                "names.redundant",
                NOTE,
                f"“{name[slice(*again.span(1))]}” stands twice in a row in {name}.",
                plan.names,
                "A field repeats what another says already; leave one of them out.",
            )
            return


def _renamed(pattern: Pattern, width: int) -> dict[str, str]:
    """The names with a frame number that is wide enough, if that is what they lack."""
    if "frame" not in pattern.fields:
        stem, dot, suffix = pattern.text.rpartition(".")
        return {"names": f"{stem}.{{frame:0{max(4, width)}}}{dot}{suffix}"} if dot else {}
    if pattern.frame_width < width:
        wider = (Piece(piece.text, piece.field, width) if piece.field == "frame" else piece for piece in pattern.pieces)
        return {"names": "".join(map(_shown, wider))}
    return {}


def _told_apart(plan: Plan, fields: list[str]) -> dict[str, str]:
    """The names with the missing fields put in."""
    if fields == ["suffix"]:
        written = _SUFFIX.search(plan.names)
        return {"names": f"{plan.names[: written.start()]}.{{suffix}}"} if written else {}
    return _put_in(plan, "".join(f"_{{{name}}}" for name in fields)) if fields else {}


def _put_in(plan: Plan, text: str) -> dict[str, str]:
    """Text put before the frame number, where readers look for it."""
    before, dot, after = plan.names.rpartition(".{frame")
    return {"names": f"{before}{text}{dot}{after}"} if dot else {}


def _shown(piece: Piece) -> str:
    if piece.field is None:
        return piece.text
    return f"{piece.text}{{{piece.field}{f':0{piece.width}' if piece.width > 1 else ''}}}"
