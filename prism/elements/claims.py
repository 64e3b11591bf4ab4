"""What every layer of one sequence is taken for: by the plan, by a rule, or by names."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from prism.elements import disk
from prism.elements.file_layers import FileLayer
from prism.elements.identify import Match, cleaned, identify, is_cleaned, known, version_of, view_of, words_of
from prism.elements.planned import PlannedSequence
from prism.elements.rules import IGNORE, Rule, ruled
from prism.elements.vocabulary import NEUTRAL, VIEWS
from prism.passes.kinds import Role
from prism.text import printable


@dataclass(frozen=True, slots=True)
class Claim:
    """A layer of a sequence with what it is taken for. words: what tells its image apart. beside: kinds in its file."""

    sequence: disk.Sequence
    layer: FileLayer
    match: Match | None
    own: str  # its own name, where no pass is recognised
    words: tuple[str, ...]
    version: int | None
    camera: str = ""
    image: str = ""
    planned: bool = False
    stray: bool = False


def without_common_prefix(names: Sequence[str]) -> list[str]:
    """Drop the words that all names begin with: the shot or version in file names of one frame."""
    if len(names) < 2:
        return list(names)
    split = [re.split(r"(?<=[^A-Za-z0-9])", name) for name in names]
    shared = 0
    while len({parts[shared] if shared < len(parts) else None for parts in split}) == 1 and shared < len(split[0]):
        shared += 1
    return ["".join(parts[shared:]) or name for name, parts in zip(names, split, strict=True)]


def telling_names(sequences: Sequence[disk.Sequence], root: Path) -> dict[Path, str]:
    """What names a sequence among those of its folder, by its first file: the words it does not share with all others;
    the whole of a lone one."""
    folders: dict[Path, list[disk.Sequence]] = defaultdict(list)
    for sequence in sequences:
        folders[sequence.folder].append(sequence)
    if all(len(together) == 1 for together in folders.values()):
        folders = {root: list(sequences)}
    names: dict[Path, str] = {}
    for together in folders.values():
        for sequence, name in zip(together, without_common_prefix([_stem(s) for s in together]), strict=True):
            names[sequence.first_path] = name
    return names


def planned_claims(sequence: disk.Sequence, layers: Sequence[FileLayer], planned: PlannedSequence) -> list[Claim]:
    """The plan says what lies where; layers it does not know are named by themselves."""
    camera, image = planned.camera, planned.layer
    claims = []
    for layer in layers:
        match = planned.match((*layer.channels, *((layer.alpha,) if layer.alpha else ())), layer.part)
        match = match or _light_group(layer, denoised=planned.files.group.denoised)
        own = layer.name or planned.title
        claims.append(
            Claim(
                sequence, layer, match, own, (image, camera), planned.version, camera=camera, image=image, planned=True
            )
        )
    return _with_strays(claims)


def _light_group(layer: FileLayer, *, denoised: bool) -> Match | None:
    """A light group by its name: without its scene, a plan does not know which lights there are. denoised: whether its
    file is."""
    match = identify(printable(layer.name)) if layer.name else None
    if match is None or match.kind.role not in (Role.GROUP, Role.PART):
        return None
    return cleaned(match) if denoised else match


@dataclass(frozen=True, slots=True)
class NameReader:
    """Reads names of files, folders and layers. root: folders above it tell nothing. labels: of lights that are known.

    alone: there is no other sequence, so that a bare picture needs no name.
    """

    root: Path
    rules: Sequence[Rule]
    labels: Collection[str]
    alone: bool

    def claims(self, sequence: disk.Sequence, layers: Sequence[FileLayer], telling: str) -> list[Claim]:
        """The claims of all layers that no rule leaves out. telling: what names the sequence among those of its
        folder."""
        folders = self._folders(sequence)
        ruling = ruled(self.rules, sequence.pattern)
        if ruling is IGNORE:
            return []
        of_file, said_by = (ruling, telling) if ruling else self._of_file(sequence, telling, folders)
        words = _image_words(sequence, folders, of_file, said_by, by_rule=ruling is not None)
        version = version_of(sequence.head) or next((v for name in reversed(folders) if (v := version_of(name))), None)
        denoised = is_cleaned(sequence.head) or any(map(is_cleaned, folders))
        claims = []
        ranked = any(layer.name[-1:].isdigit() for layer in layers)
        for layer in layers:
            match = self._of_layer(layer, of_file, single=len(layers) == 1)
            if ranked and match is not None and match.key == match.kind.key and match.kind.ranked:
                match = None  # a picture of the names, for looking; the names themselves are in the numbered layers
            if match is IGNORE:
                continue
            if match is not None and denoised:
                match = cleaned(match)
            view = (
                layer.view or view_of(_stem(sequence)) or next(filter(None, map(_view_folder, reversed(folders))), "")
            )
            own = layer.name or ("alpha" if layer.is_alpha else telling) or "picture"
            claims.append(Claim(sequence, layer, match, own, words, version, camera=view))
        return _apart_by_layer(_with_strays(claims))

    def _folders(self, sequence: disk.Sequence) -> tuple[str, ...]:
        try:
            return sequence.folder.relative_to(self.root).parts
        except ValueError:
            return ()

    def _of_file(self, sequence: disk.Sequence, telling: str, folders: Sequence[str]) -> tuple[Match | None, str]:
        """What the file's name says, or a folder above where it says nothing; and the very name that said it."""
        found = [(match, name) for name in dict.fromkeys((telling, _stem(sequence))) if (match := self._of_name(name))]
        if found:
            return max(found, key=lambda pair: pair[0].certainty)
        above = ((self._of_name(name), name) for name in reversed(folders))
        return next((pair for pair in above if pair[0]), (None, ""))

    def _of_name(self, name: str) -> Match | None:
        return identify(printable(name), self.labels, of_file=True)

    def _of_layer(self, layer: FileLayer, of_file: Match | None, *, single: bool) -> Match | None:
        """By a rule, by its own name, or by the file that it is alone in."""
        if layer.part.deep:
            return replace(known("deep"), reason="its pixels have many samples")
        if layer.name:
            match = ruled(self.rules, layer.name) or identify(printable(layer.name), self.labels)
            if match is not None:
                return match
        if single and of_file is not None:
            return of_file
        if layer.is_picture and (not single or self.alone):
            return bare_picture(0.8 if single else 0.95, "bare R, G, B are the picture itself")
        return None


