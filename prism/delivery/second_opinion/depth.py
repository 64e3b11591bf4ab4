"""Groups by depth of docs/ledger-format.md, one pixel and one sample after the other: written from that page."""

import math
from itertools import pairwise

import numpy as np

FOG = {"fog_amount": 1, "fog_near": 0, "fog_far": 100, "fog_falloff": 1}


def seen(page, group, rows, *, within):
    """Colour and alpha of a group by depth. page: with `deep`, {name: {(y, x): [(front, back, alpha, colour)]}}. rows:
    those in it that are enabled."""
    made = np.zeros((4, *page.shape))
    elements = [_samples(page, row) for row in rows]
    for place in np.ndindex(page.shape):
        there = [_in_air(page, group, sample) for element in elements for sample in element.get(place, ())]
        made[(slice(None), *place)] = _flat(there)
    return made[:3], made[3]


def _samples(page, row):
    """{(y, x): [(front, back, alpha, what is seen (4,))]}, with trims and weights."""
    number = lambda name, neutral: page.number(row.get(name, neutral))  # noqa: E731
    amount = number("amount", 1)
    if amount == 0:
        return {}
    limits = row.get("matte_on") == "trims"
    matte = np.ones(page.shape) if row.get("matte") is None else page.mattes[row["matte"]]
    made = {}
    stored = _card(page, row) if row["kind"] == "card" else page.deep[row["source"]]
    for place, samples in stored.items():
        weight, share = amount * (1 if limits else matte[place]), matte[place] if limits else 1
        made[place] = []
        for front, back, alpha, colour in _ranged(row, samples, number):
            inside = row.get("range_on") != "trims" or number("near", 0) <= (front + back) / 2 < number("far", 1000)
            trimmed = page.trimmed(row, colour.reshape(3, 1, 1), np.full((1, 1), alpha))[..., 0, 0]
            mixed = (colour + share * inside * (trimmed - colour)) * weight
            covers = min(max(alpha * weight, 0), 1)
            shown = np.zeros(4) if row.get("hides") else np.array([*mixed, covers])
            if row["kind"] == "deep" or covers > 0 or shown.any():
                made[place].append((front, back, covers, shown))
    return made


def _card(page, row):
    colour, alpha = page.plate(row)
    depth = np.full(page.shape, page.number(row.get("depth", 1)), float)
    if row.get("depth_from") is not None:
        depth += page.plate({**row, "source": row["depth_from"]}, unfiltered=True)[0][0]
    return {place: [(depth[place], depth[place], alpha[place], colour[(slice(None), *place)])]
            for place in np.ndindex(page.shape)}  # fmt: skip


def _ranged(row, samples, number):
    """Moved, and volumes parted at the ends of a range."""
    for front, back, alpha, colour in samples:
        if row["kind"] == "deep":
            front, back = (each * number("times", 1) + number("add", 0) for each in (front, back))
        ends = [number("near", 0), number("far", 1000)] if row.get("range_on", "off") != "off" else []
        stops = [front, *sorted(end for end in ends if front < end < back), back]
        for low, high in pairwise(stops):
            if row.get("range_on") != "weight" or ends[0] <= (low + high) / 2 < ends[1]:
                part = 1 if back == front else (high - low) / (back - front)
                yield low, high, *_part(alpha, colour, part)


def _part(alpha, colour, part):
    if alpha >= 1 or part == 1:
        return alpha, colour
    if alpha == 0:
        return 0.0, colour * part
    less = 1 - (1 - alpha) ** part
    return less, colour * less / alpha


def _in_air(page, group, sample):
    if group.get("fog_mode", "none") == "none":
        return sample
    front, back, alpha, shown = sample
    amount, near, far, falloff = (page.number(group.get(name, neutral)) for name, neutral in FOG.items())
    x = max(((front + back) / 2 - near) / (far - near), 0)
    thick = 1 - math.exp(-math.log(50) * x**falloff)
    share = amount * (0 if x == 0 else thick if group["fog_mode"] == "transmittance" else min(x, 1) ** falloff)
    colour = np.array([page.number(value) for value in group.get("fog_colour", [0.5] * 3)])
    return front, back, alpha, np.array([*(shown[:3] + share * (colour * shown[3] - shown[:3])), shown[3]])


def _flat(samples):
    edges = sorted({edge for front, back, _, _ in samples for edge in (front, back)})
    total, through = np.zeros(4), 1.0
    for number, edge in enumerate(edges):
        points = [(alpha, shown) for front, back, alpha, shown in samples if front == back == edge]
        alpha, shown = _together([(a, s, 1.0) for a, s in points])
        total, through = total + through * shown, through * (1 - alpha)
        if number + 1 < len(edges):
            low, high = edge, edges[number + 1]
            alpha, shown = _together([
                (a, s, (high - low) / (back - front)) for front, back, a, s in samples if front <= low and back >= high
            ])  # fmt: skip
            total, through = total + through * shown, through * (1 - alpha)
    return total


def _together(those):
    """All that share a place: (alpha, what is seen, part of its depth) each."""
    opaque = [shown for alpha, shown, _ in those if alpha >= 1]
    if opaque:
        return 1.0, sum(opaque) / len(opaque)
    depths = [(-math.log1p(-alpha) * part, shown * part * (-math.log1p(-alpha) / alpha if alpha else 1))
              for alpha, shown, part in those]  # fmt: skip
    u, shown = sum((each for each, _ in depths), 0.0), sum((each for _, each in depths), np.zeros(4))
    alpha = -math.expm1(-u)
    return alpha, shown * (alpha / u if u else 1)
