"""Mattes: the published page against our planes, Cryptomatte files by hand, drawn shapes against supersampled ones."""

import json
import unittest

import numpy as np
import OpenEXR
from scipy import ndimage

from prism.combine.evaluate import Evaluator, evaluate
from prism.combine.histogram import of_source
from prism.delivery.second_opinion import rows as ledger_page
from prism.errors import BadArgument, BadDocument, UnknownSource
from prism.formats.headers import Attribute
from prism.ledger.document import Ledger
from prism.mattes import ranks
from prism.mattes.cryptomatte import flat_colours, header, name_bits, name_floats, ranked
from prism.mattes.document import MadeMatte
from prism.mattes.drawn import shape, strokes
from prism.mattes.morphing import blurred, grown
from prism.mattes.parts import NamesPart, ShapePart, Stroke, StrokesPart
from prism.mattes.picking import picked
from prism.mattes.plan import plans
from prism.mattes.planes import matte_plane
from prism.pixels.blur import WIDE
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.sources.store import PixelStore
from prism.tests.frames import FolderCase
from prism.tests.ledgers import FRAME, NAMES, Dice
from prism.tests.memory import MemoryFrame
from prism.viewing.mattes import MatteSubject

SHAPE = (13, 17)


def said(layer, names):
    return {key: Attribute("string", text.encode()) for key, text in header(layer, names).items()}


def frame_of(sources):
    frame = MemoryFrame(sources, FRAME)
    frame.facts["ids00"] = {"attributes": said("ids", NAMES), "colour": ("ids00.R", "ids00.G", "ids00.B")}
    return frame


def made(*parts, key="m"):
    return MadeMatte.model_validate({"id": key, "kind": "made", "parts": list(parts)})


def plane(frame, *parts, step=1):
    return matte_plane(plans((made(*parts),), frame.number)["m"], frame, step)


def drawn(shape, **part):
    return plane(MemoryFrame({"x": (np.zeros((3, *shape), np.float32), None)}), {"kind": "shape"} | part)


class Page(unittest.TestCase):
    def test_random_mattes(self):
        """All kinds of parts, grown, blurred, curved, keyed and joined, on what the page says of them."""
        for seed in range(250):
            with self.subTest(seed=seed):
                dice = Dice(1000 + seed)
                sources = dice.sources(SHAPE) | dice.named(SHAPE) | dice.measured(SHAPE)
                mattes = [dice.matte("m", SHAPE), dice.matte("n", SHAPE, ["m"])]
                page = ledger_page.Page({"alpha": None, "mattes": mattes}, sources, FRAME, SHAPE, {}, manifest=NAMES)
                document = Ledger.from_json({"alpha": None, "mattes": mattes})
                ready = plans(document.mattes, FRAME, document.space)
                for key in "mn":
                    got = matte_plane(ready[key], frame_of(sources), 1)
                    self.assertTrue(0 <= got.min() <= got.max() <= 1)
                    np.testing.assert_allclose(got, page.mattes[key], atol=3e-5)

    def test_the_page_has_teeth(self):
        """Another word in the document is another plane: nothing that is offered is without effect."""
        dice = Dice(5)
        sources = dice.sources(SHAPE) | dice.named(SHAPE) | dice.measured(SHAPE)
        frame = frame_of(sources)
        part = {
            "kind": "range",
            "source": "diffuse",
            "measure": "second",
            "low": 0.3,
            "high": 0.6,
            "soft_low": 0.2,
            "soft_high": 0.2,
        }
        before = plane(frame, part)
        curve = {"points": [[0, 0], [0.5, 0.1], [1, 1]]}
        changes = (
            {"low": 0.4},
            {"high": 0.5},
            {"soft_low": 0.5},
            {"soft_high": 0.5},
            {"measure": "luminance"},
            {"grow": 1},
            {"grow": -0.5},
            {"blur": 2},
            {"curve": curve},
            {"inverted": True},
            {"amount": 0.5},
        )
        for change in changes:
            self.assertGreater(np.abs(plane(frame, part | change) - before).max(), 1e-3, change)


