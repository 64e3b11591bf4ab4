"""An independent reading of the section Mattes of docs/ledger-format.md in plain NumPy: written from that page."""

from fnmatch import fnmatchcase
from itertools import pairwise

import numpy as np

from .colour import name_bits
from .filters import area_around, grown, softened


def plane(page, matte, mattes):
    """(H, W). page: has sources, number (a value at its frame), shape, xyz and curve. mattes: planes of those before
    it."""
    made = np.zeros(page.shape)
    for part in matte["parts"]:
        amount = page.number(part.get("amount", 1))
        if amount == 0:
            continue
        p = np.asarray(_KINDS[part["kind"]](page, part, mattes), float)
        p = _grown(p, page.number(part.get("grow", 0)))
        deviation = page.number(part.get("blur", 0)) / 2
        if deviation:
            p = softened(p, deviation)
        if part.get("curve", {}).get("points"):
            p = page.curve(part["curve"], p).clip(0, 1)
        p = amount * (1 - p if part.get("inverted") else p)
        made = {
            "add": lambda m, p: np.minimum(1, m + p), "subtract": lambda m, p: np.maximum(0, m - p),
            "intersect": lambda m, p: m * p, "exclude": lambda m, p: m + p - 2 * m * p,
        }[part.get("how", "add")](made, p)  # fmt: skip
    return made


def _grown(p, radius):
    if radius < 0:
        return 1 - _grown(1 - p, -radius)
    low = int(radius)
    both = [_disc(p, r) for r in (low, low + 1)]
    return both[0] + (radius - low) * (both[1] - both[0])


def _disc(p, radius):
    return grown(p, radius)


def _fall(v, end, soft):
    with np.errstate(invalid="ignore"):
        rest = np.zeros_like(v) if soft == 0 else np.clip(1 - (v - end) / soft, 0, 1)
        return np.where(np.isnan(v), 0, np.where(v <= end, 1, rest))


def _names(page, part, mattes):
    wanted = {int(named["id"], 16) for named in part.get("names", [])}
    for pattern in part.get("patterns", []):
        fits = [name for name in page.manifest if fnmatchcase(name, pattern)]
        wanted |= {name_bits(name) for name in fits} or {name_bits(pattern)}
    total = np.zeros(page.shape)
    for number in range(100):
        layer = page.sources.get(f"{part['source'][:-2]}{number:02}")
        if layer is None:
            return np.minimum(total, 1)
        (r, g, b), a = layer
        for ids, cover in ((r, g), (b, a)):
            total += np.where(np.isin(ids.view(np.uint32), list(wanted)), cover, 0)


def _colour(page, part, mattes):
    away = np.max(
        [abs(c.astype(float) - v) for c, v in zip(page.sources[part["source"]][0], part["colour"], strict=True)], axis=0
    )
    p = _fall(away, page.number(part.get("tolerance", 0.01)), page.number(part.get("soft", 0)))
    if not part.get("touching"):
        return p
    return np.where(area_around(p > 0, int(page.number(part["y"])), int(page.number(part["x"]))), p, 0)


def _range(page, part, mattes):
    colour, alpha = page.sources[part["source"]]
    measure = part.get("measure", "first")
    if measure == "luminance":
        v = np.tensordot(page.xyz[1], colour.astype(float), 1)
        v = v if alpha is None else np.where(alpha > 0, v / np.where(alpha > 0, alpha, 1), v)
    else:
        v = colour[["first", "second", "third"].index(measure)].astype(float)
    low, high, a, b = (
        page.number(part.get(n, d)) for n, d in (("low", 0), ("high", 1), ("soft_low", 0), ("soft_high", 0))
    )
    return np.minimum(_fall(-v, -low, a), _fall(v, high, b))


def _direction(page, part, mattes):
    n, t = page.sources[part["source"]][0].astype(float), np.array(part.get("toward", [0, 1, 0]), float)
    lengths = np.linalg.norm(n, axis=0) * np.linalg.norm(t)
    angle = np.degrees(np.arccos((np.tensordot(t, n, 1) / np.where(lengths > 0, lengths, 1)).clip(-1, 1)))
    return np.where(lengths > 0, _fall(angle, page.number(part.get("angle", 45)), page.number(part.get("soft", 15))), 0)


def _box(page, part, mattes):
    v = page.sources[part["source"]][0].astype(float)
    low, high = (np.array(part.get(n, [d] * 3), float)[:, None, None] for n, d in (("low", -1), ("high", 1)))
    away = np.linalg.norm(np.maximum(np.maximum(low - v, v - high), 0), axis=0)
    return _fall(away, 0, page.number(part.get("soft", 0)))


def _middles(shape):
    y, x = np.mgrid[: shape[0], : shape[1]] + 0.5
    return x, y


