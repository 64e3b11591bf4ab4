"""The first ledger of a frame, made from the roles of the passes found."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from prism.elements.identify import DENOISED
from prism.elements.vocabulary import OWN_NAMES
from prism.errors import BadArgument, NoBeauty, NoComponents
from prism.ledger.bases import ASKED, BASES, DEEP, MIXED, RAW, SUMS
from prism.ledger.dimmers import light_of
from prism.ledger.document import Ledger
from prism.ledger.rows import DeepRow, DepthRow, GroupRow, PassRow, Row
from prism.passes.catalogue import CATALOGUE
from prism.passes.kinds import Role
from prism.sources.pixels import Frame, OfElement, Source, kind_key, parts_of

_DIFFUSE = ("diffuse", "diffuse_direct", "diffuse_indirect")
_ORDER = {kind.key: rank for rank, kind in enumerate(CATALOGUE)}


@dataclass(frozen=True, slots=True)
class Start:
    """A way to begin a ledger. by: one of BASES. denoised: from the passes that were cleaned, which sum as well."""

    by: str
    denoised: bool

    @property
    def title(self) -> str:
        """The name as a person reads it."""
        return self.by.replace("-", " ") + (f", {DENOISED}" if self.denoised else "")


def starts_of(sources: Frame) -> list[Start]:
    """The ways a first ledger can be made of the main element of a frame; empty without a beauty."""
    return [
        Start(by, denoised)
        for denoised in (False, True)
        if (own := of_main(sources, denoised)) is not None
        for by in BASES
        if _passes_for(own, by, denoised)
    ]


def _passes_for(own: Frame, by: str, denoised: bool) -> Sequence[Source]:
    """What a ledger would be made of; empty if it cannot."""
    if by == DEEP:
        return [] if denoised else [source for source in own if source.is_deep and not source.excluded]
    return _raw_pair(own, denoised) if by == RAW else _light_of(own, denoised)[by]


def first_ledger(sources: Frame, *, by: str | None = None, denoised: bool = False, name: str = "first") -> Ledger:
    """A ledger that lands on the rendered beauty: light is added, row by row.

    by: one of BASES; the first of SUMS that there are passes of if None. denoised: land on the denoised beauty, from
    denoised passes. Occlusion and shadow follow as multiplying rows, switched off, since the beauty already holds them.
    Where all there is is deep, it is put in order by depth. Raises NoBeauty, NoComponents or BadArgument.
    """
    only_deep = _deep_alone(sources)
    if only_deep:
        return deep_ledger(only_deep, name)
    beauty = require_beauty(sources, denoised=denoised)
    sources = _element_of(sources, beauty)
    choices = _light_of(sources, denoised)
    if by is None:
        by = next((way for way in SUMS if choices[way]), BASES[0])
    if by not in BASES:
        raise BadArgument(f"A ledger cannot be made by {by}.", advice=f"Use {', '.join(BASES)}.")
    if by == DEEP and (deep := _passes_for(sources, DEEP, denoised)):
        return deep_ledger(deep, name).replace(beauty=beauty.key)
    light = choices["components" if by in ASKED else by]
    pair = _raw_pair(sources, denoised) if by == RAW else ()
    if not light or (by == RAW and not pair) or by == DEEP:
        found = ", ".join(source.key for source in sources)
        raise NoComponents(
            f"There are no {by.replace('-', ' ')} to rebuild the beauty from; found {found}.",
            where=beauty.where,
            advice="Render light components or light groups, or name the files after them.",
        )
    # The alpha is that of the beauty; files that repeat it in every pass would add it up.
    rows: list[Row] = [_pair_row(*pair)] if pair else []
    light = [source for source in light if not (pair and kind_key(source) in _DIFFUSE)]
    rows += [PassRow(id=_bare(source), source=source.key, uses_alpha=False) for source in light]
    for source in _with_role((source for source in sources if not source.excluded), Role.SCALE):
        if kind_key(source) in ("occlusion", "shadow"):
            rows.append(PassRow(id=_bare(source), source=source.key, operator="multiply", on=False, in_balance=False))
    return Ledger(name=name, rows=tuple(rows), beauty=beauty.key, alpha=beauty.key if beauty.alpha else None)


def _deep_alone(sources: Frame) -> list[Source]:
    """The deep passes of a frame that has no flat picture of its own."""
    deep = [source for source in sources if source.is_deep and not source.excluded]
    return deep if _beauty_of(sources, False) is None and _beauty_of(sources, True) is None else []


def deep_ledger(deep: Sequence[Source], name: str = "first") -> Ledger:
    """Deep passes, ordered by depth; compared with the first of them, flattened, unless another beauty is put there."""
    rows = tuple(DeepRow(id=_bare(source), source=source.key) for source in deep)
    group = DepthRow(id="by depth", rows=rows)
    return Ledger(name=name, beauty=deep[0].key, alpha=None, rows=(group,))


def of_main(frame: Frame, denoised: bool = False) -> Frame | None:
    """The element that a ledger of a frame is made of: that of its first beauty. None without a beauty."""
    beauty = _beauty_of(frame, denoised)
    return None if beauty is None else _element_of(frame, beauty)


def _element_of(frame: Frame, source: Source) -> Frame:
    return OfElement(frame, source.key.rpartition("/")[0])


def require_beauty(sources: Frame, *, denoised: bool = False) -> Source:
    """The rendered beauty. Raises NoBeauty, naming a file and what was found instead."""
    beauty = _beauty_of(sources, denoised)
    if beauty is None:
        found = ", ".join(source.key for source in sources)
        where = next((source.where for source in sources), "")
        raise NoBeauty(
            f"There is no rendered beauty{' ' + DENOISED if denoised else ''}; found {found}.",
            where=where,
            advice="Add the file with the beauty: plain R, G, B channels, or `beauty` in its name.",
        )
    return beauty


def standing_for(sources: Frame) -> Source:
    """The pass that shows best what a frame is of: the beauty, else a deep pass, else light, else any. Raises NoBeauty
    of a frame without passes."""
    ranks = (
        lambda source: source.kind is not None and source.kind.role is Role.WHOLE,
        lambda source: source.is_deep,
        lambda source: not source.is_data,
        lambda source: True,
    )
    best = next((source for fits in ranks for source in sources if fits(source)), None)
    return best if best is not None else require_beauty(sources)


def _beauty_of(sources: Frame, denoised: bool) -> Source | None:
    whole = (source for source in sources if source.kind is not None and source.kind.role is Role.WHOLE)
    return next((source for source in whole if source.denoised == denoised and not source.excluded), None)


def _bare(source: Source) -> str:
    """The pass of a key, for ids."""
    return source.key.rpartition("/")[2]


def _light_of(sources: Frame, denoised: bool) -> dict[str, list[Source]]:
    """The passes that sum to the beauty, by each of SUMS."""
    chosen = [source for source in sources if source.denoised == denoised and not source.excluded]
    groups, parts = _with_role(chosen, Role.GROUP), _with_role(chosen, Role.PART)
    return dict(zip((*SUMS, MIXED), (_components(chosen), groups, parts, _mixed(groups, parts)), strict=True))


def _mixed(groups: list[Source], parts: list[Source]) -> list[Source]:
    """Light groups, and components of those lights that have none; empty if either is missing."""
    whole = {light_of(source.key, source.kind) for source in groups}
    lacking = [source for source in parts if light_of(source.key, source.kind) not in whole]
    return [*groups, *lacking] if groups and lacking else []


def _raw_pair(sources: Frame, denoised: bool) -> tuple[Source, ...]:
    """Surface colour and raw light; empty without both."""
    chosen = (source for source in sources if source.denoised == denoised and not source.excluded)
    found = {kind_key(source): source for source in chosen if source.kind is not None}
    keys = ("surface_colour", "raw_light")
    return tuple(found[key] for key in keys) if all(key in found for key in keys) else ()


def _pair_row(colour: Source, raw: Source) -> Row:
    """Diffuse light apart from the colour it falls on, so that either can be changed without the other."""
    rows = (
        PassRow(id=_bare(colour), source=colour.key, uses_alpha=False),
        PassRow(id=_bare(raw), source=raw.key, operator="multiply", uses_alpha=False),
    )
    return GroupRow(id="diffuse", name="diffuse, surface colour × raw light", rows=rows)


def _components(sources: Iterable[Source]) -> list[Source]:
    """Components without doubles: a total stands aside where its own parts are complete, and for its parts
    otherwise."""
    lit = _with_role(sources, Role.LIGHT)
    whole = [source for source in lit if is_whole(source)]
    found = {kind_key(source): source for source in whole}
    left_out: set[str] = set()
    for source in found.values():
        parts = parts_of(source)
        complete = bool(parts) and all(part in found for part in parts)
        left_out |= {kind_key(source)} if complete else set(parts)
    # A pass beside its own parts, such as `volume` beside `volume_direct` and `volume_indirect`, holds them.
    beside = {kind_key(source) for source in lit if not is_whole(source) and not is_own_lobe(source)}
    left_out |= {key for key in beside if key in found}
    return [source for source in lit if not (is_whole(source) and kind_key(source) in left_out)]


def is_whole(source: Source) -> bool:
    """Whether a pass is all of what its kind says, and not a part of it under a name of its own."""
    return _bare(source).removesuffix(f"_{DENOISED}") not in OWN_NAMES.values()


def is_own_lobe(source: Source) -> bool:
    """Whether a part stands beside the whole of its kind and is not in it: a coat beside the specular light."""
    return _bare(source).partition("_")[0] in ("coat", "sheen")


def _with_role(sources: Iterable[Source], role: Role) -> list[Source]:
    chosen = [source for source in sources if source.kind is not None and source.kind.role is role]
    return sorted(chosen, key=lambda source: _ORDER[kind_key(source)])