class Algebra(unittest.TestCase):
    def test_a_name_and_its_complement_make_the_whole(self):
        """Trimmed inside a matte and in its complement, the rows sum to the row trimmed whole; limiting only the trims
        does as well."""
        dice = Dice(7)
        sources = dice.sources(SHAPE) | dice.named(SHAPE)
        names = {"kind": "names", "source": "ids00", "patterns": ["nut_*"]}
        mattes = [{"id": "m", "kind": "made", "parts": [names]}, {"id": "n", "kind": "inverted", "of": "m"}]
        trims = {"source": "diffuse", "exposure": 1.3, "tint": [0.4, 1, 1.2], "contrast": 1.2, "uses_alpha": False}

        def summed(*rows):
            rows = [{"id": str(index)} | trims | row for index, row in enumerate(rows)]
            return evaluate(Ledger.from_json({"alpha": None, "mattes": mattes, "rows": rows}), frame_of(sources)).rgba

        whole = summed({})
        np.testing.assert_allclose(summed({"matte": "m"}, {"matte": "n"}), whole, rtol=2e-6, atol=2e-6)
        inner = {
            "kind": "group",
            "id": "g",
            "rows": [{"id": "d", "matte": "m", "matte_on": "trims"} | trims],
            "exposure": 0,
        }
        group = {"kind": "group", "rows": inner["rows"], "id": "g"}
        inside = evaluate(Ledger.from_json({"alpha": None, "mattes": mattes, "rows": [group]}), frame_of(sources)).rgba
        plain = evaluate(
            Ledger.from_json({"alpha": None, "rows": [{"id": "d", "source": "diffuse", "uses_alpha": False}]}),
            frame_of(sources),
        ).rgba
        cover = plane(frame_of(sources), names)
        np.testing.assert_allclose(inside[:3], plain[:3] + cover * (whole[:3] - plain[:3]), rtol=1e-5, atol=1e-6)
        self.assertTrue((inside[:3][:, cover == 0] == plain[:3][:, cover == 0]).all())

    def test_all_mattes_of_one_kind_make_one(self):
        """Where the ranks kept hold all of a pixel, its mattes sum to 1; what they do not is said to be lost."""
        dice = Dice(8)
        sources = dice.named((40, 50))
        frame = frame_of(sources)
        each = [
            plane(frame, {"kind": "names", "source": "ids00", "names": [{"id": share.id}]})
            for share in ranks.shares(frame, "ids00")
        ]
        total = sum(each)
        held = sum(np.where(ids != 0, cover, 0) for ids, cover in ranks.ranks(frame, "ids00"))
        np.testing.assert_allclose(total, held, atol=1e-6)
        self.assertAlmostEqual(ranks.lost(frame, "ids00", np.ones((40, 50))), float((1 - held).mean()), places=5)
        every = plane(
            frame,
            *({"kind": "names", "source": "ids00", "names": [{"id": s.id}]} for s in ranks.shares(frame, "ids00")),
        )
        np.testing.assert_allclose(every, total.clip(0, 1), atol=1e-6)

    def test_order_and_references(self):
        both = [{"id": "m", "kind": "made", "parts": [{"kind": "matte", "of": "n"}]}, {"id": "n", "kind": "made"}]
        with self.assertRaisesRegex(BadDocument, "made of n, which does not stand before"):
            Ledger.from_json({"alpha": None, "mattes": both})
        with self.assertRaisesRegex(BadDocument, "one of the kinds alpha, matte, names"):
            Ledger.from_json({"alpha": None, "mattes": [{"id": "m", "kind": "made", "parts": [{"kind": "magic"}]}]})
        lost = {"id": "m", "kind": "made", "parts": [{"kind": "names", "source": "gone00"}]}
        rows = [{"id": "x", "source": "ids00", "matte": "m"}]
        with self.assertRaisesRegex(UnknownSource, "gone00"):
            evaluate(Ledger.from_json({"alpha": None, "mattes": [lost], "rows": rows}), frame_of(Dice(1).named(SHAPE)))


