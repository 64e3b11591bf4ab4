"""An independent reading of docs/ledger-format.md in plain NumPy and float64, pixel arithmetic only: written from that
page."""

from itertools import pairwise

import numpy as np

from . import depth as depth_page
from . import mattes as matte_page
from .colour import to_xyz
from .filters import looked_up

COVER = {
    "add": lambda a, b: (1, 1), "over": lambda a, b: (1, 1 - a), "under": lambda a, b: (1 - b, 1),
    "in": lambda a, b: (b, 0), "out": lambda a, b: (1 - b, 0), "atop": lambda a, b: (b, 1 - a),
    "keep-in": lambda a, b: (0, a), "keep-out": lambda a, b: (0, 1 - a), "under-atop": lambda a, b: (1 - b, a),
    "xor": lambda a, b: (1 - b, 1 - a), "copy": lambda a, b: (1, 0), "clear": lambda a, b: (0, 0),
}  # fmt: skip
SUMS = ("subtract", "divide", "minimum", "maximum", "shade")
PLAIN = ("multiply", "darken", "lighten", "difference", "screen")
TRIMS = {
    "exposure": 0, "gain": 1, "tint": [1, 1, 1], "warmth": 0, "offset": [0, 0, 0], "hue": 0, "saturation": 1,
    "contrast": 1, "pivot": 0.18, "gamma": 1, "curves": {}, "clamp": False,
}  # fmt: skip


def picture(document, sources, frame, shape, plates=None, deep=None, manifest=()):
    """(4, H, W). document: parsed JSON. sources: {name: (colour (3, H, W), alpha (H, W) or None)}.

    plates: {name: {frame, or None for a still: (colour, alpha, data window, display window, aspect)}}, for backgrounds.
    deep: as `depth_page.seen` has it. manifest: names of Cryptomattes.
    """
    return Page(document, sources, frame, shape, plates or {}, deep or {}, manifest).picture()


class Mattes(dict):
    """Mattes by id, each made when it is first asked for: what nothing asks for need not be there."""

    def __init__(self, page):
        super().__init__()
        self.page = page
        self.documents = {matte["id"]: matte for matte in page.document.get("mattes", [])}

    def __missing__(self, key):
        matte = self.documents[key]
        if matte["kind"] == "alpha":
            made = self.page.alpha_of(matte["source"])
        elif matte["kind"] == "made":
            made = matte_page.plane(self.page, matte, self)
        else:
            made = 1 - self[matte["of"]]
        return self.setdefault(key, made)