def _view_folder(name: str) -> str:
    """A folder that is called after one of two eyes, and nothing else."""
    return VIEWS.get(name.lower(), "")


def bare_picture(certainty: float, reason: str) -> Match:
    """The beauty, known by something else than its name."""
    return replace(known("beauty"), certainty=certainty, reason=reason)


def _stem(sequence: disk.Sequence) -> str:
    return printable(sequence.head.rstrip("._- "))


def _image_words(
    sequence: disk.Sequence, folders: Sequence[str], of_file: Match | None, said_by: str, *, by_rule: bool
) -> tuple[str, ...]:
    """What tells the image apart: the words of folders and file name that are not those of the pass.

    said_by: the name that said it; a rule explains the whole of it, words leave the rest that the match has.
    """
    words: list[str] = []
    for folder in map(printable, folders):
        match = identify(folder, of_file=True)
        same = match is not None and (of_file is None or match.key == of_file.key)
        words += match.rest if match is not None and same else words_of(folder)
    stem = _stem(sequence)
    if of_file is not None and stem.endswith(said_by):
        words += words_of(stem.removesuffix(said_by)) + list(() if by_rule else of_file.rest)
    else:
        words += words_of(stem)
    plain = (word.lower() for word in words if not is_cleaned(word))
    return tuple(dict.fromkeys(word for word in plain if word not in NEUTRAL and word not in VIEWS))


def _with_strays(claims: list[Claim]) -> list[Claim]:
    """Data files may drag a copy of the beauty along: it is marked where all else in its file is data."""
    others = [claim for claim in claims if not (claim.match and claim.match.key.startswith("beauty"))]
    all_data = bool(others) and all(claim.match and claim.match.kind.is_data for claim in others)
    return [
        replace(claim, stray=True) if all_data and claim.match and claim.match.kind.role is Role.WHOLE else claim
        for claim in claims
    ]


def _apart_by_layer(claims: list[Claim]) -> list[Claim]:
    """A file that has the same passes under several names in front (`char.diffuse`, `env.diffuse`) holds several
    layers."""
    fronts: dict[tuple[str, ...], set[str]] = defaultdict(set)
    for claim in claims:
        if claim.match is not None and claim.layer.name and not claim.camera:
            fronts[tuple(word.lower() for word in claim.match.rest)].add(claim.match.key)
    named = {front: keys for front, keys in fronts.items() if front}
    shared = {key for keys in fronts.values() for key in keys if sum(key in other for other in fronts.values()) > 1}
    if len(fronts) < 2 or not named or len(shared) < 2:
        return claims
    return [
        replace(claim, words=(*claim.words, *front), image="_".join(front))
        if claim.match is not None and (front := tuple(word.lower() for word in claim.match.rest)) in named
        else claim
        for claim in claims
    ]
