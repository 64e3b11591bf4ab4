"""Finishes of docs/finish-format.md computed in float64 by plain sums, written from that page."""

import math

import numpy as np
from PIL import Image
from scipy import ndimage

from prism.delivery.second_opinion import rows as ledger_page

REC709 = np.array([0.2126, 0.7152, 0.0722])
AMOUNTS = {"sharpen": 0.5, "grain": 0.03}
DISPLAY = ("levels", "curves", "balance", "vibrance", "film", "sharpen", "grain")


class Finish:
    """page: a `ledger_page.Page`, for numbers and mattes. passes: {key: (3, H, W)}. frame: its number."""

    def __init__(self, page, passes):
        self.page, self.passes = page, passes

    def light(self, rgba, steps):
        return self.run(rgba, [step for step in steps if self.domain(step) == "light"], display=False)

    def display(self, rgba, steps):
        return self.run(rgba, [step for step in steps if self.domain(step) == "display"], display=True)

    def domain(self, step):
        return step.get("works_on", "display" if step["kind"] in DISPLAY else "light")

    def run(self, rgba, steps, *, display):
        soloed = any(step.get("solo") for step in steps)
        for step in steps:
            if step.get("enabled", True) and (step.get("solo") or not soloed):
                rgba = self.step(np.asarray(rgba, float), step, display)
        return rgba

    def step(self, rgba, step, display):
        self.given, self.is_display = step, display
        weight = self.get("amount", AMOUNTS.get(step["kind"], 1)) * np.ones(rgba.shape[1:])
        if step.get("matte"):
            weight = weight * self.page.mattes[step["matte"]]
        sound = np.isfinite(rgba).all(axis=0)
        clean = np.where(sound, rgba, 0)
        after = getattr(self, step["kind"])(clean)
        if after.shape[0] == 3:
            after = np.concatenate([after, clean[3:]])
        return np.where(sound & (weight != 0), clean + weight * (after - clean), rgba)

    def get(self, name, neutral):
        value = self.given.get(name, neutral)
        return [self.page.number(each) for each in value] if isinstance(value, list) else self.page.number(value)

    def three(self, name, neutral):
        return np.array(self.get(name, [neutral] * 3), float).reshape(3, 1, 1)

    def y(self, rgb):
        return np.tensordot(REC709 if self.is_display else self.page.xyz[1], rgb, 1)

    def whole(self, rgba, change):
        part = np.ones(rgba.shape[1:]) if self.is_display else np.where(rgba[3] > 0, rgba[3], 1)
        return change(rgba[:3] / part) * part

    def middles(self, shape):
        return np.arange(shape[-1]) + 0.5, (np.arange(shape[-2]) + 0.5)[:, None]

    def point(self, shape):
        x, y = shape[-1] / 2, shape[-2] / 2
        if self.given.get("follow"):
            matte = self.page.mattes[self.given["follow"]]
            if matte.sum() == 0:
                return None
            across, down = self.middles(shape)
            x, y = (matte * across).sum() / matte.sum(), (matte * down).sum() / matte.sum()
        return x + self.get("x", 0), y + self.get("y", 0)

    def grade(self, rgba):
        page = self.page if not self.is_display else ledger_page.Page({}, {}, self.page.frame, None, {})
        gains = page.warmth(self.get("warmth", 0)) * np.array([1, 2 ** self.get("green", 0), 1]).reshape(3, 1, 1)
        gains = gains / (page.xyz[1] @ gains.reshape(3))

        def change(v):
            v = v * 2 ** self.get("exposure", 0) * gains * self.three("slope", 1) + self.three("offset", 0)
            v = np.where(v > 0, np.abs(v) ** self.three("power", 1), v)
            luma = np.tensordot(REC709, v, 1)
            return luma + self.get("saturation", 1) * (v - luma)

        return self.whole(rgba, change)

    def highlights(self, rgba):
        light = self.y(rgba[:3])
        threshold = self.get("threshold", 1)
        with np.errstate(divide="ignore", invalid="ignore"):
            above = np.minimum(light - threshold, self.get("most", 100) if self.given["kind"] == "rays" else np.inf)
            share = np.where((light > threshold) & (light > 0), above / light, 0)
        return np.maximum(rgba[:3], 0) * share

    def glow(self, rgba):
        high, widths = self.highlights(rgba), self.get("widths", 3)
        spread = sum(
            np.stack([ndimage.gaussian_filter(c, self.get("size", 60) / 2 ** (k + 1), mode="constant") for c in high])
            for k in range(widths)
        )
        spread = spread / widths * self.three("tint", 1)
        return rgba[:3] - high * self.given.get("keep", True) + spread

    def rays(self, rgba):
        high = self.highlights(rgba)
        if self.given.get("of") == "edges":
            rgb = np.maximum(rgba[:3], 0)
            light = self.y(rgb)
            slope = np.maximum(np.hypot(*np.gradient(light)) - self.get("threshold", 1), 0)
            high = rgb * np.divide(slope, light, out=np.zeros_like(light), where=light > 0)
        (x, y), (across, down) = self.point(rgba.shape), self.middles(rgba.shape)
        far = np.hypot(across - x, down - y)
        u, v = (across - x) / np.maximum(far, 1e-9), (down - y) / np.maximum(far, 1e-9)
        length, away = self.get("length", 400), self.given.get("way", "towards") == "away"
        total, weights = np.zeros_like(high), 0.0
        for t in range(int(length) + 1):
            weight = math.exp(-self.get("falloff", 3) * t / length)
            weights += weight
            way = -t if away else t
            places = [down + v * way - 0.5, across + u * way - 0.5]
            read = [ndimage.map_coordinates(c, places, order=1, mode="grid-constant") for c in high]
            total += weight * np.where(far + way >= 0, np.stack(read), 0)
        return rgba[:3] + self.get("brightness", 2) * self.three("tint", 1) * total / weights

    def flare(self, rgba):
        place = self.point(rgba.shape)
        across, down = self.middles(rgba.shape)
        if self.given.get("of") == "brightest":
            light = np.maximum(self.y(rgba[:3]), 0)
            light = np.where(light >= 0.9 * light.max(), light, 0)
            place = (
                (light * across).sum() / light.sum() + self.get("x", 0),
                (light * down).sum() / light.sum() + self.get("y", 0),
            )
        if place is None:
            return rgba
        x, y = across - place[0], down - place[1]
        s, d = self.get("size", 400), np.hypot(x, y)
        turn = math.radians(self.get("turn", 0))
        u, v = x * math.cos(turn) + y * math.sin(turn), y * math.cos(turn) - x * math.sin(turn)
        lens = self.get("core", 1) / (1 + (d / (0.04 * s)) ** 2) ** 1.5
        lens = lens + self.get("streak", 0.35) * np.exp(-np.abs(u) / (0.5 * s)) * np.exp(-((v / (0.012 * s)) ** 2))
        ring = [np.exp(-(((d / (0.45 * s * w) - 1) / 0.035) ** 2)) for w in (0.985, 1, 1.015)]
        light = lens + self.get("ring", 0.04) * np.stack(ring)
        middle = rgba.shape[2] / 2, rgba.shape[1] / 2
        golden, seed = (math.sqrt(5) - 1) / 2, self.given.get("seed", 0)
        for n in range(self.given.get("count", 7)):
            f = [((n + 1 + 17 * k) * golden * (1 + 0.37 * k) + seed * math.sqrt(2) * (k + 1)) % 1 for k in range(4)]
            at = [p + (m - p) * (0.4 + 1.9 * f[0]) for p, m in zip(place, middle, strict=True)]
            share = np.hypot(across - at[0], down - at[1]) / (s * (0.03 + 0.16 * f[1] ** 2))
            disc = np.clip((1 - share) / 0.12, 0, 1) * (0.55 + 0.45 * share**2)
            tint = np.array([0.5 + 0.5 * f[2], 0.75, 1 - 0.5 * f[2]]).reshape(3, 1, 1)
            light = light + self.get("ghosts", 0.03) * (0.4 + 0.6 * f[3]) * tint * disc
        if self.get("dirt", 0):
            rows = max(2, round(160 * rgba.shape[1] / rgba.shape[2]))
            noise = ndimage.gaussian_filter(_noise(range(rows), range(160), (seed, 0, 7)), 1.2, mode="nearest")
            glass = Image.fromarray(np.float32(np.maximum(0, 4.26 * noise - 0.6)))
            glass = np.asarray(glass.resize(rgba.shape[:0:-1], Image.Resampling.BILINEAR))
            light = light + self.get("dirt", 0) * glass / (1 + (d / (0.6 * s)) ** 2) ** 2
        seen, near = 1.0, d <= self.get("light_size", 12) / 2
        if self.given.get("hidden_by"):
            seen *= 1 - self.page.mattes[self.given["hidden_by"]][near].mean()
        if self.given.get("depth"):
            seen *= 1 - (self.passes[self.given["depth"]][0][near] < self.get("distance", 1000)).mean()
        return rgba[:3] + seen * np.array(self.get("tint", [1, 0.9, 0.75])).reshape(3, 1, 1) * light

    def defocus(self, rgba):
        z, largest = self.passes[self.given["depth"]][0], self.get("largest", 60)
        far = np.where(np.isfinite(z) & (z > 0), z, np.inf)
        radii = np.clip(self.get("opening", 12) * (1 - self.get("focus", 5) / far), -largest, largest)
        near, beyond = (_marks(most) for most in (-radii.min(), radii.max()))
        marks = np.array([-r for r in reversed(near)] + [0] + beyond)
        places = np.interp(radii, marks, np.arange(len(marks)))
        planes, laid, filled = np.concatenate([rgba, np.ones((1, *z.shape))]), np.zeros((5, *z.shape)), False
        for number in range(len(marks) - 1, -1, -1):
            share, radius = np.maximum(0, 1 - np.abs(places - number)), abs(marks[number])
            if not share.any():
                continue
            if marks[number] < -0.5 and not filled:
                about = np.stack([ndimage.gaussian_filter(plane, largest / 2, mode="constant") for plane in laid])
                about = np.divide(about, about[4], out=np.zeros_like(about), where=about[4] > 1e-4)
                laid, filled = laid + (1 - laid[4]) * about, True
            part = planes * share
            if radius:
                part = np.stack([ndimage.convolve(plane, _disc(radius), mode="constant") for plane in part])
            laid = laid * (1 - np.clip(part[4], 0, 1)) + part
        return laid[:4] / laid[4]

    def smear(self, rgba):
        way = self.passes[self.given["motion"]][:2] * self.get("shutter", 0.5)
        long = np.hypot(*way)
        way, long = way * np.minimum(1, 256 / np.maximum(long, 1e-9)), np.minimum(long, 256)
        taps = np.minimum(129, long.astype(int) + 2)
        across, down = self.middles(rgba.shape)
        total = np.zeros_like(rgba)
        for k in range(taps.max()):
            part = (k + 0.5) / taps - 0.5
            read = [
                ndimage.map_coordinates(c, [down + way[1] * part - 0.5, across + way[0] * part - 0.5], order=1,
                                        mode="nearest") for c in rgba
            ]  # fmt: skip
            total += np.where(k < taps, np.stack(read), 0)
        return np.where(long < 0.01, rgba, total / taps)

    def vignette(self, rgba):
        across, down = self.middles(rgba.shape)
        height, width = rgba.shape[1:]
        if self.given.get("form", "cos4") == "cos4":
            d = np.hypot(across - width / 2, down - height / 2)
            t = d / (width / 2) * math.tan(math.radians(self.get("field_of_view", 50)) / 2)
            return rgba[:3] * np.cos(np.arctan(t)) ** 4
        d = np.hypot((across - width / 2 - self.get("x", 0)) / (width / 2 * self.get("width", 1.2)),
                     (down - height / 2 - self.get("y", 0)) / (height / 2 * self.get("height", 1.2)))  # fmt: skip
        t = np.clip((1 - d) / self.get("soft", 0.6), 0, 1)
        level = self.get("level", 0.3)
        return rgba[:3] * (level + (1 - level) * (3 * t**2 - 2 * t**3))

    def fringe(self, rgba):
        out = rgba[:3].copy()
        height, width = out.shape[1:]
        corner = math.hypot(width, height) / 2
        across, down = self.middles(rgba.shape)
        for channel, push in ((0, self.get("red", 1)), (2, self.get("blue", -1))):
            u = width / 2 + (across - width / 2) / (1 + push / corner) - 0.5
            v = height / 2 + (down - height / 2) / (1 + push / corner) - 0.5
            at = lambda values, index: values[np.clip(index, 0, len(values) - 1)]  # noqa: E731
            left, top = np.floor(u).astype(int), np.floor(v[:, 0]).astype(int)
            columns = [at(rgba[channel].T, left + k).T for k in (-1, 0, 1, 2)]
            rows = _between(*columns, u - left)
            out[channel] = _between(*[at(rows, top + k) for k in (-1, 0, 1, 2)], v - top[:, None])
        return out

    def levels(self, rgba):
        black, white = self.get("black", 0), self.get("white", 1)
        t = np.clip((rgba[:3] - black) / (white - black), 0, 1) ** (1 / self.get("gamma", 1))
        return self.get("out_black", 0) + (self.get("out_white", 1) - self.get("out_black", 0)) * t

    def curves(self, rgba):
        def bent(name, v):
            points = self.given.get(name, {"points": []})["points"]
            return ledger_page._curve(points, v) if points else v

        def change(v):
            names = ("red", "green", "blue")
            v = np.stack([bent(name, bent("all", plane)) for name, plane in zip(names, v, strict=True)])
            return v + bent("luminance", self.y(v)) - self.y(v)

        return self.whole(rgba, change)

    def balance(self, rgba):
        y = np.clip(self.y(rgba[:3]), 0, 1)
        cast = (1 - y) ** 2 * self.three("shadows", 0) + 2 * y * (1 - y) * self.three("mids", 0)
        cast = cast + y**2 * self.three("highlights", 0)
        return rgba[:3] + cast - self.given.get("keep", True) * self.y(cast)

    def vibrance(self, rgba):
        v, most, least = rgba[:3], rgba[:3].max(axis=0), rgba[:3].min(axis=0)
        span = most - least
        with np.errstate(divide="ignore", invalid="ignore"):
            s = np.clip(np.where(most > 0, span / most, 0), 0, 1)
            hue = np.where((span > 0) & (v[0] == most), 60 * (v[1] - v[2]) / span, 1e3)
        skin = np.clip(1 - np.abs(hue - 25) / 30, 0, 1)
        gain = 1 + self.get("vibrance", 0.4) * (1 - s) * (1 - self.get("skin", 0.6) * skin)
        return self.y(v) + (v - self.y(v)) * gain

    def film(self, rgba):
        cross, curves = FILM[self.given.get("look", "gentle")]
        mixed = (1 - 1.5 * cross) * rgba[:3] + cross * rgba[:3].sum(axis=0) / 2
        return np.stack([ledger_page._curve(points, v) for points, v in zip(curves, mixed, strict=True)])

    def sharpen(self, rgba):
        planes = rgba[:3] if self.given.get("on") == "colour" else self.y(rgba[:3])[None]
        blur = [ndimage.gaussian_filter(plane, self.get("radius", 0.8), mode="reflect") for plane in planes]
        d = planes - np.stack(blur)
        return rgba[:3] + np.sign(d) * np.maximum(0, np.abs(d) - self.get("threshold", 0))

    def grain(self, rgba):
        sigma = self.get("size", 1.5) * math.sqrt(math.log(2)) / math.pi
        reach = int(4 * sigma + 0.5)
        weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
        weights /= weights.sum()
        y = np.clip(self.y(rgba[:3]), 0, 1)
        made = []
        for channel in range(3):
            key = self.given.get("seed", 0), self.page.frame, 0 if self.given.get("mono") else channel
            noise = _noise(*(np.arange(-reach, side + reach) for side in rgba.shape[1:]), key)
            for axis in (0, 1):
                noise = np.apply_along_axis(np.convolve, axis, noise, weights, mode="valid")
            made.append(noise / (weights**2).sum())
        return rgba[:3] + np.stack(made) * np.sqrt(4 * y * (1 - y))