class Page:
    def __init__(self, document, sources, frame, shape, plates, deep=None, manifest=()):
        self.document, self.sources, self.frame, self.shape = document, sources, frame, shape
        self.plates, self.deep, self.manifest = plates, deep, manifest
        self.xyz = to_xyz(document.get("space", "lin_rec709"))
        self.soloed = any(row.get("solo") for row in all_rows(document.get("rows", [])))
        self.mattes = Mattes(self)

    def alpha_of(self, key):
        """The alpha of a source; of a pass of one channel, that."""
        colour, alpha = self.sources[key]
        return (colour[0] if alpha is None else alpha).astype(float)

    def curve(self, curve, values):
        return _curve(curve["points"], values)

    def number(self, given):
        if not isinstance(given, dict):
            return given
        keys = given["keys"]
        if self.frame <= keys[0]["frame"]:
            return keys[0]["value"]
        for k, n in pairwise(keys):
            if k["frame"] <= self.frame < n["frame"]:
                t = (self.frame - k["frame"]) / (n["frame"] - k["frame"])
                p = {"linear": t, "smooth": 3 * t**2 - 2 * t**3, "hold": 0}[k.get("ease", "linear")]
                return k["value"] * (1 - p) + n["value"] * p
        return keys[-1]["value"]

    def picture(self):
        result = np.zeros((4, *self.shape))
        start = self.document.get("alpha", "beauty")
        if start is not None:
            alpha = self.sources[start][1]
            result[3] = 1 if alpha is None else alpha
        for row in self.document.get("rows", []):
            if self.enabled(row, within=False):
                result = self.joined(result, row, within=False)
        return result

    def enabled(self, row, *, within):
        return row.get("on", True) and (not self.soloed or within or any(r.get("solo") for r in all_rows([row])))

    def three(self, row, name, neutral):
        return np.array([self.number(v) for v in row.get(name, neutral)], float).reshape(3, 1, 1)

    def middles(self):
        """The middles of pixels, from the middle of the picture: x, y, (H, W) each."""
        y, x = np.mgrid[: self.shape[0], : self.shape[1]] + 0.5
        return x - self.shape[1] / 2, y - self.shape[0] / 2

    def across(self, angle):
        x, y = self.middles()
        u, v = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        return (u * x + v * y) / (abs(u) * self.shape[1] + abs(v) * self.shape[0]) + 0.5

    def background(self, row):
        colour, second = self.three(row, "colour", [0.18] * 3), self.three(row, "second", [0] * 3)
        fill = row.get("fill", "colour")
        if fill == "colour":
            return colour * np.ones(self.shape)
        x, y = self.middles()
        outwards = np.hypot(x / self.shape[1], y / self.shape[0]) * np.sqrt(2)
        way = self.across(self.number(row.get("angle", 90))) if fill == "linear" else outwards
        t = _ramp(way, self.number(row.get("begins", 0)), self.number(row.get("ends", 1)))
        return colour * (1 - t) + second * t

    def plate(self, row, *, unfiltered=False):
        plates = self.plates[row["source"]]
        numbers, number = sorted(n for n in plates if n is not None), None
        if numbers:
            number, beyond = self.frame - row.get("delay", 0), row.get("beyond", "hold")
            if beyond == "nothing" and not numbers[0] <= number <= numbers[-1]:
                return np.zeros((3, *self.shape)), np.zeros(self.shape)
            if beyond == "loop":
                number = numbers[0] + (number - numbers[0]) % (numbers[-1] - numbers[0] + 1)
            number = max((n for n in numbers if n <= number), default=numbers[0])
        colour, alpha, window, display, q = plates[number]
        high, wide = self.shape
        across, down = wide / (q * display.width), high / display.height
        k = {"fill": max(across, down), "inside": min(across, down), "as-is": 1}.get(row.get("fit", "fill"))
        d = np.array([wide / display.width, down] if k is None else [q * k, k]) * self.number(row.get("scale", 1))
        sides = []
        for count, extent, middle, edge, push, each in (
            (high, window.height, display.y0 + display.height / 2, window.y0, self.number(row.get("y", 0)), d[1]),
            (wide, window.width, display.x0 + display.width / 2, window.x0, self.number(row.get("x", 0)), d[0]),
        ):
            at = (np.arange(count) + 0.5 - count / 2 - push) / each + middle - edge
            around = np.arange(-60, extent + 60)
            weights = np.maximum(0, 1 - np.abs(around + 0.5 - at[:, None]) / max(1, 1 / each))
            weights = np.eye(len(around))[weights.argmax(axis=1)] if unfiltered else weights
            weights /= weights.sum(axis=1, keepdims=True)
            folded = np.zeros((count, extent))
            np.add.at(folded, (slice(None), np.clip(around, 0, extent - 1)), weights)
            covers = np.clip(np.minimum(at + 0.5 / each, extent) - np.maximum(at - 0.5 / each, 0), 0, None) * each
            sides.append((folded, covers))
        (rows, covers_down), (columns, covers_across) = sides
        cover = covers_down[:, None] * covers_across
        made = [
            rows @ plane.astype(float) @ columns.T * (1 if unfiltered else cover)
            for plane in (*colour, *(() if alpha is None else (alpha,)))
        ]
        return np.stack(made[:3]), made[3] if alpha is not None and row.get("uses_alpha", True) else cover

    def placed(self, row, plane):
        one = lambda name, neutral: self.number(row.get(name, neutral))  # noqa: E731
        crop = [self.number(v) for v in row.get("crop", [0, 0, 0, 0])]
        high, wide = self.shape
        x, y = self.middles()
        px = (x - one("x", 0)) / one("scale", 1) + wide / 2
        py = (y - one("y", 0)) / one("scale", 1) + high / 2
        inside = (
            (crop[0] * wide <= px)
            & (px <= (1 - crop[2]) * wide)
            & (crop[1] * high <= py)
            & (py <= (1 - crop[3]) * high)
        )
        taken = looked_up(plane, py - 0.5, px - 0.5)
        return np.where(inside | (not any(crop)), taken, 0)

    def factor(self, row):
        """What the weight is multiplied with."""
        kind = row.get("kind", "pass")
        if kind == "overlay" and self.number(row.get("wipe", 1)) < 1:
            soft = self.number(row.get("wipe_soft", 0))
            edge = self.number(row.get("wipe", 1)) * (1 + soft)
            return 1 - _ramp(self.across(self.number(row.get("wipe_angle", 0))), edge - soft, edge)
        if kind == "fog":
            v = self.sources[row["source"]][0][1 if row.get("through") == "height" else 0].astype(float)
            near, far, falloff = (self.number(row.get(n, d)) for n, d in (("near", 0), ("far", 1), ("falloff", 1)))
            x = (v - near) / (far - near)
            thick = 1 - np.exp(-np.log(50) * np.maximum(x, 0) ** falloff)
            air = row.get("mode") == "transmittance"
            return np.where(x > 0, thick if air else np.clip(x, 0, 1) ** falloff, 0)
        return 1.0

    def source(self, row, *, within, result=None):
        """Colour, alpha or None. result: what it joins, for fog."""
        kind = row.get("kind", "pass")
        if kind == "background" and row.get("fill") == "picture":
            return self.plate(row)
        if kind == "background":
            return self.background(row), np.ones(self.shape)
        if kind == "fog":
            cover = np.ones(self.shape) if row.get("fills") or result is None else result[3]
            return self.three(row, "colour", [0.5] * 3) * cover, cover
        if kind == "overlay":
            colour, alpha = self.sources[row["source"]]
            alpha = None if alpha is None or not row.get("uses_alpha", True) else self.placed(row, alpha.astype(float))
            return np.stack([self.placed(row, plane.astype(float)) for plane in colour]), alpha
        if row.get("kind", "pass") == "pass":
            colour, alpha = self.sources[row["source"]]
            return colour.astype(float), alpha if row.get("uses_alpha", True) else None
        if kind in ("deep", "card"):  # by itself; its trims and weight are for what it gives
            bare = {
                name: row[name] for name in row if name not in TRIMS and name not in ("amount", "matte", "matte_on")
            }
            return depth_page.seen(self, {}, [bare], within=within)
        inside = within or row.get("solo", False)
        if kind == "depth":
            return depth_page.seen(self, row, [r for r in row["rows"] if self.enabled(r, within=inside)], within=inside)
        own, covers, ground = np.zeros((4, *self.shape)), row.get("alpha") is not None, row.get("alpha") is None
        if covers:
            alpha = self.sources[row["alpha"]][1]
            own[3] = 1 if alpha is None else alpha
        for inner in row["rows"]:
            if self.enabled(inner, within=inside):
                own = self.joined(own, inner, within=inside, ground=ground)
                covers |= self.gives_alpha(inner, inside, ground)
                ground = False
        return own[:3], own[3] if covers else None

    @staticmethod
    def operator(row):
        return row.get(
            "operator",
            {"background": "under", "fog": "copy", "depth": "over", "deep": "over", "card": "over"}.get(
                row.get("kind"), "add"
            ),
        )

    def gives_alpha(self, row, within, ground):
        if self.number(row.get("amount", 1)) == 0:
            return False
        operator = self.operator(row)
        covering = operator in COVER and operator != "add" and not ground
        return covering or self.source(row, within=within)[1] is not None

    def joined(self, result, row, *, within, ground=False):
        amount = self.number(row.get("amount", 1))
        if amount == 0:
            return result
        matte = row.get("matte")
        limits = row.get("matte_on") == "trims"
        weight = amount * (1.0 if matte is None or limits else self.mattes[matte]) * self.factor(row)
        weight = np.broadcast_to(weight, self.shape)
        colour, alpha = self.source(row, within=within, result=result)
        with np.errstate(all="ignore"):
            trimmed = self.trimmed(row, colour, alpha)
            share = self.mattes[matte] if limits and matte is not None else 1.0
            colour = np.where(share == 0, colour, np.where(share == 1, trimmed, colour + share * (trimmed - colour)))
            operator = "copy" if ground else self.operator(row)
            missing = 0.0 if ground or operator == "add" else 1.0
            if operator in COVER:
                covering = np.full(self.shape, missing) if alpha is None else alpha
                joined = _cover(operator, result, np.concatenate([colour, covering[None]]), weight)
            elif operator in SUMS:
                joined = _sum(operator, result, colour, alpha, weight)
            else:
                joined = _blend(operator, result, colour, alpha, weight, row.get("display", False))
        return np.where(weight == 0, result, joined)

    def trimmed(self, row, colour, alpha):
        of = {name: row.get(name, neutral) for name, neutral in TRIMS.items()}
        three = lambda name: np.array([self.number(v) for v in of[name]], float).reshape(3, 1, 1)  # noqa: E731
        one = lambda name: self.number(of[name])  # noqa: E731
        v = colour * 2.0 ** one("exposure") * one("gain") * three("tint") * self.warmth(one("warmth"))
        curves = {name: curve["points"] for name, curve in of["curves"].items() if curve.get("points")}
        bent = any(three("offset")) or one("contrast") != 1 or one("gamma") != 1 or curves or of["clamp"]
        divide = bent and alpha is not None
        safe = np.where(alpha > 0, alpha, 1) if divide else 1.0
        shapes = alpha > 0 if divide else np.ones(self.shape, bool)
        v = v / safe
        v = np.where(shapes, v + three("offset"), v)
        v = self.turned(v, one("hue"), one("saturation"))
        bend = v.copy()
        if one("contrast") != 1:
            bend = np.sign(v) * one("pivot") * (np.abs(v) / one("pivot")) ** one("contrast")
        bend = np.sign(bend) * np.abs(bend) ** (1 / one("gamma")) if one("gamma") != 1 else bend
        for name, channels in (("all", (0, 1, 2)), ("red", (0,)), ("green", (1,)), ("blue", (2,))):
            for channel in channels if name in curves else ():
                bend[channel] = _curve(curves[name], bend[channel])
        if of["clamp"]:
            bend = bend.clip(0, 1)
        return np.where(shapes, bend, v) * safe

    def warmth(self, mired):
        if mired == 0:
            return np.ones((3, 1, 1))
        both = [np.linalg.inv(self.xyz) @ _body(1e6 / (1e6 / 6504 + step)) for step in (mired, 0)]
        gains = np.maximum(both[0] / both[1], 0)
        return (gains / (self.xyz[1] @ gains)).reshape(3, 1, 1)

    def turned(self, v, hue, saturation):
        if hue == 0 and saturation == 1:
            return v
        weigh = lambda x: np.tensordot(self.xyz[1], x, 1)  # noqa: E731
        r, g, b = v
        angle = np.radians(hue)
        t = np.cos(angle) * (v - v.mean(axis=0)) + np.sin(angle) * np.stack([b - g, r - b, g - r]) / np.sqrt(3)
        return weigh(v) + saturation * (t - weigh(t))