class Picked(unittest.TestCase):
    """What a press tells, taken into a part, holds the place that was pressed."""

    def setUp(self):
        dice = Dice(21)
        self.sources = dice.sources(SHAPE) | dice.named(SHAPE) | dice.measured(SHAPE)
        self.frame = frame_of(self.sources)
        self.frame.window = self.frame.display_window = Window(3, 2, 19, 14)  # so that places are not numbers of rows

    def pick(self, source, x, y, x1=None, y1=None, **how):
        return picked(self.frame, source, Window(x + 3, y + 2, (x1 or x) + 3, (y1 or y) + 2), **how)

    def test_a_press_is_inside_of_what_it_picks(self):
        for x, y in ((0, 1), (16, 12), (7, 5)):
            colour = self.pick("diffuse", x, y)["colour"]
            place = {"x": x + 0.5, "y": y + 0.5, "touching": True}
            parts = (
                {"kind": "colour", "source": "diffuse", "colour": colour, "tolerance": 1e-3, **place},
                {"kind": "direction", "source": "N", "toward": self.pick("N", x, y)["colour"], "angle": 1, "soft": 0},
            )
            for part in parts:
                lies = self.sources["N"][0][:, y, x].any() or part["kind"] == "colour"
                self.assertEqual(plane(self.frame, part)[y, x], float(lies), part)

    def test_a_box_holds_all_that_lies_in_it(self):
        box = self.pick("P", 2, 1, 9, 8)
        inside = plane(self.frame, {"kind": "box", "source": "P", "low": box["least"], "high": box["most"]})
        self.assertTrue((inside[1:9, 2:10] == 1).all())
        for what in ("luminance", "second"):
            ends = self.pick("diffuse", 2, 1, 9, 8, measured=what)
            part = {"kind": "range", "source": "diffuse", "measure": what, "low": ends["low"], "high": ends["high"]}
            self.assertTrue((plane(self.frame, part)[1:9, 2:10] == 1).all(), what)

    def test_nothing_where_nothing_is(self):
        self.assertEqual(self.pick("P", 0, 0)["low"], None)  # a place that is no number
        with self.assertRaisesRegex(BadArgument, "Press inside"):
            self.pick("P", 90, 0)

    def test_names_of_a_pixel_and_of_a_box(self):
        (most,) = self.pick("ids00", 4, 4)["names"]
        self.assertEqual(most["id"], ranks.at_pixel(self.frame, "ids00", 4, 4)[0].id)
        whole = {share.id: share.pixels for share in ranks.shares(self.frame, "ids00")}
        self.assertEqual(
            {name["id"] for name in self.pick("ids00", 0, 0, 16, 12)["names"]}, {i for i, n in whole.items() if n}
        )
        self.assertEqual(self.pick("ids00", 2, 2, 4, 4)["names"], [])  # a bit of everything is not meant

    def test_counted_for_a_range(self):
        counted = of_source(self.frame, "diffuse", "second", "lin_rec709")
        values = self.sources["diffuse"][0][1].astype(np.float32)
        expected = np.histogram(
            values.clip(counted.low, counted.high), len(counted.counts[0]), (counted.low, counted.high)
        )[0]
        self.assertLessEqual(np.abs(expected - counted.counts[0]).sum(), 4)


class Morphing(unittest.TestCase):
    """Against SciPy's filters and its distance transform."""

    def setUp(self):
        self.soft = np.random.default_rng(3).random((31, 45)).astype(np.float32)

    def test_grown_is_the_largest_within_a_disc(self):
        hard = (self.soft > 0.97).astype(np.float32)
        for radius in (1, 3, 7, 22):
            np.testing.assert_array_equal(grown(hard, radius), ndimage.distance_transform_edt(1 - hard) <= radius)
            y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
            disc = x**2 + y**2 <= radius**2
            np.testing.assert_array_equal(
                grown(self.soft, radius), ndimage.grey_dilation(self.soft, footprint=disc, mode="nearest")
            )
            eroded = ndimage.grey_erosion(self.soft, footprint=disc, mode="nearest")
            np.testing.assert_allclose(grown(self.soft, -radius), eroded, atol=1e-7)

    def test_grown_from_few_places_is_what_lies_within_the_radius(self):
        """Where the nearest one may lie on any side, and far away: SciPy's distance transform."""
        hard = np.zeros((90, 140), np.float32)
        hard[tuple(np.random.default_rng(5).integers(0, (90, 140), (6, 2)).T)] = 1
        hard[0, 0] = hard[-1, -1] = 1
        for radius in (2, 19, 20, 33, 60):
            np.testing.assert_array_equal(grown(hard, radius), ndimage.distance_transform_edt(1 - hard) <= radius)
            turned = grown(np.ascontiguousarray(hard[::-1, ::-1]), radius)
            np.testing.assert_array_equal(turned[::-1, ::-1], grown(hard, radius))

    def test_grown_far_lies_within_blocks_of_it(self):
        """Soft mattes far grown: between the exact ones of two blocks less and of two blocks more."""
        rng = np.random.default_rng(8)
        soft = ndimage.gaussian_filter((rng.random((150, 170)) > 0.9995).astype(np.float64), 2)
        soft = (soft / soft.max()).astype(np.float32)
        y, x = np.mgrid[-60:61, -60:61]
        for radius, block in ((30, 2), (49.5, 3)):
            least, most = (
                ndimage.grey_dilation(soft, footprint=np.hypot(x, y) <= radius + sign * 2 * block, mode="nearest")
                for sign in (-1, 1)
            )
            got = grown(soft, radius)
            self.assertTrue((got >= least - 0.005).all() and (got <= most + 0.005).all())
            np.testing.assert_allclose(grown(1 - soft, -radius), 1 - got, atol=1e-6)

    def test_blurred_is_a_gaussian(self):
        for deviation in (0.4, 1, 6.5, 30):
            expected = ndimage.gaussian_filter(self.soft.astype(np.float64), deviation, mode="nearest")
            within = 1e-6 if deviation < WIDE else 0.005
            np.testing.assert_allclose(blurred(self.soft, deviation), expected, atol=within)
        step = (np.mgrid[:120, :90][1] > 40).astype(np.float32)
        for deviation in (10, 25, 70):
            expected = ndimage.gaussian_filter(step.astype(np.float64), deviation, mode="nearest")
            np.testing.assert_allclose(blurred(step, deviation), expected, atol=0.005)


