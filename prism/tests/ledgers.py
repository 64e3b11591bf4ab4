"""Ledgers and sources made at random, for tests of what must hold for all of them."""

import numpy as np

from prism.ledger.operators import OPERATORS
from prism.mattes.cryptomatte import name_bits
from prism.pixels.window import Window

NAMES = ("bolt", "nut_1", "nut_2")
KEYS = ("beauty", "diffuse", "emission", "shadow", "logo")
FRAME = 1012


class Dice:
    """Everything comes from one seed, so that a failure can be had again."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        self._made = 0

    def chance(self, part: float) -> bool:
        return bool(self.rng.random() < part)

    def pick(self, choices):
        return choices[int(self.rng.integers(len(choices)))]

    def sources(self, shape=(7, 11)):
        """Some with alpha, some without, half and float, from black to well above 1; two hold pixels of nothing at
        all."""
        made = {}
        for number, key in enumerate(KEYS):
            dtype = np.float16 if number % 2 else np.float32
            colour = np.abs(self.rng.normal(0.5, 0.5, (3, *shape)))
            alpha = self.rng.random(shape).clip(0.1, 0.9) if key in ("beauty", "diffuse", "logo") else None
            if alpha is not None:
                alpha = np.where(self.rng.random(shape) < 0.1, 0, np.where(self.rng.random(shape) < 0.1, 1, alpha))
                colour = colour * np.where(self.rng.random(shape) < 0.05, 1, alpha)
            made[key] = (colour.astype(dtype), None if alpha is None else alpha.astype(dtype))
        return made

    def plates(self):
        """Pictures of other sizes than the frame: a sequence with a gap and more pixels than its picture, and a wide
        still."""
        made = {}
        for key, shape, display, aspect, numbers in (
            ("sky", (5, 4), Window(1, 0, 3, 3), 2.0, (1000, 1001, 1004)),
            ("wall", (19, 31), Window(0, 0, 30, 18), 1.0, (None,)),
        ):  # fmt: skip
            window = Window(0, 0, shape[1] - 1, shape[0] - 1)
            made[key] = {}
            for number in numbers:
                alpha = self.rng.random(shape).astype(np.float16) if key == "sky" else None
                colour = self.rng.random((3, *shape)).astype(np.float16)
                made[key][number] = (colour, alpha, window, display, aspect)
        return made

    def named(self, shape):
        """Two passes of a Cryptomatte with odd levels: three names and what has none, coverage of half a pixel and
        less."""
        bits = np.array([*map(name_bits, NAMES), 0x12345678, 0], np.uint32)
        order = np.argsort(self.rng.random((5, *shape)), axis=0)[:3]
        cover = (
            np.sort(self.rng.dirichlet(np.ones(4), shape), axis=-1)[..., ::-1].transpose(2, 0, 1)[:3].astype(np.float32)
        )
        cover[bits[order] == 0] = 0
        ids, none = bits[order].view(np.float32), np.zeros(shape, np.float32)
        return {
            "ids00": (np.stack([ids[0], cover[0], ids[1]]), cover[1]),
            "ids01": (np.stack([ids[2], cover[2], none]), none),
        }

    def measured(self, shape):
        """Directions, some of no length, and places, some of which are no number."""
        normals = self.rng.normal(size=(3, *shape)) * (self.rng.random(shape) > 0.1)
        places = self.rng.normal(size=(3, *shape))
        places[:, 0, :2] = np.nan
        return {"N": (normals.astype(np.float32), None), "P": (places.astype(np.float32), None)}

    def part(self, shape, others=()):
        """Of a matte."""
        high, wide = shape
        kinds = ["alpha", "names", "colour", "range", "direction", "box", "strokes", "shape", *["matte"] * bool(others)]
        kind = self.pick(kinds)
        place = lambda: [self.number(-2, wide + 2), self.number(-2, high + 2)]  # noqa: E731
        spot = lambda: [round(float(self.rng.uniform(0, s)), 2) for s in (wide, high)]  # noqa: E731
        made = {
            "alpha": lambda: {"source": self.pick(["diffuse", "logo"])},
            "matte": lambda: {"of": self.pick(others)},
            "names": lambda: {
                "source": "ids00",
                "names": self.pick([[], [{"id": "12345678"}], [{"id": f"{name_bits('bolt'):08x}", "name": "bolt"}]]),
                "patterns": self.pick([["nut_*"], ["nut_1"], ["*"], ["unknown"]]),
            },
            "colour": lambda: {
                "source": self.pick(KEYS),
                "colour": [0.4, 0.5, 0.6],
                "tolerance": self.number(0, 0.5),
                "soft": self.number(0, 0.5),
                "touching": self.chance(0.5),
                "x": spot()[0],
                "y": spot()[1],
            },
            "range": lambda: {
                "source": self.pick([*KEYS, "P"]),
                "measure": self.pick(["luminance", "first", "second", "third"]),
                "low": self.number(-0.5, 0.5),
                "high": self.number(0.5, 1),
                "soft_low": self.number(0, 0.5),
                "soft_high": self.pick([0, self.number(0.1, 0.5)]),
            },
            "direction": lambda: {
                "source": "N",
                "toward": [0.3, -1, 2],
                "angle": self.number(0, 120),
                "soft": self.number(1, 60),
            },
            "box": lambda: {"source": "P", "low": [-1, -0.5, -2], "high": [0.5, 1, 1], "soft": self.number(0.1, 2)},
            "strokes": lambda: {
                "x": self.number(-2, 2),
                "strokes": [
                    {
                        "points": [spot() for _ in range(int(self.rng.integers(1, 5)))],
                        "size": 1 + 5 * float(self.rng.random()),
                        "hardness": float(self.rng.random()),
                        "opacity": 0.8,
                        "erases": self.chance(0.2),
                        "first": self.pick([None, FRAME - 1, FRAME + 1]),
                    }
                    for _ in range(3)
                ],
            },
            "shape": lambda: self.shape(place, spot),
        }[kind]()
        common = {
            "how": self.pick(["add", "add", "subtract", "intersect", "exclude"]),
            "grow": self.pick([0, 0, self.number(-2.5, 2.5)]),
            "blur": self.pick([0, 0, self.number(0.5, 4)]),
            "inverted": self.chance(0.2),
            "amount": self.pick([1, 0, self.number(0, 1)]),
            "curve": self.pick([{}, {"points": [[0, 0.1], [0.4, 0.2], [1, 0.9]]}]),
        }
        return {"kind": kind} | common | made

    def shape(self, place, spot):
        form = self.pick(["ellipse", "rectangle", "polygon", "smooth", "gradient"])
        if form in ("ellipse", "rectangle"):
            x, y = place()
            sizes = {"width": self.number(2, 9), "height": self.number(1, 6), "turn": self.number(-90, 90)}
            return {"form": form, "x": x, "y": y, "soft": self.number(0, 4), **sizes}
        count = 2 if form == "gradient" else int(self.rng.integers(3, 7))
        corners = [dict(zip("xy", spot(), strict=True)) | {"soft": self.number(0, 3)} for _ in range(count)]
        return {"form": form, "x": self.number(-1, 1), "corners": corners}

    def matte(self, key, shape, others=()):
        parts = [self.part(shape, others) for _ in range(int(self.rng.integers(1, 4)))]
        return {"id": key, "kind": "made", "parts": [parts[0] | {"how": "add"}, *parts[1:]]}

    def number(self, low, high):
        """Plain, or keyed about the frame."""
        if not self.chance(0.3):
            return round(float(self.rng.uniform(low, high)), 3)
        frames = sorted(self.rng.choice(np.arange(FRAME - 5, FRAME + 6), int(self.rng.integers(1, 4)), replace=False))
        return {
            "keys": [
                {
                    "frame": int(at),
                    "value": round(float(self.rng.uniform(low, high)), 3),
                    "ease": self.pick(["linear", "smooth", "hold"]),
                }
                for at in frames
            ]
        }

    def trims(self):
        curve = {"points": [[-0.1, 0.0], [0.3, 0.2], [0.7, 0.9], [2.0, 1.5]]}
        made = {
            "exposure": self.number(-2, 1),
            "gain": self.number(0.2, 2),
            "tint": [self.number(0.2, 1.5) for _ in range(3)],
            "warmth": self.number(-60, 200),
            "offset": [self.number(-0.1, 0.2) for _ in range(3)],
            "hue": self.number(-180, 180),
            "saturation": self.number(0, 1.5),
            "contrast": self.number(0.6, 1.6),
            "pivot": self.number(0.1, 0.5),
            "gamma": self.number(0.6, 1.8),
            "curves": self.pick([{"all": curve}, {"red": {"points": [[0, 0.1], [1, 0.8]]}, "blue": curve}]),
            "clamp": True,
        }
        return {name: value for name, value in made.items() if self.chance(0.2)}

    def row(self, depth=0, operators=tuple(OPERATORS), **fixed):
        self._made += 1
        operator = self.pick(operators)
        row = {
            "id": f"row {self._made}", "operator": operator, "amount": self.pick([1, 1, 0, self.number(0, 1.5)]),
            "on": self.chance(0.9), "solo": self.chance(0.03), "matte": self.pick([None, None, "m", "n"]),
            "matte_on": self.pick(["weight", "weight", "trims"]), **self.trims(),
        }  # fmt: skip
        if OPERATORS[operator].made_for_display:
            row["display"] = self.chance(0.5)
        if depth < 2 and self.chance(0.25):
            rows = [self.row(depth + 1, operators) for _ in range(int(self.rng.integers(0, 4)))]
            begun = {"alpha": self.pick(["beauty", "shadow"])} if self.chance(0.3) else {}
            return row | {"kind": "group", "rows": rows} | begun | fixed
        kind = self.pick(["pass"] * 6 + ["overlay", "background", "fog"])
        if kind != "pass":
            return row | getattr(self, kind)() | fixed
        return row | {"kind": "pass", "source": self.pick(KEYS), "uses_alpha": self.chance(0.8)} | fixed

    def overlay(self):
        return {
            "kind": "overlay",
            "source": self.pick(KEYS),
            "x": self.number(-3, 3),
            "y": self.pick([0, 2, self.number(-3, 3)]),
            "scale": self.pick([1, self.number(0.6, 1.7)]),
            "crop": self.pick([[0, 0, 0, 0], [0.11, 0.23, 0.07, 0.31]]),
            "wipe": self.pick([1, self.number(0, 1)]),
            "wipe_angle": self.number(-90, 200),
            "wipe_soft": self.number(0.05, 0.5),
        }

    def background(self):
        return {
            "kind": "background",
            "fill": self.pick(["colour", "linear", "radial", "picture", "picture"]),
            "angle": self.number(0, 360),
            "colour": [self.number(0, 2) for _ in range(3)],
            "second": [self.number(0, 2) for _ in range(3)],
            "begins": self.number(-0.2, 0.3),
            "ends": self.number(0.6, 1.2),
            "source": self.pick(["sky", "wall"]),
            "uses_alpha": self.chance(0.7),
            "fit": self.pick(["fill", "inside", "stretch", "as-is"]),
            "x": self.number(-3, 3),
            "y": self.pick([0, self.number(-2, 2)]),
            "scale": self.pick([1, self.number(0.4, 2)]),
            "delay": self.pick([0, 7, 11, 14, -20]),
            "beyond": self.pick(["hold", "loop", "nothing"]),
        }

    def fog(self):
        return {
            "kind": "fog",
            "source": self.pick(KEYS),
            "through": self.pick(["mist", "depth", "height"]),
            "mode": self.pick(["mix", "transmittance"]),
            "colour": [self.number(0, 2) for _ in range(3)],
            "near": self.number(0, 0.2),
            "far": self.number(0.5, 2),
            "falloff": self.number(0.5, 2),
            "fills": self.chance(0.4),
        }

    def ledger(self, count=6, **row):
        mattes = [{"id": "m", "kind": "alpha", "source": "logo"}, {"id": "n", "kind": "inverted", "of": "m"}]
        return {
            "format": "eager-prism.ledger", "version": 5, "space": self.pick(["lin_rec709", "acescg"]),
            "alpha": self.pick(["beauty", "shadow", None]), "mattes": mattes,
            "rows": [self.row(**row) for _ in range(int(self.rng.integers(1, count + 1)))],
        }  # fmt: skip