def _ramp(v, begin, end):
    return np.where(v >= begin, 1.0, 0.0) if begin == end else np.clip((v - begin) / (end - begin), 0, 1)


def all_rows(rows):
    for row in rows:
        yield row
        yield from all_rows(row.get("rows", []))


def _body(t):
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t**2) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t**2)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t**2) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t**2)
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.array([x / y, 1, (1 - x - y) / y])


def _curve(points, v):
    x, y = np.array(points, float).T
    h, d = np.diff(x), np.diff(y) / np.diff(x)
    m = [d[0], d[0]]
    if len(d) > 1:
        inner = [
            0 if d[i] * d[i + 1] <= 0
            else 3 * (h[i] + h[i + 1]) / ((2 * h[i + 1] + h[i]) / d[i] + (h[i + 1] + 2 * h[i]) / d[i + 1])
            for i in range(len(d) - 1)
        ]  # fmt: skip
        m = [_end(h[0], h[1], d[0], d[1]), *inner, _end(h[-1], h[-2], d[-1], d[-2])]
    at = np.clip(np.searchsorted(x, v, side="right") - 1, 0, len(h) - 1)
    m, t = np.array(m), (v - x[at]) / h[at]
    inside = (
        y[at] * (2 * t**3 - 3 * t**2 + 1) + h[at] * m[at] * (t**3 - 2 * t**2 + t)
        + y[at + 1] * (3 * t**2 - 2 * t**3) + h[at] * m[at + 1] * (t**3 - t**2)
    )  # fmt: skip
    before, after = y[0] + m[0] * (v - x[0]), y[-1] + m[-1] * (v - x[-1])
    return np.where(v < x[0], before, np.where(v >= x[-1], after, inside))


