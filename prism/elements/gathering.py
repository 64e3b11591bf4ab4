"""From sequences to elements: what every layer of every file is, and which of them make one image.

Two sequences belong to one element if nothing tells them apart but the names of their passes: what is left of folder
and file name when the words of the pass are taken out must be the same, and so must version and view.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from prism.elements import disk
from prism.elements.claims import Claim, NameReader, bare_picture, planned_claims, telling_names
from prism.elements.element import AlphaState, Element, ElementPass, Files
from prism.elements.file_layers import FileLayer, layers_of
from prism.elements.identify import CERTAIN, Match, known, words_of
from prism.elements.planned import PlannedImageName, PlannedNames
from prism.elements.rules import Rule
from prism.errors import PrismError
from prism.formats.headers import Part
from prism.formats.reading import read_header
from prism.naming.safety import as_word
from prism.passes.catalogue import CATALOGUE
from prism.passes.kinds import Role
from prism.text import printable

Headers = Callable[[Path], list[Part]]
_RANKS = {kind.key: rank for rank, kind in enumerate(CATALOGUE)}
NAMELESS = "files"  # an element of which no word tells anything
LONGEST_NAME = 100  # characters of what is made of many words
TRIED = 5  # files of a sequence that are opened until one can be read


@dataclass(frozen=True, slots=True)
class Unread:
    """A sequence of which nothing could be read, with why."""

    sequence: disk.Sequence
    error: PrismError


@dataclass(frozen=True, slots=True)
class Gathered:
    """What a scan became. ignored: sequences that a rule leaves out."""

    elements: tuple[Element, ...]
    faults: tuple[Unread, ...] = ()
    ignored: tuple[disk.Sequence, ...] = ()


def gather(
    sequences: Sequence[disk.Sequence],
    *,
    root: Path,
    rules: Sequence[Rule] = (),
    plan: PlannedNames | None = None,
    headers: Headers = read_header,
    as_one: bool = False,
) -> Gathered:
    """Sort all layers of all sequences into elements. root: folders above it tell nothing. as_one: all files are known
    to be of one image, whatever they are called. Never raises for the state of a file: it is among the faults."""
    telling = telling_names(sequences, root)
    labels = {rule.light for rule in rules if rule.light} | (set(plan.labels) if plan else set())
    reader = NameReader(root, rules, labels, alone=len(sequences) == 1)
    faults: list[Unread] = []
    ignored: list[disk.Sequence] = []
    claims: list[Claim] = []
    for sequence in sequences:
        try:
            layers = list(layers_of(_readable_header(sequence, headers)))
        except PrismError as error:
            faults.append(Unread(sequence, error))
            continue
        planned = plan.find(sequence) if plan else None
        if planned is not None:
            found = planned_claims(sequence, layers, planned)
        else:
            found = reader.claims(sequence, layers, telling[sequence.first_path])
            image = plan.image_of(sequence) if plan else None
            found = [_of_light(claim, image) for claim in found] if image else found
        ignored += [] if found else [sequence]
        claims += found
    groups = {("",): claims} if as_one and claims else _groups(claims)
    elements = [_element(group) for group in groups.values()]
    return Gathered(tuple(_named(elements)), tuple(faults), tuple(ignored))


def _of_light(claim: Claim, image: PlannedImageName) -> Claim:
    """A light group of a planned image: without its scene, a plan does not know which lights there are."""
    if claim.match is None or claim.match.kind.role not in (Role.GROUP, Role.PART):
        return claim
    return replace(
        claim,
        words=(image.layer, image.camera),
        version=image.version,
        camera=image.camera,
        image=image.layer,
        planned=True,
    )


def _readable_header(sequence: disk.Sequence, headers: Headers) -> list[Part]:
    """The header of the first file that can be read. Raises what the first one raised if none of a few can."""
    faults: list[PrismError] = []
    for frame in list(sequence.files)[:TRIED]:
        try:
            return headers(sequence.path(frame))
        except PrismError as error:
            faults.append(error)
    raise faults[0]


def _groups(claims: Sequence[Claim]) -> dict[tuple, list[Claim]]:
    """Claims by image. One that is no known pass joins the image whose words it has, if there is just one nearest."""
    groups: dict[tuple, list[Claim]] = defaultdict(list)
    unknown: list[Claim] = []
    for claim in claims:
        if claim.match is None and not claim.planned:
            unknown.append(claim)
        else:
            groups[_image_of(claim)].append(claim)
    homes = {claim.sequence.first_path: key for key, members in groups.items() for claim in members}
    for claim in unknown:
        home = homes.get(claim.sequence.first_path) or _nearest(claim, groups)
        groups[home or _image_of(claim)].append(claim)
    return groups


def _image_of(claim: Claim) -> tuple:
    return frozenset(claim.words), claim.version, claim.camera


def _nearest(claim: Claim, groups: Mapping[tuple, list[Claim]]) -> tuple | None:
    """The image whose words are all in this name; one without words of its own only for files beside it."""
    own = {word.lower() for word in words_of(printable(claim.sequence.head))} | set(claim.words)

    def fits(key: tuple, members: Sequence[Claim]) -> bool:
        beside = any(other.sequence.folder == claim.sequence.folder for other in members)
        alike = members[0].sequence.is_still == claim.sequence.is_still and any(other.match for other in members)
        return alike and key[1:] == (claim.version, claim.camera) and key[0] <= own and bool(key[0] or beside)

    return max(
        (key for key, members in groups.items() if fits(key, members)), key=lambda key: len(key[0]), default=None
    )


def _with_a_beauty(claims: Sequence[Claim]) -> list[Claim]:
    """Without a pass of that name, a picture that is called just as its image is the beauty; of several, an EXR
    file."""
    claims = list(claims)
    if any(claim.match and claim.match.kind.role is Role.WHOLE for claim in claims):
        return claims
    words = set.intersection(*(set(claim.words) for claim in claims))
    bare = [
        place
        for place, claim in enumerate(claims)
        if not claim.match and claim.layer.is_picture and set(claim.words) <= words
    ]
    if bare:
        place = min(bare, key=lambda place: claims[place].layer.part.format != "OpenEXR")
        claims[place] = replace(
            claims[place], match=bare_picture(CERTAIN, "the one picture that is called as its image is")
        )
    return claims


def _lit_apart(claims: Sequence[Claim]) -> Sequence[Claim]:
    """Where a set has `lighting` and `GI`, those are the direct and the indirect light, and what is called `diffuse`
    beside them is the colour that they fall on (common practice, no source)."""
    said = {claim.match.key: claim.match for claim in claims if claim.match is not None}
    alone = {"raw_light": 0.6, "diffuse_indirect": 0.65}  # certainty of the word by itself
    if not all(key in said and said[key].certainty <= most for key, most in alone.items()):
        return claims
    others = {"raw_light": "diffuse_direct", "diffuse": "surface_colour"}
    reason = "in a set with lighting and indirect light"
    return [
        replace(claim, match=replace(known(others[claim.match.key]), certainty=0.9, reason=reason))
        if claim.match is not None and claim.match.key in others
        else claim
        for claim in claims
    ]


def _element(claims: Sequence[Claim]) -> Element:
    """One element of its claims: for every pass the surest, the others under names of their own."""
    claims = _lit_apart(_with_a_beauty(claims))
    first = claims[0]
    ranked = sorted(claims, key=lambda claim: (claim.stray, -_sureness(claim), not _is_standard(claim)))
    taken: dict[str, ElementPass] = {}
    for claim in ranked:
        pass_ = _pass_of(claim)
        if pass_.key in taken:
            winner = taken[pass_.key]
            why = (
                "a copy that rides along with data" if claim.stray else f"{winner.title} is read from {_where(winner)}"
            )
            pass_ = pass_.replace(key=_free(_own_key(claim), taken), excluded=why)
        taken[pass_.key] = pass_
    passes = sorted(taken.values(), key=_place_of)
    return Element(
        name=" ".join(first.words)[:LONGEST_NAME] or NAMELESS,
        layer=as_word(first.image)[:LONGEST_NAME],
        camera=as_word(first.camera)[:LONGEST_NAME],
        number=first.version,
        planned=all(claim.planned for claim in claims),
        passes=tuple(passes),
    )


def _place_of(pass_: ElementPass) -> tuple:
    """In the order of the catalogue, what is not known last, and what was cleaned behind the noisy ones."""
    return pass_.denoised, _RANKS.get(pass_.kind or "", len(_RANKS)), pass_.excluded, pass_.key


def _sureness(claim: Claim) -> float:
    return 2.0 if claim.planned and claim.match else claim.match.certainty if claim.match else 0.0


def _is_standard(claim: Claim) -> bool:
    """Whether the layer is named just as the catalogue has it, which decides between Z and depth in one file."""
    match = claim.match
    if match is None or match.kind is None:
        return False
    return claim.layer.channels == match.kind.channel_names(match.key, alone=False)


def _where(pass_: ElementPass) -> str:
    return ", ".join(pass_.channels) if pass_.layer else pass_.files.pattern


def _own_key(claim: Claim) -> str:
    name = printable(claim.layer.name) or printable(claim.sequence.head.rstrip("._- ")) or claim.own
    return name.replace("/", "_")


def _free(wanted: str, taken: Collection[str]) -> str:
    names = (wanted if number == 1 else f"{wanted}_{number}" for number in range(1, len(taken) + 2))
    return next(name for name in names if name not in taken)


def _pass_of(claim: Claim) -> ElementPass:
    layer, match = claim.layer, claim.match
    key = match.key if match else printable(claim.own).replace("/", "_") or "picture"
    return ElementPass(
        key=key[:200],
        title=match.title if match else key[:200],
        kind=match.kind.key if match else None,
        files=Files.of(claim.sequence),
        part=layer.part.index,
        channels=layer.channels,
        alpha=layer.alpha,
        state=_state_of(layer, match),
        deep=layer.part.deep,
        denoised=match.denoised if match else False,
        certainty=min(1.0, _sureness(claim)),
        reason=match.reason if match else "no word of it is known",
        others=match.others if match else (),
        layer=printable(layer.name)[:200],
    )


def _state_of(layer: FileLayer, match: Match | None) -> AlphaState:
    """By the format's rule; a close look at the pixels may say otherwise. The A of ranks is a coverage, no alpha."""
    if layer.alpha is None or (match is not None and match.kind.ranked):
        return "none"
    return "straight" if layer.part.straight else "premultiplied"


