"""Rows in the order of their depths, against merging and flattening step by step."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from prism.balance.balance import balance
from prism.combine import in_depth
from prism.combine.evaluate import evaluate
from prism.deep import operations as ops
from prism.delivery.second_opinion import rows as ledger_page
from prism.errors import PrismError
from prism.ledger.document import Ledger
from prism.ledger.rows import CardRow, DeepRow, DepthRow
from prism.pixels.resize import averaged
from prism.pixels.window import Window
from prism.sources.pixels import Region
from prism.tests.memory import MemoryClip, MemoryFrame
from prism.tests.test_deep import any_deep

H, W = 8, 10


def scene(seed=0):
    """Two deep passes, a flat picture with soft edges and its depth, which meets that of samples here and there."""
    rng = np.random.default_rng(seed)
    window = Window(0, 0, W - 1, H - 1)
    deep = {
        name: replace(any_deep(rng, pixels=H * W), window=window, display_window=window) for name in ("planets", "mist")
    }
    alpha = rng.choice([0, 0.3, 0.7, 1], (H, W)).astype(np.float32)
    flat = {"bird": (rng.random((3, H, W), np.float32) * alpha, alpha)}
    near = rng.integers(0, 12, (H, W)).astype(np.float32)
    flat |= {"bird depth": (np.stack([near] * 3), None), "half": (np.full((3, H, W), 0.5, np.float32), None)}
    flat |= {name: (np.zeros((3, H, W), np.float32), np.zeros((H, W), np.float32)) for name in deep}
    frame = MemoryFrame(flat, deep=deep)
    frame.clips = {
        key: MemoryClip(key, {None: (np.stack(frame.pixels(key).planes), frame.pixels(key).alpha, window, window, 1.0)})
        for key in flat
    }
    return frame


def as_lists(samples):
    """By place, (front, back, alpha, colour) of every sample."""
    found = {}
    for number, pixel in enumerate(samples.pixels):
        own = (*samples.depth[number].astype(float), float(samples.alpha[number]), samples.colour[number].astype(float))
        found.setdefault(divmod(int(pixel), W), []).append(own)
    return found


def rebuilt(frame, *rows, **how):
    return evaluate(
        Ledger(name="l", beauty="bird", alpha=None, rows=(DepthRow(id="group", rows=rows, **how),)), frame
    ).rgba


def expected(*pictures):
    """By merging all of it."""
    alpha, colour, _ = ops.flattened(ops.merged(pictures))
    return np.concatenate([colour, alpha[np.newaxis]])


class _Rows:
    """Rows of any kind that has a depth, by chance."""

    def __init__(self, seed):
        self.rng = np.random.default_rng(seed)

    def pick(self, *values):
        return values[self.rng.integers(len(values))]

    def any_row(self, kind, source):
        return {
            "id": f"row {self.rng.integers(1 << 40)}", "kind": kind, "source": source,
            "amount": self.pick(1, 1, 0.5, 0),
            "exposure": self.pick(0, 1), "gamma": self.pick(1, 1.3), "hue": self.pick(0, 40),
            "matte": self.pick(None, None, "m"), "matte_on": self.pick("weight", "trims"),
            "hides": self.pick(*[False] * 4, True),
        }  # fmt: skip

    def deep(self):
        ranged = {"range_on": self.pick("off", "weight", "trims"), "near": self.pick(3, 3, 3, 8), "far": 7}
        moved = {"add": self.pick(0, 0.5, -3), "times": self.pick(1, 0.5)}
        return self.any_row("deep", self.pick("planets", "mist")) | ranged | moved

    def card(self):
        placed = {"x": self.pick(0, 2.5), "fit": self.pick("fill", "as-is")}
        depth = {"depth": self.pick(2, 5.5), "depth_from": self.pick(None, "bird depth")}
        return self.any_row("card", self.pick("bird", "half")) | placed | depth


class Ordered(unittest.TestCase):
    def setUp(self):
        self.frame = scene()
        self.planets, self.mist = self.frame.deep["planets"], self.frame.deep["mist"]
        pixels = self.frame.pixels("bird")
        self.bird = np.stack([*pixels.planes, pixels.alpha])

    def card(self, depth):
        return ops.placed(self.bird, depth, window=self.frame.window, display=self.frame.window)

    def close(self, a, b):
        np.testing.assert_allclose(a, b, atol=3e-6)

    def test_as_merged_and_flattened_in_any_order_of_rows(self):
        rows = [DeepRow(id="a", source="planets"), DeepRow(id="b", source="mist"),
                CardRow(id="c", source="bird", depth=5)]  # fmt: skip
        wanted = expected(self.planets, self.mist, self.card(5.0))
        self.close(rebuilt(self.frame, *rows), wanted)
        self.close(rebuilt(self.frame, *rows[::-1]), wanted)
        moved = rebuilt(self.frame, rows[0].replace(add=2.0, times=3.0), *rows[1:])
        self.close(moved, expected(ops.moved(self.planets, add=2.0, times=3.0), self.mist, self.card(5.0)))

    def test_cards_between_samples_at_their_depths_and_in_volumes(self):
        for seed in range(20):
            frame = scene(seed)
            planets, pixels = frame.deep["planets"], frame.pixels("bird")
            bird = np.stack([*pixels.planes, pixels.alpha])
            own = frame.pixels("bird depth").planes[0]
            row = CardRow(id="c", source="bird", depth=0.0, depth_from="bird depth")
            by_depth = ops.placed(bird, own, window=frame.window, display=frame.window)
            self.close(rebuilt(frame, DeepRow(id="a", source="planets"), row), expected(planets, by_depth))
            several = [ops.placed(bird, at, window=frame.window, display=frame.window) for at in (2.5, 4.0)]
            cards = [CardRow(id=f"c{at}", source="bird", depth=at) for at in (4.0, 2.5)]
            self.close(rebuilt(frame, *cards, DeepRow(id="a", source="planets")), expected(planets, *several))

    def test_depths_of_a_card_are_not_blended(self):
        """Beside infinity, where its picture has soft edges, and when it is pushed by less than a pixel."""
        own = self.frame.clips["bird depth"].at(1)
        own.pixels("bird depth").planes[0][:, ::2] = np.inf
        card = CardRow(id="c", source="bird", depth=0.0, depth_from="bird depth", x=0.25)
        alone = CardRow(id="c", source="bird", depth=1.0, x=0.25)
        shown, whole = rebuilt(self.frame, card), rebuilt(self.frame, alone)
        self.close(shown[:, :, 1::2], whole[:, :, 1::2])
        self.assertFalse(shown[:, :, ::2].any())

    def test_a_holdout_covers_and_shows_nothing(self):
        self.close(
            rebuilt(self.frame, DeepRow(id="a", source="planets"), DeepRow(id="b", source="mist", hides=True)),
            expected(ops.held_out(self.planets, self.mist)),
        )
        behind = rebuilt(
            self.frame, DeepRow(id="a", source="planets"), CardRow(id="c", source="half", depth=5, hides=True)
        )
        self.close(behind, expected(ops.cut(self.planets, -np.inf, 5.0)))

    def test_ranges_trims_and_weights_are_of_samples(self):
        row = DeepRow(id="a", source="planets", range_on="weight", near=2.0, far=7.0)
        self.close(rebuilt(self.frame, row), expected(ops.cut(self.planets, 2.0, 7.0)))
        parts = ops.split_at(self.planets, [2.0, 7.0])
        middle = parts.depth.mean(axis=1, keepdims=True)
        brighter = replace(parts, colour=parts.colour * np.where((middle >= 2) & (middle < 7), 4, 1).astype(np.float32))
        self.close(rebuilt(self.frame, row.replace(range_on="trims", exposure=2.0)), expected(brighter))
        faint = replace(self.planets, colour=self.planets.colour * np.float32(0.5), alpha=self.planets.alpha / 2)
        self.close(rebuilt(self.frame, DeepRow(id="a", source="planets", amount=0.5)), expected(faint))

    def test_fog_lies_before_every_sample(self):
        how = {"fog_mode": "mix", "fog_colour": (1.0, 0.5, 0.0), "fog_near": 2.0, "fog_far": 8.0, "fog_amount": 0.8}
        share = 0.8 * ((self.planets.depth.mean(axis=1) - 2) / 6).clip(0, 1)[:, np.newaxis]
        fog = np.array([1.0, 0.5, 0.0]) * self.planets.alpha[:, np.newaxis]
        colour = self.planets.colour + share * (fog - self.planets.colour)
        fogged = replace(self.planets, colour=colour.astype(np.float32))
        self.close(rebuilt(self.frame, DeepRow(id="a", source="planets"), **how), expected(fogged))

    def test_a_preview_is_the_full_picture_made_smaller_and_a_region_a_part(self):
        pair = (CardRow(id="c", source="bird", depth=3), DeepRow(id="b", source="mist"))
        rows = (DeepRow(id="a", source="planets", exposure=1.0), DepthRow(id="g", amount=0.7, rows=pair))
        ledger = Ledger(name="l", beauty="bird", alpha=None, rows=rows)
        full = evaluate(ledger, self.frame).rgba
        alone = expected(self.planets)
        group = 0.7 * expected(self.mist, self.card(3.0))
        self.close(full, group + (1 - group[3]) * (alone * np.array([2, 2, 2, 1])[:, np.newaxis, np.newaxis]))
        small = Ledger(name="l", beauty="bird", alpha=None, rows=(DepthRow(id="g", rows=pair),))
        halves = np.stack([averaged(plane, 2) for plane in evaluate(small, self.frame).rgba])
        self.close(evaluate(small, self.frame, step=2).rgba, halves)
        box = evaluate(ledger, Region(self.frame, Window(2, 3, 6, 5))).rgba
        self.close(box, full[:, 3:6, 2:7])

    def test_previews_of_large_frames_are_pixels_of_the_full_picture(self):
        rows = (
            DeepRow(id="a", source="planets"),
            CardRow(id="c", source="bird", depth=5),
            DeepRow(id="b", source="mist"),
        )
        full = rebuilt(self.frame, *rows)
        ledger = Ledger(name="l", beauty="bird", alpha=None, rows=(DepthRow(id="group", rows=rows),))
        with mock.patch.object(in_depth, "MOST_AVERAGED", 0):
            small = evaluate(ledger, self.frame, step=3).rgba
        self.close(small, full[:, [1, 4, 7]][:, :, [1, 4, 7, 9]])

    def test_as_the_page_of_the_format_has_it(self):
        for seed in range(30):
            frame, dice = scene(seed), _Rows(seed)
            mattes = [{"id": "m", "kind": "alpha", "source": "bird"}]
            rows = [dice.pick(dice.deep, dice.card)() for _ in range(dice.rng.integers(0, 4))]
            group = {"kind": "depth", "id": "g", "rows": rows, "exposure": dice.pick(0, -1), "fog_near": 1}
            group |= {"fog_mode": dice.pick("none", "mix", "transmittance"), "fog_far": 9, "fog_falloff": 1.5}
            rows = [{"id": "ground", "source": "half"}, group, dice.deep(), dice.card()]
            document = {"alpha": None, "mattes": mattes, "rows": rows}
            flat = {key: (np.stack(pixels.planes), pixels.alpha) for key, pixels in frame._pixels.items()}
            plates = {key: {None: (*plane, frame.window, frame.window, 1.0)} for key, plane in flat.items()}
            deep = {key: as_lists(samples) for key, samples in frame.deep.items()}
            said = ledger_page.picture(document, flat, 1, (H, W), plates, deep)
            with self.subTest(seed=seed, document=document):
                np.testing.assert_allclose(evaluate(Ledger.from_json(document), frame).rgba, said, rtol=2e-5, atol=2e-5)

    def test_deep_passes_balance_against_the_flat_beauty(self):
        for seed in range(5):
            deep = scene(seed).deep["planets"]
            whole = expected(deep)
            flat = {"beauty": (whole[:3].astype(np.float16), whole[3].astype(np.float16))}
            flat |= {"deep": (whole[:3], whole[3])}
            ledger = Ledger(name="l", beauty="beauty", alpha=None, rows=(
                DepthRow(id="g", rows=(DeepRow(id="d", source="deep", add=3.0, range_on="weight", far=0.5),)),
            ))  # fmt: skip
            self.assertTrue(balance(ledger, MemoryFrame(flat, deep={"deep": deep})).balanced)
            lost = deep.kept(np.arange(len(deep)) != np.argmax(deep.alpha * deep.colour.max(axis=1)))
            found = balance(ledger, MemoryFrame(flat, deep={"deep": lost}))
            self.assertEqual((found.balanced, found.wrong), (False, 1))

    def test_what_cannot_be_is_refused_in_words(self):
        rows = [{"kind": "depth", "id": "g", "rows": [{"id": "p", "source": "half"}]}]
        with self.assertRaisesRegex(PrismError, "takes deep passes and cards; move p out of it"):
            Ledger.from_json(Ledger(name="l", beauty="b").as_json() | {"rows": rows})