def _end(h0, h1, d0, d1):
    m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if m * d0 <= 0:
        return 0
    return 3 * d0 if d0 * d1 <= 0 and abs(m) > 3 * abs(d0) else m


def _times(factor, value):
    return np.where(factor == 0, 0, factor * value)


def _cover(operator, result, source, w):
    f, g = COVER[operator](source[3], result[3])
    return _times(w * f, source) + _times(1 - w * (1 - g), result)


_JOINED = {
    "subtract": lambda b, a: b - a,
    "divide": lambda b, a: np.where(a == 0, b, b / a),
    "minimum": np.minimum,
    "maximum": np.maximum,
}


def _sum(operator, result, colour, alpha, w):
    joined = result.copy()
    pairs = [(result[:3], colour, slice(3))]
    if alpha is not None and operator in ("minimum", "maximum"):
        pairs.append((result[3], alpha, 3))
    for b, a, where in pairs:
        if operator == "shade":
            joined[where] = b * np.where((a < 1) & (w > 0), np.maximum(a, 0) ** w, 1 + w * (a - 1))
            continue
        x = _JOINED[operator](b, a)
        joined[where] = (1 - w) * b + w * x
    return joined


def _blend(operator, result, colour, alpha, w, display):
    back, b = result[:3], result[3]
    union = b if alpha is None else w * alpha + b - w * alpha * b
    if operator == "screen" and not display:
        return np.concatenate([_screen(back, w * colour), union[None]])
    if alpha is None:
        return np.concatenate([(1 - w) * back + w * _mode(operator, back, colour, display), union[None]])
    r, s = (x / np.where(y > 0, y, 1) for x, y in ((back, b), (colour, alpha)))
    common = np.where(alpha * b > 0, w * alpha * b * _mode(operator, r, s, display), 0)
    if operator == "multiply":
        common = w * colour * back
    return np.concatenate([_times(w * (1 - b), colour) + _times(1 - w * alpha, back) + common, union[None]])