def _marks(most):
    count = math.ceil(math.log(most / 0.5) / math.log(1.6)) if most > 0.5 else 0
    return [0.5 * (most / 0.5) ** (k / count) for k in range(1, count + 1)]


def _disc(radius):
    """How much of each pixel lies on it, by 9 times 9 points."""
    reach = math.ceil(radius)
    fine = (np.arange(9 * (2 * reach + 1)) + 0.5) / 9 - reach - 0.5
    inside = (np.hypot(fine, fine[:, None]) <= radius).reshape(2 * reach + 1, 9, 2 * reach + 1, 9).mean(axis=(1, 3))
    return inside / inside.sum()


def _between(a, b, c, d, t):
    value = b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)))
    return np.clip(value, np.minimum(b, c), np.maximum(b, c))


def _noise(rows, columns, key):
    k = np.uint32(0)
    for part in key:
        k = _hash(k ^ np.uint32(part))
    rows, columns = (np.array(side).astype(np.uint32) for side in (rows, columns))
    bits = _hash(_hash(k ^ rows)[:, None] ^ columns)
    return (sum((bits >> np.uint32(8 * byte)) & np.uint32(255) for byte in range(4)) - 510.0) / math.sqrt(21845)


def _hash(x):
    x = np.atleast_1d(np.uint32(x))
    x = x ^ (x >> np.uint32(16))
    x = x * np.uint32(0x7FEB352D)
    x = x ^ (x >> np.uint32(15))
    x = x * np.uint32(0x846CA68B)
    return x ^ (x >> np.uint32(16))


def _points(text):
    return [tuple(map(float, pair.split())) for pair in text.split(",")]


FILM = {
    "gentle": (0.05, [_points("0 0.012, 0.2 0.185, 0.5 0.515, 0.8 0.83, 1 0.975")] * 3),
    "dense": (0.03, [_points("0 0, 0.2 0.13, 0.5 0.49, 0.8 0.84, 1 0.985")] * 3),
    "evening": (
        0.06,
        [
            _points("0 0.015, 0.2 0.175, 0.5 0.53, 0.8 0.85, 1 0.99"),
            _points("0 0.018, 0.2 0.18, 0.5 0.505, 0.8 0.82, 1 0.965"),
            _points("0 0.04, 0.2 0.205, 0.5 0.49, 0.8 0.77, 1 0.92"),
        ],
    ),
    "pale": (0.16, [_points("0 0.05, 0.2 0.25, 0.5 0.55, 0.8 0.8, 1 0.95")] * 3),
}