def _from_piece(x, y, a, b):
    d = np.subtract(b, a)
    t = np.clip(((x - a[0]) * d[0] + (y - a[1]) * d[1]) / max(d @ d, 1e-30), 0, 1)
    return np.hypot(x - a[0] - t * d[0], y - a[1] - t * d[1])


def _strokes(page, part, mattes):
    x, y = _middles(page.shape)
    p = np.zeros(page.shape)
    move = np.array([page.number(part.get("x", 0)), page.number(part.get("y", 0))])
    for stroke in part["strokes"]:
        first, last = stroke.get("first"), stroke.get("last")
        if (first is not None and page.frame < first) or (last is not None and page.frame > last):
            continue
        line = [np.array(point) + move for point in stroke["points"]]
        pairs = list(pairwise(line)) or [(line[0], line[0])]
        d = np.min([_from_piece(x, y, a, b) for a, b in pairs], axis=0)
        r = stroke.get("size", 40) / 2
        s = r * (1 - stroke.get("hardness", 0.8))
        laid = (0.5 + (r - s / 2 - d) / max(1, s)).clip(0, min(1, 2 * r - s)) * stroke.get("opacity", 1)
        p = p * (1 - laid) if stroke.get("erases") else p + laid * (1 - p)
    return p


def _shape(page, part, mattes):
    one = lambda name, default=0: page.number(part.get(name, default))  # noqa: E731
    x, y = _middles(page.shape)
    form = part.get("form", "ellipse")
    corners = [[page.number(c[n]) if n in c else 0 for n in ("x", "y", "soft")] for c in part.get("corners", [])]
    if form == "gradient":
        a, b = (np.add(c[:2], (one("x"), one("y"))) for c in corners)
        return (((x - a[0]) * (b - a)[0] + (y - a[1]) * (b - a)[1]) / ((b - a) @ (b - a))).clip(0, 1)
    if form in ("polygon", "smooth"):
        return _outline(np.array(corners, float), form, x - one("x"), y - one("y"))
    x, y, turn = x - one("x"), y - one("y"), np.radians(one("turn"))
    u, v = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
    a, b = one("width") / 2, one("height") / 2
    if form == "rectangle":
        du, dv = abs(u) - a, abs(v) - b
        d = np.where((du < 0) & (dv < 0), np.maximum(du, dv), np.hypot(du.clip(0), dv.clip(0)))
    else:
        q = np.hypot(u / a, v / b)
        d = q * (q - 1) / np.hypot(u / a**2, v / b**2)
    return (0.5 - d / max(1, one("soft"))).clip(0, min(1, 2 * a) * min(1, 2 * b))


def _outline(c, form, x, y):
    if form == "smooth":
        points = []
        for i in range(len(c)):
            c0, c1, c2, c3 = (c[(i + k) % len(c)] for k in (-1, 0, 1, 2))
            for t in np.arange(16) / 16:
                points.append(
                    (
                        2 * c1
                        + (c2 - c0) * t
                        + (2 * c0 - 5 * c1 + 4 * c2 - c3) * t**2
                        + (3 * c1 - c0 - 3 * c2 + c3) * t**3
                    )
                    / 2
                )
        c = np.array(points)
    if c[:, 2].max() <= 1:
        return _by_lines(c[:, :2], x, y)
    inside, least, most = np.zeros(x.shape, bool), np.ones(x.shape), np.zeros(x.shape)
    for a, b in zip(c, np.roll(c, -1, axis=0), strict=True):
        if a[1] != b[1]:
            crosses = ((a[1] > y) != (b[1] > y)) & (x < a[0] + (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]))
            inside ^= crosses
        away = _from_piece(x, y, a[:2], b[:2]) / max(1, a[2])
        least, most = np.minimum(least, 0.5 + away), np.maximum(most, 0.5 - away)
    return np.where(inside, least, most).clip(0, 1)


def _by_lines(c, x, y):
    """x, y: of the middles of pixels."""
    out = np.zeros(x.shape)
    for row in range(len(y)):
        for line in y[row, 0] - 0.5 + (np.arange(16) + 0.5) / 16:
            at = [
                a[0] + (b[0] - a[0]) * (line - a[1]) / (b[1] - a[1])
                for a, b in zip(c, np.roll(c, -1, axis=0), strict=True)
                if (a[1] > line) != (b[1] > line)
            ]
            for left, right in np.sort(at).reshape(-1, 2):
                out[row] += (np.minimum(right, x[row] + 0.5) - np.maximum(left, x[row] - 0.5)).clip(0) / 16
    return out


_KINDS = {
    "alpha": lambda page, part, mattes: page.alpha_of(part["source"]),
    "matte": lambda page, part, mattes: mattes[part["of"]],
    "names": _names, "colour": _colour, "range": _range, "direction": _direction, "box": _box, "strokes": _strokes,
    "shape": _shape,
}  # fmt: skip
KINDS = tuple(_KINDS)
