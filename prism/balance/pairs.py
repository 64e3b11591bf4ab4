"""Which two of many changes might together close a gap: all pairs at once, by one product of matrices.

Changes of different sources add up, so the light that two of them leave is |g + d1 + d2|^2, whose parts are products of
each two of g, d1, d2. It only says which pairs are worth a trial.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from prism.balance.world import finite

MOST_PAIRS = 24  # that are tried
MOST_PIXELS = 600  # that they are chosen by
SURE = 0.02  # share of what is off by which a value may be wrong and still count fully


@dataclass(frozen=True, slots=True, eq=False)
class Delta:
    """key: two of one key do not go together. change: of the gap, (3, 1, N)."""

    key: Hashable
    change: NDArray[np.float32]


def likely_pairs(gap: NDArray, bound: NDArray, deltas: Sequence[Delta]) -> Iterator[tuple[int, int]]:
    """Numbers of two deltas each, those first that leave least. gap, bound: (3, 1, N)."""
    if len(deltas) < 2:
        return
    some, weight = _chosen(gap, bound)
    off = finite(gap[..., some])
    left = np.stack([(delta.change[..., some] * weight).ravel() for delta in deltas])
    target = (off * weight).ravel()
    products, toward = left @ left.T, left @ target
    alone = np.diag(products) + 2 * toward
    both = float(target @ target) + alone[:, None] + alone[None, :] + 2 * products
    groups: dict[Hashable, int] = {}
    of = np.array([groups.setdefault(delta.key, len(groups)) for delta in deltas])
    both[of[:, None] == of[None, :]] = np.inf
    rows, columns = np.triu_indices(len(deltas), 1)
    order = np.argsort(both[rows, columns], kind="stable")[:MOST_PAIRS]
    yield from ((int(rows[at]), int(columns[at])) for at in order)


def by_what_is_left(gaps: Sequence[NDArray], ways: Sequence[NDArray], gap: NDArray, bound: NDArray) -> list[int]:
    """Numbers of gaps, (3, 1, N) each, those first of which least is left when each channel goes along one of the ways,
    (3, 1, N), as far as is best. gap: what all of them are changes of."""
    if not gaps or not ways:
        return list(range(len(gaps)))
    some, weight = _chosen(gap, bound)
    off = np.stack([finite(gap[..., some]) * weight for gap in gaps])[:, :, 0]
    along = np.stack([finite(way[..., some]) * weight for way in ways])[:, :, 0]
    products = np.einsum("gcn,wcn->gwc", off, along)
    power = np.maximum((along**2).sum(axis=2), 1e-30)
    left = (off**2).sum(axis=(1, 2)) - (products**2 / power).sum(axis=2).max(axis=1)
    return [int(at) for at in np.argsort(left, kind="stable")]


def _chosen(gap: NDArray, bound: NDArray) -> tuple[slice, NDArray[np.float64]]:
    """Some of the pixels, and how much each value of theirs counts."""
    some = slice(None, None, max(1, gap.shape[-1] // MOST_PIXELS))
    return some, 1 / (bound[..., some] + SURE * np.abs(finite(gap[..., some])).astype(np.float64) + 1e-30)