def _mode(operator, r, s, display):
    if operator in PLAIN and not display:
        return _formula(operator, r, s)
    inside, limited = (r, s) if operator in PLAIN else (r.clip(0, 1), s.clip(0, 1))
    if display:
        made = _light(_formula(operator, _display(inside), _display(limited)))
    else:
        made = _formula(operator, inside, limited)
    return made + (r - inside)


def _display(v):
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.maximum(v, 0) ** (1 / 2.4) - 0.055)


def _light(v):
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)


def _screen(r, s):
    return np.where(np.maximum(r, s) <= 1, r + s - r * s, np.maximum(r, s))


def _hard(r, s):
    return np.where(s <= 0.5, 2 * r * s, r + (2 * s - 1) - r * (2 * s - 1))


def _soft(r, s):
    deep = np.where(r <= 0.25, ((16 * r - 12) * r + 4) * r, np.sqrt(np.maximum(r, 0)))
    return np.where(s <= 0.5, r - (1 - 2 * s) * r * (1 - r), r + (2 * s - 1) * (deep - r))


def _formula(operator, r, s):
    return {
        "multiply": lambda: r * s, "darken": lambda: np.minimum(r, s), "lighten": lambda: np.maximum(r, s),
        "difference": lambda: np.abs(r - s), "screen": lambda: _screen(r, s), "overlay": lambda: _hard(s, r),
        "colour-dodge": lambda: np.where(r == 0, 0, np.where(s >= 1, 1, np.minimum(1, r / (1 - s)))),
        "colour-burn": lambda: np.where(r == 1, 1, np.where(s <= 0, 0, 1 - np.minimum(1, (1 - r) / s))),
        "hard-light": lambda: _hard(r, s), "soft-light": lambda: _soft(r, s), "exclusion": lambda: r + s - 2 * r * s,
        "hue": lambda: _set_lum(_set_sat(s, _sat(r)), _lum(r)),
        "saturation": lambda: _set_lum(_set_sat(r, _sat(s)), _lum(r)),
        "colour": lambda: _set_lum(s, _lum(r)), "luminosity": lambda: _set_lum(r, _lum(s)),
    }[operator]()  # fmt: skip


def _lum(c):
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def _sat(c):
    return c.max(axis=0) - c.min(axis=0)


def _set_sat(c, wanted):
    spread = _sat(c)
    return np.where(spread > 0, (c - c.min(axis=0)) * wanted / np.where(spread > 0, spread, 1), 0)


def _set_lum(c, wanted):
    c = c + (wanted - _lum(c))
    middle, low, high = _lum(c), c.min(axis=0), c.max(axis=0)
    c = np.where(low < 0, middle + (c - middle) * middle / (middle - low), c)
    return np.where(high > 1, middle + (c - middle) * (1 - middle) / (high - middle), c)
