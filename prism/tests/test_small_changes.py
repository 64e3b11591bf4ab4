"""What no other test noticed when it was changed: every check here fails for one small change of the code."""

import os
import unittest

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from prism.balance.balance import balance
from prism.balance.rounding import UNIT_HALF, rounding_bound
from prism.colour.spaces import decode_srgb
from prism.colour.view import ViewTransform
from prism.combine.contributions import contributions
from prism.combine.evaluate import run
from prism.combine.histogram import BRIGHTEST, EMPTY, of_row, of_source
from prism.combine.program import compile_ledger
from prism.delivery.deliver import deliver
from prism.formats.exr import write_exr
from prism.formats.stills import write_still
from prism.ledger.adding import with_pass
from prism.ledger.dimmers import in_words
from prism.ledger.document import Ledger, SourceEntry
from prism.ledger.matching import matched
from prism.ledger.rows import GroupRow, PassRow
from prism.mattes.picking import picked
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sources.opening import find_sources, open_frame
from prism.sources.store import PixelStore
from prism.tests.frames import FolderCase, passes
from prism.tests.memory import MemoryFrame
from prism.tests.test_findings import FRAMES, Found
from prism.tests.test_mattes import FRAME, frame_of, plane
from prism.tests.test_reading import gathered


def light(*values, alpha=None):
    """A source of one colour: (3, 4, 6) float32."""
    colour = np.broadcast_to(np.float32(values)[:, None, None], (3, 4, 6))
    return colour, None if alpha is None else np.full((4, 6), alpha, np.float32)


class Mattes(unittest.TestCase):
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


class Rounding(unittest.TestCase):
    def test_what_was_pushed_is_off_where_it_lies_now(self):
        """A bright line pushed from the first band of rows to the last: its rounding goes with it."""
        bright = np.zeros((3, 100, 6), np.float16)
        bright[:, 2] = 100
        frame = MemoryFrame({"line": (bright, None)})
        row = {"id": "line", "kind": "overlay", "source": "line", "in_balance": True, "y": 90}
        program = compile_ledger(Ledger.from_json({"alpha": None, "beauty": "line", "rows": [row]}), 1)
        picture, bound = run(program, frame), rounding_bound(program, compile_ledger(Ledger(alpha=None), 1), frame)
        self.assertEqual(picture[0, 92, 0], 100)
        self.assertGreaterEqual(bound[0, 92, 0], 100 * UNIT_HALF)


class Reading(FolderCase):
    def test_a_display_curve_of_premultiplied_values(self):
        """IEC 61966-2-1 is for whole light: what is stored is alpha times the code."""
        planes = {c: np.full((2, 2), 0.5 * 0.25, np.float32) for c in "RGB"} | {"A": np.full((2, 2), 0.25, np.float32)}
        self.write("s.0001.exr", planes)
        element = gathered(self.folder).elements[0]
        said = element.replace(passes=(element.passes[0].replace(curve="srgb", state="premultiplied"),))
        got = open_frame(said, 1).pixels("beauty").planes[0]
        np.testing.assert_allclose(got, float(decode_srgb(np.float64(0.5))) * 0.25, rtol=1e-6)

    def test_the_longest_unused_goes_first(self):
        store, item = PixelStore(8), np.zeros(1, np.float32)
        sized = lambda: type("Item", (), {"byte_count": item.nbytes})()  # noqa: E731
        store.put("a", sized())
        store.put("b", sized())
        store.get("a", sized)
        store.put("c", sized())
        self.assertEqual([key in store for key in "abc"], [True, False, True])


class Delivered(FolderCase):
    def test_wide_pixels_stay_wide_in_every_format(self):
        for source in ("wide.exr", "wide.png"):
            path = self.folder / source
            if source.endswith("exr"):
                write_exr(path, Image.of_planes(passes(self.rng), pixelAspectRatio=2.0))
            else:
                write_still(
                    path,
                    self.rng.random((4, 5, 6)).astype(np.float32),
                    ViewTransform("lin_rec709", "srgb"),
                    pixel_aspect=2.0,
                )
            frame = find_sources([path])
            beauty = next(iter(frame)).key if source.endswith("png") else "beauty"
            ledger = Ledger(beauty=beauty, rows=(PassRow(id="a", source=beauty),))
            deliver(ledger, frame, self.folder / "out.exr")
            with OpenEXR.File(str(self.folder / "out.exr")) as file:
                self.assertEqual(file.header()["pixelAspectRatio"], 2.0, source)
            for name in ("out.png", "out.tif"):
                deliver(ledger, frame, self.folder / name)
                spec = oiio.ImageInput.open(str(self.folder / name)).spec()
                self.assertEqual(spec.getattribute("PixelAspectRatio"), 2.0, (source, name))

    def test_what_a_view_rolls_off_is_not_called_clipped(self):
        bright = np.full((4, 3, 5), 1.5, np.float32)
        for view, clipped in (("srgb", 15), ("film", 0)):
            report = write_still(self.folder / "a.png", bright, ViewTransform("lin_rec709", view))
            self.assertEqual(report.clipped, clipped, view)