class Thin(unittest.TestCase):
    def test_lines_thinner_than_a_pixel_cover_what_they_are_wide(self):
        """Across a line the coverage sums to its width, wherever it lies between the pixels (plain geometry)."""
        for size in (0.05, 0.3, 0.9, 2.5):
            for x in (10.0, 10.3, 10.5):
                stroke = Stroke(points=[(x, -50), (x, 90)], size=size, hardness=1, opacity=1)
                laid = strokes(StrokesPart(strokes=(stroke,)), (40, 21), (0, 0), 1)
                self.assertAlmostEqual(float(laid[20].sum()), size, 5)
                part = ShapePart(form="rectangle", x=x, y=20, width=size, height=200)
                drawn = shape(part, (40, 21), (0, 0), 1)
                self.assertAlmostEqual(float(drawn[20].sum()), size, 5)
                corners = [{"x": x + dx, "y": y} for dx, y in ((0, -9), (size, -9), (size, 50), (0, 50))]
                drawn = shape(ShapePart(form="polygon", corners=corners), (40, 21), (0, 0), 1)
                self.assertAlmostEqual(float(drawn[20].sum()), size, 5)


class Drawn(unittest.TestCase):
    """Against the same shape with 16 x 16 samples a pixel."""

    def check(self, inside, part, *, within=0.09):
        got = drawn((40, 50), **part)
        fine = (np.arange(50 * 16) + 0.5) / 16, (np.arange(40 * 16) + 0.5) / 16
        expected = inside(*np.meshgrid(*fine)).reshape(40, 16, 50, 16).mean(axis=(1, 3))
        self.assertLess(np.abs(got - expected).max(), within)
        self.assertLess(abs(got.sum() - expected.sum()) / expected.sum(), 0.01)

    def test_shapes(self):
        self.check(
            lambda x, y: np.hypot((x - 24) / 15, (y - 19) / 9) < 1,
            {"form": "ellipse", "x": 24, "y": 19, "width": 30, "height": 18}, within=0.16,
        )  # fmt: skip
        self.check(
            lambda x, y: (abs(x - 20) < 11) & (abs(y - 15) < 5),
            {"form": "rectangle", "x": 20, "y": 15, "width": 22, "height": 10},
        )
        triangle = [{"x": 5, "y": 5}, {"x": 45, "y": 11}, {"x": 14, "y": 36}]

        def inside(x, y):
            sides = zip(triangle, [*triangle[1:], triangle[0]], strict=True)
            return np.all(
                [(b["x"] - a["x"]) * (y - a["y"]) - (b["y"] - a["y"]) * (x - a["x"]) > 0 for a, b in sides], axis=0
            )

        self.check(inside, {"form": "polygon", "corners": triangle}, within=0.01)

    def test_a_stroke_is_round(self):
        frame = MemoryFrame({"x": (np.zeros((3, 40, 50), np.float32), None)})
        stroke = {"points": [[10, 12], [35, 26]], "size": 12, "hardness": 1}
        got = plane(frame, {"kind": "strokes", "strokes": [stroke]})
        length = np.hypot(25, 14)
        self.assertAlmostEqual(got.sum() / (12 * length + np.pi * 36), 1, delta=0.01)
        rubbed = plane(frame, {"kind": "strokes", "strokes": [stroke, stroke | {"erases": True}]})
        self.assertLess(rubbed.max(), 0.3)

    def test_drawn_alike_at_every_size(self):
        """A preview is what is delivered, made smaller: overscan and its place as well."""
        frame = MemoryFrame({"x": (np.zeros((3, 96, 128), np.float32), None)})
        frame.window, frame.display_window = Window(-8, -4, 119, 91), Window(0, 0, 111, 87)
        parts = (
            {
                "kind": "shape",
                "form": "smooth",
                "corners": [{"x": 20, "y": 20, "soft": 30}, {"x": 90, "y": 30}, {"x": 50, "y": 80}],
            },
            {
                "kind": "strokes",
                "strokes": [{"points": [[10, 10], [100, 70]], "size": 20, "hardness": 0.5}],
                "how": "subtract",
            },
        )
        whole = plane(frame, *parts)
        small = whole.reshape(24, 4, 32, 4).mean(axis=(1, 3))
        self.assertLess(np.abs(plane(frame, *parts, step=4) - small).mean(), 0.01)
        spot = plane(frame, {"kind": "shape", "x": 0, "y": 0, "width": 3, "height": 3})
        self.assertEqual(np.unravel_index(spot.argmax(), spot.shape), (3, 7))


