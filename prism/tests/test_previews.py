"""A preview is what is delivered, made smaller: every operator, kind of row and part of a matte, on sources of flat
blocks.

Where all that a picture is made of is flat within the pixels of a preview, the preview has the very values of the full
picture. Edges that are drawn run through those pixels, so that only the means agree.
"""

import unittest

import numpy as np

from prism.combine.evaluate import evaluate
from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import KINDS
from prism.mattes.parts import KINDS as PARTS
from prism.tests.ledgers import NAMES, Dice
from prism.tests.test_mattes import frame_of

STEP = 4
SMALL = (12, 16)


def blocks(source):
    return tuple(None if plane is None else np.kron(plane, np.ones((STEP, STEP), plane.dtype)) for plane in source)


def of_ids(source):
    """Blocks of bits: Kronecker's product would be arithmetic on them."""
    return tuple(plane.repeat(STEP, axis=-2).repeat(STEP, axis=-1) for plane in source)


class Previews(unittest.TestCase):
    def setUp(self):
        dice = Dice(21)
        made = {key: blocks(source) for key, source in (dice.sources(SMALL) | dice.measured(SMALL)).items()}
        made |= {key: of_ids(source) for key, source in dice.named(SMALL).items()}
        self.frame = frame_of(made)

    def both(self, row, parts=()):
        """The picture full, with each block averaged, and the preview."""
        ground = {"id": "ground", "source": "beauty"}
        mattes = [{"id": "m", "kind": "made", "parts": parts}] if parts else []
        ledger = Ledger.from_json({"alpha": None, "mattes": mattes, "rows": [ground, {"id": "x"} | row]})
        full = evaluate(ledger, self.frame).rgba
        averaged = full.reshape(4, SMALL[0], STEP, SMALL[1], STEP).mean(axis=(2, 4), dtype=np.float64)
        return averaged, evaluate(ledger, self.frame, step=STEP).rgba

    def assert_same(self, *asked):
        full, small = self.both(*asked)
        np.testing.assert_allclose(small, full, rtol=3e-6, atol=3e-6)

    def assert_alike(self, *asked, within):
        full, small = self.both(*asked)
        self.assertLess(np.abs(small - full).mean(), within)
        self.assertGreater(
            np.abs(small - self.both({"source": "beauty", "amount": 0})[1]).max(), 0.05
        )  # it does something

    def test_operators(self):
        trims = {"exposure": 0.5, "saturation": 1.2, "contrast": 1.1, "gamma": 0.9, "clamp": True}
        for key, operator in OPERATORS.items():
            for display in {False, operator.made_for_display}:
                for source in ("logo", "emission"):
                    with self.subTest(key, display=display, source=source):
                        row = {"operator": key, "display": display, "source": source, "amount": 0.75}
                        self.assert_same(row | trims)

    def test_kinds_of_rows(self):
        group = [{"id": "a", "source": "diffuse"}, {"id": "b", "source": "logo", "operator": "over"}]
        exact = {
            "pass": {"source": "logo", "operator": "over"},
            "group": {"rows": group, "operator": "over", "hue": 20},
            "overlay": {"source": "logo", "operator": "over", "x": 8, "y": -4, "crop": (0, 0.25, 0.25, 0)},
            "background": {"operator": "under", "colour": (0.2, 0.4, 0.6)},
            "fog": {"source": "shadow", "near": 0.1, "far": 0.9, "mode": "transmittance", "fills": True},
        }
        by_depth = {"depth", "deep", "card"}  # in test_depth_rows, on samples
        self.assertEqual(set(exact) | by_depth, set(KINDS))
        for kind, row in exact.items():
            with self.subTest(kind):
                self.assert_same({"kind": kind} | row)
        wiped = {
            "kind": "overlay",
            "source": "logo",
            "operator": "over",
            "wipe": 0.6,
            "wipe_soft": 0.4,
            "wipe_angle": 30,
        }
        self.assert_alike(wiped, within=0.01)
        for fill in ("linear", "radial"):
            colours = {"colour": (0, 0.5, 4), "second": (2, 0.1, 0)}
            self.assert_alike(
                {"kind": "background", "operator": "over", "fill": fill, "angle": 60} | colours, within=0.01
            )
        self.assert_alike(exact["overlay"] | {"kind": "overlay", "x": 5.5, "y": 3.25, "scale": 1.2}, within=0.12)

    def test_parts_of_mattes(self):
        corners = [{"x": 5, "y": 5}, {"x": 58, "y": 12}, {"x": 30, "y": 44}]
        stroke = {"points": [[4, 4], [60, 40]], "size": 14, "hardness": 0.6}
        followed = {
            "alpha": {"source": "beauty"},
            "names": {"source": "ids00", "patterns": [NAMES[0], "nut*"]},
            "colour": {"source": "emission", "colour": (0.5, 0.5, 0.5), "tolerance": 0.3, "soft": 0.2},
            "range": {"source": "shadow", "measure": "luminance", "low": 0.3, "high": 0.9, "soft_low": 0.2},
            "direction": {"source": "N", "toward": (0, 1, 0), "angle": 70, "soft": 20},
            "box": {"source": "P", "low": (-1, -1, -1), "high": (1, 1, 1), "soft": 0.5},
        }
        drawn = {"strokes": {"strokes": [stroke]}, "shape": {"form": "polygon", "corners": corners}}
        self.assertEqual(followed.keys() | drawn.keys() | {"matte"}, set(PARTS))  # a matte's are those of the other
        row = {"source": "emission", "matte": "m"}
        for kind, part in followed.items():
            with self.subTest(kind):
                self.assert_same(row, [{"kind": kind, "inverted": True, "amount": 0.8} | part])
        for kind, part in drawn.items():
            for reach in ({}, {"blur": 16}, {"grow": 6}):
                with self.subTest(kind, **reach):
                    self.assert_alike(row, [{"kind": kind} | part | reach], within=0.04)