def _named(elements: Iterable[Element]) -> list[Element]:
    """Short names, unique: the words that tell an element from the others, else the last of those that all share; with
    view and version."""
    elements = list(elements)
    split = [element.name.split() for element in elements]
    shared = set.intersection(*map(set, split)) if len(split) > 1 else set()
    names: list[str] = []
    for element, words in zip(elements, split, strict=True):
        own = [word for word in words if word not in shared] or _last(words)
        parts = [*own, *([element.camera] if element.camera and element.camera not in own else [])]
        version = [f"v{element.number:03}"] if element.number is not None else []
        parts = version if version and parts == [NAMELESS] else [*parts, *version]
        names.append(_free(" ".join(parts)[:LONGEST_NAME].replace("/", "_"), names))
    return [element.replace(name=name) for element, name in zip(elements, names, strict=True)]


def _last(words: Sequence[str]) -> Sequence[str]:
    """The last of them; a number with the word before it."""
    return words[-2:] if words[-1].isdigit() else words[-1:]


def claimed_twice(element: Element) -> list[tuple[ElementPass, ...]]:
    """Passes that several claim, the one that is read before the others. Copies of the beauty that ride along with data
    claim nothing."""
    by_kind: dict[str, list[ElementPass]] = defaultdict(list)
    for pass_ in element.passes:
        if pass_.excluded and not pass_.excluded.startswith("a copy"):
            by_kind[pass_.title].append(pass_)
    return [
        (winner, *asides)
        for title, asides in by_kind.items()
        if (winner := next((p for p in element.passes if p.title == title and not p.excluded), None))
    ]