class OtherMakers(FolderCase):
    """Files as other programs write them, by OpenEXR's own binding."""

    NAMED = ("hero", "bunny", "set/floor_01")

    def planes(self):
        things, shares = np.zeros((8, 12, 4), np.int32), np.zeros((8, 12, 4))
        things[:], shares[:] = [0, 1, 2, -1], [0.5, 0.3, 0.15, 0]
        colour = {c: np.full((8, 12), 0.5, np.float16) for c in "RGB"} | {"A": np.ones((8, 12), np.float16)}
        return colour, ranked(things, shares, name_floats(self.NAMED), 3)

    def write(self, name, *parts):
        head = {"type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION}
        made = [OpenEXR.Part(head | more, channels, name=part) for part, channels, more in parts]
        OpenEXR.File(made).write(str(self.folder / name))
        return find_sources([self.folder / name])

    def check(self, frame):
        self.assertEqual([s.key for s in ranks.first_ranks(frame)], ["crypto_object00"])
        found = ranks.shares(frame, "crypto_object00")
        self.assertEqual([share.name for share in found], list(self.NAMED))
        self.assertAlmostEqual(ranks.lost(frame, "crypto_object00", frame.pixels("beauty").alpha), 0.05, places=6)

    def test_a_part_for_every_layer(self):
        colour, planes = self.planes()
        said = header("CryptoObject", self.NAMED)
        layers = [
            (f"CryptoObject{n:02}", dict(zip("RGBA", planes[4 * n : 4 * n + 4], strict=True)), said) for n in (0, 1)
        ]
        self.check(self.write("parts.exr", ("rgba", colour, {}), *layers))

    def test_a_manifest_beside_the_file(self):
        """With the preview layer that nobody needs; a manifest that lies elsewhere is not looked for."""
        colour, planes = self.planes()
        for index, plane in enumerate(planes):
            colour[f"CryptoObject{index // 4:02}.{'RGBA'[index % 4]}"] = plane
        colour |= {f"CryptoObject.{c}": np.zeros((8, 12), np.float32) for c in "RGB"}
        said = {key: text for key, text in header("CryptoObject", self.NAMED).items() if not key.endswith("/manifest")}
        names = {name: f"{name_bits(name):08x}" for name in self.NAMED}
        (self.folder / "names.json").write_text(json.dumps(names))
        beside = "cryptomatte/3ae39a5/manif_file"
        frame = self.write("one.exr", ("all", colour, said | {beside: "names.json"}))
        self.check(frame)
        # Another manifest for the same image is another matte.
        made = MadeMatte(id="m", parts=({"kind": "names", "source": "crypto_object00", "patterns": ("*",)},))
        plan = plans((made,), 1)["m"]
        self.assertGreater(matte_plane(plan, frame).max(), 0)
        (self.folder / "names.json").write_text("{}")
        self.assertEqual(matte_plane(plan, frame).max(), 0)
        # A name that no file can have is none.
        odd = self.write("odd.exr", ("all", colour, said | {beside: "names\0.json"}))
        self.assertEqual((ranks.manifest(odd, "crypto_object00"), odd.identity() == odd.identity()), ({}, True))
        inner = self.folder / "inner"
        inner.mkdir()
        frame = self.write("inner/far.exr", ("all", colour, said | {beside: "../names.json"}))
        self.assertEqual(ranks.manifest(frame, "crypto_object00"), {})


class Looked(unittest.TestCase):
    def test_what_is_kept_under_a_tint_changes_nothing(self):
        """Whether the matte limits a row or none, and whichever row it is."""
        rng = np.random.default_rng(4)
        frame = MemoryFrame({key: (rng.random((3, 8, 12)).astype(np.float16), None) for key in "abc"})
        evaluator = Evaluator(PixelStore())
        for limited in (None, "a", "c"):
            for width in (4, 7, 9):
                shape = {"kind": "shape", "form": "ellipse", "x": 6, "y": 4, "width": width, "height": 5}
                rows = [
                    {"id": key, "source": key, "exposure": 1, "matte": "m" if key == limited else None} for key in "abc"
                ]
                mattes = [{"id": "m", "kind": "made", "parts": [shape]}]
                ledger = Ledger.model_validate({"alpha": None, "rows": rows, "mattes": mattes})
                seen = MatteSubject(ledger=ledger, matte="m", evaluator=evaluator).shown(frame).picture.rgba
                np.testing.assert_array_equal(seen, MatteSubject(ledger=ledger, matte="m").shown(frame).picture.rgba)


class Cryptomatte(unittest.TestCase):
    """Written by hand from the open specification (1.2.0); values of the specification's own example names from
    memory."""

    def frame(self, pixels, names, attributes=None, **facts):
        """pixels: for each, (name or bits, coverage) by falling coverage; as many passes as they need."""
        count = -(-max(map(len, pixels)) // 2)
        sources = {}
        for number in range(count):
            four = np.zeros((4, 1, len(pixels)), np.float32)
            for column, held in enumerate(pixels):
                for rank, (name, cover) in enumerate(held[2 * number : 2 * number + 2]):
                    bits = name if isinstance(name, int) else name_bits(name)
                    four[2 * rank, 0, column : column + 1] = np.array([bits], np.uint32).view(np.float32)
                    four[2 * rank + 1, 0, column] = cover
            sources[f"ids{number:02}"] = (four[:3], four[3])
        frame = MemoryFrame(sources)
        frame.facts["ids00"] = {"attributes": attributes or said("ids", names), "colour": ("ids00.R",)} | facts
        return frame

    def cover(self, frame, **part):
        return ranks.coverage(frame, NamesPart(source="ids00", **part))[0].tolist()

    def test_values_of_the_specification(self):
        frame = self.frame([[("hero", 0.5), ("bunny", 0.3), ("set/floor_01", 0.15)]], ["hero", "bunny", "set/floor_01"])
        self.assertAlmostEqual(self.cover(frame, patterns=("hero", "set/*"))[0], 0.65, places=6)
        self.assertEqual(ranks.at_pixel(frame, "ids00", 0, 0)[0], ranks.Share("82ce30b4", "hero", 0.5))
        self.assertAlmostEqual(ranks.lost(frame, "ids00", np.ones((1, 1))), 0.05, places=6)

    def test_bits_that_are_no_numbers_and_names_without_letters(self):
        """A signalling NaN, a denormal and the empty name are ids like any other; two names of one hash are one id."""
        strange = [0x7F812345, 0x00012345, ""]
        frame = self.frame([[(bits, 1.0)] for bits in strange], [""])
        ids = [f"{bits:08x}" if isinstance(bits, int) else "00800000" for bits in strange]
        for place, key in enumerate(ids):
            self.assertEqual(self.cover(frame, names=({"id": key},)), [float(at == place) for at in range(3)])
        self.assertEqual({(s.id, s.pixels) for s in ranks.shares(frame, "ids00")}, {(key, 1.0) for key in ids})
        first, second = "twin_a", "twin_b"
        twins = said("ids", [first])
        key = next(name for name in twins if name.endswith("/manifest"))
        twins[key] = Attribute("string", json.dumps({first: "0badcafe", second: "0badcafe"}).encode())
        frame = self.frame([[(0x0BADCAFE, 0.5)]], [], twins)
        for name in (first, second):
            self.assertEqual(self.cover(frame, patterns=(name,)), [0.5], name)

    def test_odd_levels_absent_names_and_no_manifest(self):
        frame = self.frame([[("a", 0.6), ("b", 0.3), ("c", 0.1)], [("c", 1.0)]], ["a", "b", "c", "away"])
        self.assertEqual(self.cover(frame, patterns=("c",)), [np.float32(0.1), 1.0])
        self.assertEqual(ranks.shares(frame, "ids00")[-1], ranks.Share(f"{name_bits('away'):08x}", "away", 0.0))
        bare = self.frame([[("a", 1.0)]], [], {"owner": Attribute("string", b"x")})
        self.assertEqual(ranks.manifest(bare, "ids00"), {})
        self.assertEqual(self.cover(bare, patterns=("a", "b*")), [1.0])  # by its hash; a pattern fits nothing
        self.assertEqual(ranks.shares(bare, "ids00")[0].name, "")
        half = MemoryFrame({"ids00": (np.zeros((3, 1, 1), np.float16), None)})
        with self.assertRaisesRegex(BadArgument, "stored as half"):
            list(ranks.ranks(half, "ids00"))

    def test_many_names_are_counted(self):
        ids = name_floats([f"thing_{n}" for n in range(3000)]).reshape(1, 30, 100)
        four = np.concatenate([ids, np.full((1, 30, 100), 0.75, np.float32), ids * 0])
        frame = MemoryFrame({"ids00": (four, None)})
        found = ranks.shares(frame, "ids00")
        self.assertEqual((len(found), {share.pixels for share in found}), (3000, {0.75}))


if __name__ == "__main__":
    unittest.main()


class FlatColours(unittest.TestCase):
    def test_no_two_are_nearer_than_a_step_of_the_grid_that_has_room(self):
        for count, steps in ((1, 2), (26, 2), (27, 3), (100, 4)):
            names = [f"thing {number}" for number in range(count)]
            colours = flat_colours(names)
            self.assertEqual(colours.shape, (count, 3))
            with_black = np.vstack([np.zeros((1, 3)), colours])
            apart = np.abs(with_black[:, None] - with_black).max(axis=2) + np.eye(count + 1)
            self.assertGreaterEqual(apart.min(), 1 / steps - 1e-6)
            np.testing.assert_array_equal(flat_colours(names[::-1]), colours[::-1])


class Reaching(unittest.TestCase):
    def test_growing_and_blurring_reach_as_far_in_a_preview(self):
        frame = MemoryFrame({"x": (np.zeros((3, 96, 128), np.float32), None)})
        middle = {"kind": "shape", "x": 64, "y": 48, "width": 40, "height": 30}
        for reach in ({"blur": 24}, {"grow": 12}, {"grow": -8}, {"grow": 10, "blur": 16}):
            small = plane(frame, middle | reach).reshape(24, 4, 32, 4).mean(axis=(1, 3))
            self.assertLess(np.abs(plane(frame, middle | reach, step=4) - small).mean(), 0.012, reach)

    def test_a_stroke_is_there_on_its_first_and_last_frame(self):
        frame = MemoryFrame({"x": (np.zeros((3, 20, 20), np.float32), None)}, FRAME)
        for first, last, there in ((None, FRAME, 1), (FRAME, None, 1), (None, FRAME - 1, 0), (FRAME + 1, None, 0)):
            stroke = {"points": [[10, 10]], "size": 8, "first": first, "last": last}
            self.assertEqual(plane(frame, {"kind": "strokes", "strokes": [stroke]}).max() > 0.5, there, (first, last))

    def test_a_box_means_what_fills_half_of_it_though_most_lies_outside(self):
        ids = np.full((12, 16), 0, np.uint32)
        ids[:, :10], ids[1, 12] = 0x3F000001, 0x3F000002
        cover, none = (ids > 0).astype(np.float32), np.zeros((12, 16), np.float32)
        frame = frame_of({"ids00": (np.stack([ids.view(np.float32), cover, none]), none)})
        names = lambda *box: [share["id"] for share in picked(frame, "ids00", Window(*box))["names"]]  # noqa: E731
        self.assertEqual(names(0, 0, 3, 3), ["3f000001"])
        self.assertEqual(names(11, 0, 14, 3), ["3f000002"])
        self.assertEqual(
            names(8, 0, 15, 11), ["3f000002"]
        )  # of the large one there is less than half, and it fills less