class Ledgers(unittest.TestCase):
    def test_pixels_that_are_no_number_are_wrong(self):
        frame = MemoryFrame({"beauty": light(1, 1, 1), "a": light(1, 1, 1)})
        ledger = Ledger(beauty="beauty", rows=(PassRow(id="a", source="a"),))
        self.assertTrue(balance(ledger, frame).balanced)
        for bad in (np.nan, np.inf):
            colour = np.array(light(1, 1, 1)[0])
            colour[1, 2, 3] = bad
            found = balance(ledger, MemoryFrame({"beauty": light(1, 1, 1), "a": (colour, None)}))
            self.assertEqual((found.balanced, found.wrong), (False, 1), bad)
            colour[:, 0, :2] = 9
            apart = balance(ledger, MemoryFrame({"beauty": light(1, 1, 1), "a": (colour, None)}))
            self.assertEqual((apart.not_finite, apart.wrong), (1, 3), bad)

    def test_what_takes_light_away_has_a_share_below_zero(self):
        frame = MemoryFrame({"beauty": light(1, 1, 1), "a": light(2, 2, 2), "b": light(0.5, 0.5, 0.5)})
        rows = (PassRow(id="a", source="a"), PassRow(id="b", source="b", operator="subtract"))
        found = contributions(Ledger(beauty="beauty", rows=rows), frame, step=1)
        np.testing.assert_allclose([each.share for each in found], [2 / 1.5, -0.5 / 1.5], rtol=1e-5)

    def test_a_pass_of_two_images_stands_for_neither(self):
        entry = {"folder": ".", "head": "x.", "padding": 4, "suffix": ".exr", "channels": ("R", "G", "B")}
        other = Ledger(
            beauty="old/beauty", rows=(PassRow(id="d", source="old/diffuse"),),
            files=(SourceEntry(source="old/diffuse", layer="set", **entry),),
        )  # fmt: skip
        frame = MemoryFrame({"near/diffuse": light(1, 1, 1), "far/diffuse": light(1, 1, 1)})
        for key, camera in (("near/diffuse", "near"), ("far/diffuse", "far")):
            frame.facts[key] = {"layer": "set", "camera": camera}
        self.assertEqual(matched(other, frame)["old/diffuse"], "")

    def test_light_that_is_added_brings_no_alpha(self):
        frame = MemoryFrame({"beauty": light(1, 1, 1, alpha=1.0), "emission": light(1, 1, 1, alpha=0.5)})
        group = GroupRow(id="g", rows=(PassRow(id="x", source="beauty", in_balance=False),))
        added = with_pass(Ledger(beauty="beauty", rows=(group,)), frame, "emission")
        self.assertFalse(added.row.uses_alpha)
        self.assertIn(added.row, added.ledger.rows)  # a group without an alpha of its own is no layer

    def test_a_light_is_off_only_when_all_its_rows_are(self):
        frame = MemoryFrame(
            {"light_key": light(1, 1, 1), "diffuse_direct_light_key": light(1, 1, 1), "light_rim": light(1, 1, 1)}
        )
        ledger = Ledger(rows=tuple(PassRow(id=source.key, source=source.key) for source in frame))
        one = ledger.with_setting("light_key", "on", False)
        self.assertEqual(in_words(one, frame), "key changed part by part")
        self.assertEqual(in_words(one.with_setting("diffuse_direct_light_key", "on", False), frame), "key off")
        self.assertTrue(in_words(ledger.with_setting("light_key", "solo", True), frame).startswith("only key"))

    def test_histograms_end_where_light_and_surfaces_do(self):
        sun = np.array(light(0.5, 0.5, 0.5)[0])
        sun[:, 0, 0] = 1000
        far = np.full((3, 4, 6), 7, np.float32)
        far[:, 0, :3] = 10 * EMPTY
        frame = MemoryFrame({"beauty": (sun, None), "depth": (far, None)})
        counted = of_row(Ledger(beauty="beauty", rows=(PassRow(id="a", source="beauty"),)), "a", frame)
        self.assertEqual((counted.high, counted.counts[0][-1]), (BRIGHTEST, 1))
        self.assertLess(of_source(frame, "depth", "first", "lin_rec709").high, EMPTY)


class OverTime(Found):
    def rendered(self, number, **times):
        """A frame with some passes brighter than they were."""
        own = {
            name: self.rgb((planes.astype(np.float32) * times.get(name, 1)).astype(np.float16))
            for name, planes in self.light(number).items()
        }
        total = sum(planes.astype(np.float32) for planes in self.light(number).values()) * times.get("beauty", 1)
        self.render(number, **own, beauty={**self.rgb(total.astype(np.float16)), "A": self.alpha.astype(np.float16)})

    def test_few_new_files_make_the_others_no_older(self):
        for number in FRAMES:
            time = 1.7e9 + number + (90000 if number == 1003 else 0)
            os.utime(self.path("beauty", number), (time, time))
        self.assertNotIn("older", self.kinds())

    def test_two_passes_that_change_together_are_no_jump(self):
        for number in (1003, 1004):
            self.rendered(number, emission=3, diffuse=3)
        self.assertNotIn("jump", self.kinds())

    def test_one_that_changes_most_while_others_change_too_is_no_jump(self):
        for number in (1003, 1004):
            self.rendered(number, emission=3, diffuse=1.3, specular=1.3, beauty=1.3)
        self.assertNotIn("jump", self.kinds())

    def test_equal_frames_across_a_gap_are_not_neighbours(self):
        for name in ("beauty", "diffuse", "specular", "emission"):
            self.path(name, 1003).write_bytes(self.path(name, 1001).read_bytes())
        for path in self.folder.glob("*.1002.exr"):
            path.unlink()
        self.assertNotIn("identical", self.kinds())


del Found  # its own tests run where they are written
