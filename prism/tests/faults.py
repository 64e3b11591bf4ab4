"""Sets of passes broken in one way each, by seed: for measuring how often the balance names what is wrong.

The pictures are made up: soft shapes with grain, a sky behind partly covered edges, highlights above 1, and motion over
five frames. What may be said of a fault is a set of causes, and the keys that they may name.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.ndimage import gaussian_filter, shift, zoom

from prism.balance.causes import FEW
from prism.colour.spaces import CHROMATICITIES, conversion_between, decode_srgb, encode_srgb, plain_conversion
from prism.ledger.document import Ledger
from prism.ledger.rows import GroupRow, PassRow
from prism.passes.catalogue import BY_KEY
from prism.tests.memory import MemoryFrame

PARTS = ("diffuse_direct", "diffuse_indirect", "specular_direct", "specular_indirect", "emission", "background")
LIGHTS = ("key", "fill", "rim", "lamps", "sky")
FRAMES = range(8, 13)
NOW = 10


@dataclass
class Scene:
    """planes: of every frame, before rounding: {frame: {pass: (3, H, W)}}. alpha: {frame: (H, W)}. fault: what was
    done, in words."""

    rng: np.random.Generator
    dtype: type
    planes: dict = field(default_factory=dict)
    beauty: dict = field(default_factory=dict)
    alpha: dict = field(default_factory=dict)
    front: dict = field(default_factory=dict)
    facts: dict = field(default_factory=dict)
    rows: list = field(default_factory=list)
    lit: tuple = PARTS[:-1]
    layered: bool = False
    covers: np.ndarray | None = None  # alpha of the pass that is changed

    @classmethod
    def made(cls, seed: int, dtype=np.float16, *, rows: int = 6, layered: bool = False) -> Scene:
        """rows: of the ledger; more than six are components by light. layered: the last two lie over the others, with
        an alpha of their own."""
        rng = np.random.default_rng(seed)
        high, wide = (int(side) for side in rng.integers(60, 110, 2) * (2 if rows > 6 else 1))
        lit = PARTS[:-1] if rows == 6 else tuple(
            f"{part}_light_{light}" for light in LIGHTS for part in PARTS[:4]
        )[: rows - 1]  # fmt: skip
        scene = cls(rng, dtype, lit=lit, layered=layered)
        solids = [rng.random((high + 20, wide + 20)) for _ in range(2)]
        textures = {key: _texture(rng, high + 20, wide + 20) for key in (*lit, "background")}
        for place, frame in enumerate(FRAMES):
            cut = (slice(2 * place, 2 * place + high), slice(3 * place, 3 * place + wide))
            solid = gaussian_filter(solids[0], 6)[cut]
            alpha = np.clip((solid - np.median(solid)) * 60 + 0.7, 0, 1)
            grain = 1 + 0.1 * rng.standard_normal((3, high, wide)).clip(-3, 3)
            planes = {key: texture[(slice(None), *cut)] * grain * alpha for key, texture in textures.items()}
            planes["background"] = (0.3 + textures["background"][(slice(None), *cut)]) * (1 - alpha)
            scene.planes[frame] = planes
            scene.alpha[frame] = alpha.astype(np.float32).astype(dtype)
            if layered:
                scene.front[frame] = gaussian_filter(solids[1], 4)[cut] > np.median(solids[1])
                scene.front[frame] = np.round(gaussian_filter(scene.front[frame].astype(float), 1), 3)
                for key in lit[-2:]:
                    planes[key] *= scene.front[frame]
            scene.beauty[frame] = scene.summed(planes, frame)
        scene.rows = [PassRow(id=key, source=key, uses_alpha=False) for key in (*lit, "background")]
        return scene

    def summed(self, planes, frame):
        """What a renderer would have made of all passes, in one go."""
        top = self.lit[-2:] if self.layered else ()
        below = sum(light for key, light in planes.items() if key not in top)
        if not top:
            return below
        return sum(planes[key] for key in top) + below * (1 - self.layers_of(frame)["front"].astype(float))

    def layers_of(self, frame):
        """Alpha of the layers, as it is stored."""
        front = self.front[frame].astype(np.float32).astype(self.dtype)
        return {"back": self.alpha[frame], "front": front}

    def covered(self, frame):
        """Alpha of the whole, before rounding."""
        layers = self.layers_of(frame)
        return layers["front"] + layers["back"].astype(float) * (1 - layers["front"].astype(float))

    def alpha_of(self, target):
        """That a pass is premultiplied by."""
        if not self.layered:
            return self.alpha[NOW]
        if target == "beauty":
            return self.covered(NOW)
        return self.layers_of(NOW)["front" if target in self.lit[-2:] else "back"]

    def change(self, target, make) -> None:
        held = self.beauty if target == "beauty" else self.planes[NOW]
        held[NOW if target == "beauty" else target] = make(np.array(held[NOW if target == "beauty" else target]))

    def frame(self) -> MemoryFrame:
        frames = {}
        for number in FRAMES:
            sources = {"beauty": (self.beauty[number].astype(self.dtype), self.alpha[number])}
            sources |= {key: (planes.astype(self.dtype), None) for key, planes in self.planes[number].items()}
            if self.layered:
                nothing = np.zeros((3, *self.alpha[number].shape), self.dtype)
                sources |= {f"matte_{layer}": (nothing, alpha) for layer, alpha in self.layers_of(number).items()}
                sources["beauty"] = (sources["beauty"][0], self.covered(number).astype(self.dtype))
            frames[number] = MemoryFrame(sources, number)
            kinds = {key: "group_components" if "_light_" in key else key for key in sources}
            frames[number].facts = {
                key: {"kind": BY_KEY.get(kind)} | self.facts.get(key, {}) for key, kind in kinds.items()
            }
        frames[NOW].others = frames
        return frames[NOW]

    def ledger(self) -> Ledger:
        if not self.layered:
            return Ledger(rows=tuple(self.rows))
        top = tuple(row for row in self.rows if row.source in self.lit[-2:])
        below = tuple(row for row in self.rows if row not in top)
        back = GroupRow(id="back", name="back", operator="add", alpha="matte_back", rows=below)
        front = GroupRow(id="front", name="front", operator="over", alpha="matte_front", rows=top)
        return Ledger(alpha=None, rows=(back, front))


def _texture(rng, high, wide):
    """Up to several times white, each of a tint of its own."""
    soft = gaussian_filter(rng.random((high, wide)), rng.uniform(2, 5))
    soft = (soft - soft.min()) / (soft.max() - soft.min())
    tint = rng.uniform(0.3, 1, 3).reshape(3, 1, 1)
    own = gaussian_filter(rng.random((3, high, wide)), (0, 3, 3))
    own = (own - own.min()) / (own.max() - own.min())
    return rng.uniform(0.3, 2.5) * tint * (soft**3 + 0.3 * own**2)


def _moved(plane, by):
    return np.stack([shift(channel, by, order=0, cval=0) for channel in plane])


def _resized(plane, factor, order):
    small = zoom(plane, (1, factor, factor), order=order, grid_mode=True, mode="nearest")
    back = zoom(
        small,
        (1, plane.shape[1] / small.shape[1], plane.shape[2] / small.shape[2]),
        order=order,
        grid_mode=True,
        mode="nearest",
    )
    return back[:, : plane.shape[1], : plane.shape[2]]


def _shift(rng):
    while not any(by := [int(v) for v in rng.integers(-16, 17, 2)]):
        pass
    return by


VALUES = {
    "gain": (lambda s, p: p * s.rng.choice([0.5, 0.8, 1.25, 2.0, 3.0]), {"gain"}),
    "tint": (lambda s, p: p * s.rng.uniform(0.6, 1.5, 3).reshape(3, 1, 1), {"gain"}),
    "encoded": (lambda s, p: encode_srgb(p), {"encoded"}),
    "encoded whole": (
        lambda s, p: np.where(p <= 0.0031308, 12.92 * p, 1.055 * np.maximum(p, 1e-9) ** (1 / 2.4) - 0.055),
        {"encoded"},
    ),
    "gamma": (lambda s, p: p ** (1 / 2.2), {"encoded"}),
    "linear twice": (lambda s, p: decode_srgb(p), {"encoded"}),
    "clamped": (lambda s, p: np.minimum(p, min(1.0, float(np.quantile(p, 0.9)))), {"clamped"}),
    "shifted": (lambda s, p: _moved(p, _shift(s.rng)), {"shifted"}),
    "rolled": (lambda s, p: np.roll(p, _shift(s.rng), (1, 2)), {"shifted"}),
    "mirrored": (lambda s, p: p[:, :: s.rng.choice([1, -1]), ::-1], {"mirrored"}),
    "upside down": (lambda s, p: p[:, ::-1], {"mirrored"}),
    "half size": (lambda s, p: _resized(p, 0.5, 1), {"other_size"}),
    "two thirds": (lambda s, p: _resized(p, 2 / 3, 3), {"other_size"}),
    "primaries": (lambda s, p: np.tensordot(conversion_between(*_two(s.rng)), p, 1), {"colour_space"}),
    "plain primaries": (lambda s, p: np.tensordot(plain_conversion(*_two(s.rng)), p, 1), {"colour_space"}),
    "channels": (lambda s, p: p[[2, 1, 0]], {"swapped"}),
    "lifted": (lambda s, p: p + s.rng.uniform(0.02, 0.2), {"offset"}),
    "8 bits": (
        lambda s, p: np.round(np.clip(p, 0, 1) * 255) / 255 * 1.0 + np.maximum(p - 1, 0) * 0,
        {"quantised", "clamped"},
    ),
    "8 bits, sRGB": (lambda s, p: decode_srgb(np.round(encode_srgb(p) * 255) / 255), {"quantised", "clamped"}),
    "not a number": (lambda s, p: _with(p, np.nan), {"not_finite"}),
    "one pixel": (lambda s, p: _with(p, None), {"one_pixel"}),
    "foreign frame": (None, {"wrong_frame"}),
    "straight": (
        lambda s, p: np.where(s.covers > 1e-3, p / np.maximum(s.covers.astype(float), 1e-3), p),
        {"straight_alpha"},
    ),
    "twice premultiplied": (lambda s, p: p * s.covers.astype(float), {"straight_alpha", "outside_coverage"}),
    "light outside": (lambda s, p: np.where(s.covers > 0, p, 0), {"outside_coverage"}),
}
LOST = {
    "black": (lambda s, p: p * 0, {"black"}),
    "black tile": (lambda s, p: _blackened(p, s.rng), {"black"}),
    "cropped": (lambda s, p: _cropped(p, int(s.rng.integers(2, 9))), {"black"}),
    "part of a pixel": (lambda s, p: _partly_moved(p, s.rng), {"shifted"}),
    "whole and part": (lambda s, p: _partly_moved(p, s.rng, s.rng.integers(-9, 10, 2)), {"shifted"}),
    "nearest": (lambda s, p: _repeated(p, int(s.rng.integers(2, 4))), {"other_size"}),
    "nearest by a part": (lambda s, p: _resized(p, 2 / 3, 0), {"other_size"}),
    "blurred": (lambda s, p: gaussian_filter(p, (0, *[s.rng.uniform(0.5, 1.5)] * 2)), {"other_size"}),
    "gamut": (lambda s, p: np.tensordot(_of_two_gamuts(s.rng), p, 1), {"colour_space"}),
    "order": (lambda s, p: p[list(_order(s.rng))], {"swapped"}),
    "10 bits": (lambda s, p: np.round(np.clip(p, 0, 1) * 1023) / 1023, {"quantised", "clamped"}),
    "gamma 2.2, 8 bits": (
        lambda s, p: (np.round(np.clip(p, 0, 1) ** (1 / 2.2) * 255) / 255) ** 2.2, {"quantised", "clamped"},
    ),
    "few levels": (lambda s, p: np.floor(np.clip(p, 0, 4) * 31) / 31, {"quantised", "clamped"}),
}  # fmt: skip


def _blackened(plane, rng):
    high, wide = plane.shape[1:]
    y, x = int(rng.integers(4, high // 2)), int(rng.integers(4, wide // 2))
    plane = plane.copy()
    plane[:, y : y + high // 4, x : x + wide // 4] = 0
    return plane


def _cropped(plane, by):
    out = np.zeros_like(plane)
    out[:, by:-by, by:-by] = plane[:, by:-by, by:-by]
    return out


def _partly_moved(plane, rng, whole=(0, 0)):
    by = [float(n) + float(rng.choice([-1, 1]) * rng.uniform(0.15, 0.85)) for n in whole]
    order = int(rng.choice([1, 3]))
    return np.stack([shift(channel, by, order=order, mode="nearest") for channel in plane])


def _repeated(plane, by):
    return np.repeat(np.repeat(plane[:, ::by, ::by], by, 1), by, 2)[:, : plane.shape[1], : plane.shape[2]]


def _of_two_gamuts(rng):
    p3 = (0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290)  # SMPTE EG 432-1
    bt2020 = (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290)  # ITU-R BT.2020
    known = [*CHROMATICITIES.values(), p3, bt2020]
    one, other = rng.permutation(len(known))[:2]
    return conversion_between(known[one], known[other])


def _order(rng):
    while (order := tuple(int(at) for at in rng.permutation(3))) == (0, 1, 2):
        pass
    return order


OF_ROWS = (
    "missing",
    "unknown",
    "doubled",
    "twice in files",
    "operator",
    "total",
    "subtle gain",
    "noise",
    "alpha",
    "absent",
)


def _two(rng):
    one, other = rng.permutation(["lin_rec709", "acescg", "aces2065_1"])[:2]
    return CHROMATICITIES[one], CHROMATICITIES[other]


def _with(plane, value):
    at = tuple(side // 2 for side in plane.shape[1:])
    bright = np.unravel_index(int(np.argmax(plane.sum(axis=0))), plane.shape[1:])
    at = tuple(int(v) for v in bright) if value is None else at
    plane = plane.copy()
    plane[(1, *at)] = plane[(1, *at)] * 1.02 if value is None else value
    return plane


def is_named(first, beyond: int, causes: set[str], keys: set[str]) -> bool:
    """Whether a suggestion says what was done. beyond: pixels that differ by more than rounding; a handful of them fits
    any cause, and saying just that is right."""
    return (first.code in causes and first.key in keys) or (beyond <= FEW and first.code == "one_pixel")


def broken(name: str, seed: int, target: str = "", **made) -> tuple[Scene, set[str], set[str]]:
    """A scene with a fault, the causes that may be named, and the keys. target: a pass or the beauty; by the seed if
    empty. made: as of a scene."""
    scene = Scene.made(seed, **made)
    lit = scene.lit
    if not target:
        target = str(
            scene.rng.choice(["beauty", "background"] if name in ("light outside",) else [*lit, "beauty", "beauty"])
        )
    if name == "foreign frame":
        if target == "beauty":
            scene.beauty[NOW] = scene.beauty[NOW - 1]
        else:
            scene.planes[NOW][target] = scene.planes[NOW + 1][target]
        return scene, {"wrong_frame"}, {target}
    if name in LOST:
        make, causes = LOST[name]
        target = str(scene.rng.choice(lit))
        scene.change(target, lambda plane: make(scene, plane))
        return scene, causes, {target}
    if name == "camera":
        other = Scene.made(seed + 1000, **made)
        _, high, wide = scene.planes[NOW][target if target != "beauty" else lit[0]].shape
        target = target if target != "beauty" else lit[0]
        taken = np.roll(scene.planes[NOW][target][:, :, ::-1], (high // 3, wide // 3), (1, 2)) * other.rng.uniform(
            0.97, 1.03
        )
        scene.planes[NOW][target] = np.rot90(taken, 2, (1, 2)) if scene.rng.random() < 0.5 else taken
        return scene, {"wrong_frame", "mirrored"}, {target}
    if name in VALUES:
        make, causes = VALUES[name]
        scene.covers = scene.alpha_of(target)
        scene.change(target, lambda plane: make(scene, plane))
        return scene, causes, {target} if name != "one pixel" else {""}
    return scene, *_of_rows(scene, name, str(scene.rng.choice(lit)))


def _of_rows(scene: Scene, name: str, target: str) -> tuple[set[str], set[str]]:
    if name == "missing":
        scene.rows = [row for row in scene.rows if row.source != target]
        return {"missing"}, {target}
    if name == "unknown":
        for planes in scene.planes.values():
            planes["mystery"] = planes.pop(target)
        scene.rows = [row for row in scene.rows if row.source != target]
        scene.facts["mystery"] = {"kind": BY_KEY["depth"] if scene.rng.random() < 0.5 else None}
        return {"missing"}, {"mystery"}
    if name == "absent":
        for planes in scene.planes.values():
            planes.pop(target)
        scene.rows = [row for row in scene.rows if row.source != target]
        return {"absent"}, {target, ""}
    if name == "doubled":
        scene.rows.append(PassRow(id="again", source=target, uses_alpha=False))
        return {"doubled"}, {"again", target}
    if name == "twice in files":
        scene.planes[NOW]["volume"] = scene.planes[NOW][target].copy()
        scene.rows.append(PassRow(id="volume", source="volume", uses_alpha=False))
        return {"doubled"}, {"volume", target}
    if name == "operator":
        at = next(i for i, row in enumerate(scene.rows) if row.source == target)
        scene.rows[at] = scene.rows[at].replace(operator="subtract" if at == 0 else "multiply")
        return {"wrong_operator"}, {target}
    if name == "total":
        if "diffuse_direct" not in scene.planes[NOW]:
            return _of_rows(scene, "doubled", target)
        scene.planes[NOW]["diffuse"] = scene.planes[NOW]["diffuse_direct"] + scene.planes[NOW]["diffuse_indirect"]
        scene.rows.append(PassRow(id="diffuse", source="diffuse", uses_alpha=False))
        return {"total_and_parts"}, {"diffuse"}
    if name == "subtle gain":
        scene.change("beauty", lambda plane: plane * 1.0006)
        return {"gain"}, {"beauty"}
    if name == "alpha":
        scene.alpha[NOW] = scene.alpha[NOW].copy()
        scene.alpha[NOW][5, 7] = np.nan
        return {"not_finite"}, {"beauty"}
    assert name == "noise"
    scene.change(target, lambda plane: plane * scene.rng.lognormal(0, 0.3, plane.shape))
    return {"unexplained"}, {target, ""}
