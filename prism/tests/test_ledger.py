"""The ledger: document, sources, first ledger, evaluation, balance, contributions, probe, delivery."""

import json
import unittest
from unittest import mock

import numpy as np
import OpenImageIO as oiio
from hypothesis import given, settings
from hypothesis import strategies as st

from prism.balance.balance import balance, difference_picture
from prism.colour.spaces import luminance_weights
from prism.combine.contributions import contributions
from prism.combine.evaluate import Evaluator, evaluate
from prism.combine.histogram import BRIGHTEST, EMPTY, of_row, of_source
from prism.delivery.deliver import deliver, usual_encoding
from prism.delivery.encodings.exr import Exr
from prism.errors import (
    BadArgument,
    BadDocument,
    SizeMismatch,
    Superseded,
    UnknownOperator,
    UnknownSource,
    UnreadableFile,
    UnwritableFile,
)
from prism.formats.exr import read_channels, write_exr
from prism.formats.headers import read_parts
from prism.ledger.adding import with_fog, with_pass
from prism.ledger.document import Ledger, SourceEntry
from prism.ledger.first import first_ledger
from prism.ledger.matching import matched
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import GroupRow, PassRow
from prism.pixels.image import Image
from prism.pixels.picture import on_display
from prism.pixels.stats import compare, plane_stats
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.sources.store import PixelStore
from prism.tests.frames import COMPONENTS, FolderCase, passes
from prism.tests.memory import MemoryFrame
from prism.viewing.picture import Look
from prism.viewing.reading import probe_ledger

rows = st.builds(
    PassRow,
    id=st.uuids().map(str),
    source=st.sampled_from(["emission", "diffuse", "light_key"]),
    operator=st.sampled_from(sorted(OPERATORS)),
    on=st.booleans(),
    amount=st.floats(-100, 100),
    exposure=st.floats(-24, 24),
    tint=st.tuples(*[st.floats(0, 100)] * 3),
    in_balance=st.booleans(),
)


class Document(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(rows, max_size=8, unique_by=lambda row: row.id))
    def test_json_and_back(self, made):
        ledger = Ledger(name="dusk", rows=tuple(made))
        self.assertEqual(Ledger.from_json(json.loads(json.dumps(ledger.as_json()))), ledger)

    def test_bad_documents_name_the_field(self):
        row = {"id": "a", "source": "emission"}
        cases = [
            ({"rows": [row | {"amount": "much"}]}, BadDocument, "rows.0.amount"),
            ({"rows": [row | {"exposure": 99}]}, BadDocument, "rows.0.exposure"),
            ({"rows": [row | {"tint": [1, 1]}]}, BadDocument, "rows.0.tint"),
            ({"rows": [row | {"wobble": 1}]}, BadDocument, "rows.0.wobble"),
            ({"rows": [row, row]}, BadDocument, "Two rows have the id a"),
            ({"rows": [row | {"operator": "dodge"}]}, UnknownOperator, "Unknown operator dodge"),
            ({"version": 6}, BadDocument, "version"),
            ({"format": "other"}, BadDocument, "format"),
            ([], BadDocument, "document"),
            (None, BadDocument, "document"),
        ]
        for data, kind, text in cases:
            with self.subTest(text), self.assertRaisesRegex(kind, text):
                Ledger.from_json(data, where="L.json")

    def test_not_a_number_is_refused(self):
        with self.assertRaises(BadDocument):
            Ledger.from_json({"rows": [{"id": "a", "source": "b", "amount": float("nan")}]})

    def test_untrimmed_keeps_only_the_rebuild(self):
        ledger = Ledger(
            rows=(
                PassRow(id="a", source="a", on=False, amount=0.2, exposure=3, tint=(1, 0, 0)),
                PassRow(id="b", source="b", in_balance=False),
            )
        )
        self.assertEqual(ledger.untrimmed().rows, (PassRow(id="a", source="a"),))

    def test_settings_by_id_and_number(self):
        ledger = Ledger(rows=(PassRow(id="a.b", source="a"), PassRow(id="c", source="c")))
        self.assertEqual(ledger.with_setting("a.b", "amount", 0.5).rows[0].amount, 0.5)
        self.assertEqual(ledger.with_setting("2", "on", False).rows[1].on, False)
        self.assertEqual(ledger.rows[0].amount, 1)
        for arguments, kind in [
            (("x", "amount", 1), BadArgument),
            (("c", "id", "d"), BadArgument),
            (("c", "amount", "x"), BadDocument),
        ]:
            with self.subTest(arguments), self.assertRaises(kind):
                ledger.with_setting(*arguments)


class Sources(FolderCase):
    def separate(self, planes):
        """One file for each pass, told apart by name."""
        files = {}
        for name, plane in planes.items():
            layer, _, component = name.rpartition(".")
            title = layer or {"Z": "depth"}.get(component, "beauty")
            files.setdefault(title, {})[component if layer != "N" else name] = plane
        return [self.write(f"shot_{title}.1001.exr", members) for title, members in files.items()]

    def test_one_file_several_files_and_parts_hold_the_same_passes(self):
        planes = passes(self.rng)
        parts = {"beauty": {name: plane for name, plane in planes.items() if "." not in name}}
        for name in COMPONENTS:
            parts[name] = {component: planes[f"{name}.{component}"] for component in "RGB"}
        cases = {
            "one file": [self.write("shot.1001.exr", planes)],
            "files": self.separate(planes),
            "parts": [self.write_multipart("parts.1001.exr", parts)],
        }
        for how, paths in cases.items():
            with self.subTest(how):
                sources = find_sources(paths)
                ledger = first_ledger(sources)
                self.assertEqual([row.source for row in ledger.rows if row.in_balance], list(COMPONENTS))
                got = evaluate(ledger, sources).rgba
                expected = sum(np.stack([planes[f"{name}.{c}"] for c in "RGB"]) for name in COMPONENTS)
                np.testing.assert_allclose(got[:3], expected, rtol=1e-6)
                np.testing.assert_array_equal(got[3], planes["A"])

    def test_names_of_other_houses(self):
        """Hyphens, capitals and short words; what the file names share is no part of the pass."""
        names = {
            "RGBA": "beauty",
            "DiffDir": "diffuse_direct",
            "spec_indirect": "specular_indirect",
            "bg": "background",
        }
        paths = [self.write(f"closeup-{n}-0007.exr", {c: np.ones((2, 2), np.float16) for c in "RGB"}) for n in names]
        self.assertEqual([source.key for source in find_sources(paths)], list(names.values()))

    def test_no_files(self):
        with self.assertRaises(BadArgument):
            find_sources([])

    def test_a_smaller_data_window_is_placed(self):
        display = Window.of_size(6, 5)
        path = self.folder / "crop.exr"
        inner = Image(
            channels={f"emission.{c}": np.full((2, 3), 5, np.float32) for c in "RGB"},
            data_window=Window(2, 1, 4, 2),
            display_window=display,
        )
        write_exr(path, inner)
        beauty = self.write("whole_beauty.exr", {c: np.zeros((5, 6), np.float32) for c in "RGBA"})
        sources = find_sources([beauty, path])
        placed = sources.pixels("emission").planes[0]
        self.assertEqual(placed.shape, (5, 6))
        self.assertEqual(placed[1:3, 2:5].sum(), placed.sum())
        self.assertEqual(placed.sum(), 30)

    def test_overscan_is_kept_and_cut_for_the_display(self):
        window = Window(-1, -1, 4, 3)
        planes = {
            c: np.arange(30, dtype=np.float32).reshape(5, 6)
            for c in ("R", "G", "B", "A", "emission.R", "emission.G", "emission.B")
        }
        path = self.folder / "over.exr"
        write_exr(path, Image(channels=planes, data_window=window, display_window=Window.of_size(4, 3)))
        sources = find_sources([path])
        whole = evaluate(first_ledger(sources), sources).rgba
        self.assertEqual(whole.shape, (4, 5, 6))
        np.testing.assert_array_equal(
            on_display(whole, sources.window, sources.display_window)[0], planes["R"][1:4, 1:5]
        )
        out = self.folder / "out.exr"
        deliver(first_ledger(sources), sources, out, Exr(pixel="float"))
        self.assertEqual(read_parts(out)[0].data_window, window)

    def test_smaller_pictures_average_light_and_pick_data(self):
        sources = self.frame(height=12, width=18)
        small, whole = sources.pixels("emission", step=3), sources.pixels("emission")
        np.testing.assert_allclose(small.planes[0], whole.planes[0].reshape(4, 3, 6, 3).mean(axis=(1, 3)), rtol=1e-5)
        depth = sources.pixels("depth", step=3).planes[0]
        np.testing.assert_array_equal(depth, sources.pixels("depth").planes[0][1::3, 1::3])

    def test_two_channels_keep_both(self):
        motion = {"u": np.float32([[1, 2]]), "v": np.float32([[3, 4]])}
        planes = {c: np.ones((1, 2), np.float16) for c in "RGB"} | {f"forward.{c}": motion[c] for c in "uv"}
        pixels = find_sources([self.write("m.exr", planes)]).pixels("motion_forward")
        np.testing.assert_array_equal(np.stack(pixels.planes), [motion["u"], motion["v"], [[0, 0]]])

    def test_a_file_that_went_away(self):
        sources = self.frame()
        next(iter(sources)).path.unlink()
        with self.assertRaisesRegex(UnreadableFile, "shot.1001.exr: Cannot be read: No such file"):
            sources.pixels("emission")

    def test_a_changed_file_is_read_again(self):
        first = self.frame()
        before, identity = first.pixels("emission").planes[0].copy(), first.identity()
        self.assertIs(first.pixels("emission"), first.pixels("emission"))  # kept while the file is the same
        self.frame()  # other random numbers under the same name
        self.assertFalse(np.array_equal(before, first.pixels("emission").planes[0]))
        self.assertNotEqual(identity, first.identity())


class Evaluation(FolderCase):
    def test_trims_scale_light(self):
        sources = self.frame()
        ledger = Ledger(
            alpha=None, rows=(PassRow(id="e", source="emission", amount=0.5, exposure=1.5, tint=(1, 0.5, 0)),)
        )
        light = np.stack(sources.pixels("emission").planes)
        expected = light * np.float32([0.5, 0.25, 0]).reshape(3, 1, 1) * np.float32(2**1.5)
        np.testing.assert_allclose(evaluate(ledger, sources).rgba[:3], expected, rtol=1e-6)

    def test_order_matters_and_off_rows_do_nothing(self):
        sources = self.frame()
        light, dark = PassRow(id="e", source="emission"), PassRow(id="o", source="occlusion", operator="multiply")
        first = evaluate(Ledger(rows=(light, dark)), sources).rgba
        last = evaluate(Ledger(rows=(dark, light)), sources).rgba
        self.assertFalse(np.array_equal(first, last))
        off = evaluate(Ledger(rows=(light, dark.replace(on=False))), sources).rgba
        np.testing.assert_array_equal(off, evaluate(Ledger(rows=(light,)), sources).rgba)

    def test_bands_do_not_show(self):
        """A picture of many bands equals the plain sum in NumPy, row by row in the same order."""
        sources = self.frame(height=300, width=500)
        ledger = first_ledger(sources)
        expected = np.zeros((3, 300, 500), np.float32)
        for row in ledger.rows[:-1]:
            expected += np.stack(sources.pixels(row.source).planes)
        np.testing.assert_array_equal(evaluate(ledger, sources).rgba[:3], expected)

    def test_kept_results_change_nothing(self):
        """Dragging any row, in any order, gives to the last bit what a fresh evaluation gives."""
        sources, evaluator = self.frame(), Evaluator(PixelStore())
        ledger = first_ledger(sources)
        for step in range(40):
            row = ledger.rows[self.rng.integers(len(ledger.rows))]
            ledger = ledger.with_setting(row.id, "amount", float(self.rng.uniform(0, 2)))
            kept = evaluator.evaluate(ledger, sources, edited=row.id).rgba
            np.testing.assert_array_equal(kept, evaluate(ledger, sources).rgba, f"step {step}")
            if step % 10 == 0:
                whole = evaluator.unchanged(ledger, sources).rgba
                np.testing.assert_array_equal(whole, kept)
                self.assertIs(evaluator.unchanged(ledger, sources).rgba, whole)

    def test_a_newer_request_ends_an_older(self):
        sources = self.frame()
        with self.assertRaises(Superseded):
            evaluate(first_ledger(sources), sources, is_stale=lambda: True)

    def test_an_unknown_source_names_row_and_choice(self):
        sources = self.frame()
        with self.assertRaisesRegex(UnknownSource, "row x: There is no source absent. These files have .*emission"):
            evaluate(Ledger(rows=(PassRow(id="x", source="absent"),)), sources)

    def test_what_a_ledger_asks_of_a_file_is_decoded_at_once_and_the_same(self):
        """To the last bit as pass by pass, which is what a store too small for all of it does."""
        path = self.write("s.exr", passes(self.rng, dtype=np.float16))
        results, decoded = [], []
        for limit in (2 << 30, 3_000):
            sources = find_sources([path], store=PixelStore(limit))
            with mock.patch("prism.formats.exr.read_channels", side_effect=read_channels) as reading:
                for step in (1, 3):
                    results.append(evaluate(first_ledger(sources), sources, step=step).rgba)
            decoded.append(reading.call_count)
        self.assertEqual(decoded[0], 1)
        self.assertGreater(decoded[1], len(first_ledger(sources).rows))
        for together, one_by_one in zip(results[:2], results[2:], strict=True):
            np.testing.assert_array_equal(together, one_by_one)

    def test_the_store_keeps_its_limit(self):
        store = PixelStore(byte_limit=10_000)
        sources = find_sources([self.write("s.exr", passes(self.rng))], store=store)
        for source in sources:
            sources.pixels(source.key)
            self.assertLessEqual(store.byte_count, 10_000)
        self.assertGreater(store.byte_count, 0)


class BalanceOfLedgers(FolderCase):
    def test_half_passes_balance_within_half_rounding(self):
        """n rounded components may differ from the rounded sum by 2^-11 (sum |c| + |sum|) and no more."""
        for seed in range(5):
            self.rng = np.random.default_rng(seed)
            sources = self.frame(dtype=np.float16, height=40, width=50)
            result = balance(first_ledger(sources), sources)
            self.assertTrue(result.balanced)
            self.assertEqual(result.rounding, "half")
            self.assertGreater(result.difference.largest, 0)

    def test_the_bound_is_met_and_not_passed(self):
        """1 + 1 against half 2 + k 2^-9: the bound is 2^-11 (1 + 1 + 2) = 2^-9, so k = 1 is rounding and k = 2 is
        not."""
        ones = {f"{name}.{c}": np.ones((4, 4), np.float16) for name in ("emission", "background") for c in "RGB"}
        for steps, balanced in ((1, True), (2, False)):
            beauty = {c: np.full((4, 4), 2 + steps * 2**-9, np.float16) for c in "RGB"}
            sources = find_sources([self.write(f"{steps}.exr", beauty | ones)])
            result = balance(first_ledger(sources), sources)
            self.assertEqual((result.difference.largest, result.balanced), (steps * 2**-9, balanced))

    def test_where_and_how_much(self):
        planes = passes(self.rng)
        planes["emission.G"][7, 3] += 2
        sources = find_sources([self.write("shot.exr", planes)])
        result = balance(first_ledger(sources), sources)
        self.assertEqual((result.x, result.y, result.difference.channel, result.beyond), (3, 7, 1, 1))
        self.assertAlmostEqual(result.difference.largest, 2, places=4)
        picture = difference_picture(first_ledger(sources), sources).rgba
        self.assertAlmostEqual(float(picture[1, 7, 3]), 2, places=4)

    def test_reasons_are_found(self):
        sources = self.frame(height=40, width=50)
        ledger = first_ledger(sources)
        lost = ledger.replace(rows=ledger.rows[1:])
        doubled = ledger.replace(rows=(*ledger.rows, PassRow(id="again", source="emission")))
        wrong = ledger.with_setting("background", "operator", "multiply")
        cases = (
            (lost, "diffuse_direct", {"insert": "diffuse_direct"}),
            (doubled, "again", {"remove": "again"}),
            (wrong, "background", {"operator": "add", "row": "background"}),
        )
        for broken, key, repair in cases:
            with self.subTest(repair):
                result = balance(broken, sources)
                self.assertFalse(result.balanced)
                self.assertEqual((result.suggestions[0].repair, result.suggestions[0].key), (repair, key))

    def test_a_pass_on_white_that_was_added(self):
        planes = passes(self.rng, height=40, width=50)
        for c in "RGB":
            planes[c] = planes[c] * planes["occlusion.V"]
        sources = find_sources([self.write("shot.exr", planes)])
        ledger = first_ledger(sources)
        added = ledger.replace(rows=(*ledger.rows[:-1], PassRow(id="o", source="occlusion")))
        suggestion = balance(added, sources).suggestions[0]
        self.assertEqual((suggestion.repair, suggestion.key), ({"operator": "multiply", "row": "o"}, "o"))

    def test_lossy_files_are_named_as_the_reason(self):
        whole = oiio.ImageBuf(str(self.write("shot.exr", passes(self.rng, height=64, width=64, dtype=np.float16))))
        whole.specmod().attribute("compression", "dwaa:45")
        whole.write(str(self.folder / "lossy.exr"))
        sources = find_sources([self.folder / "lossy.exr"])
        result = balance(first_ledger(sources), sources)
        self.assertFalse(result.balanced)
        self.assertIn("lossy dwaa", result.suggestions[0].what)

    def test_trims_and_changes_do_not_disturb_it(self):
        sources = self.frame()
        ledger = first_ledger(sources).with_setting("emission", "amount", 0.1).with_setting("occlusion", "on", True)
        self.assertTrue(balance(ledger, sources).balanced)

    def test_not_a_number_on_one_side(self):
        planes = passes(self.rng)
        planes["emission.R"][2, 5] = np.nan
        sources = find_sources([self.write("shot.exr", planes)])
        result = balance(first_ledger(sources), sources)
        self.assertEqual((result.beyond, result.difference.largest), (1, np.inf))


class Numbers(FolderCase):
    def test_compare(self):
        """(0, .25, .5, 1) against (.1, .25, .4, 1): mean .05, largest .1 (OpenImageIO and scikit-image agree)."""
        a = np.float32([0, 0.25, 0.5, 1]).reshape(1, 2, 2)
        b = np.float32([0.1, 0.25, 0.4, 1]).reshape(1, 2, 2)
        result = compare(a, b)
        self.assertAlmostEqual(result.mean, 0.05, places=6)
        self.assertAlmostEqual(result.largest, 0.1, places=6)
        with self.assertRaises(SizeMismatch):
            compare(a, b[:, :1])

    def test_equal_infinities_are_equal(self):
        a = np.float32([np.inf, np.nan, -np.inf, 1]).reshape(1, 2, 2)
        self.assertEqual(compare(a, a.copy()).largest, 0)

    def test_statistics_over_finite_pixels(self):
        """(1, 2, NaN, inf): mean 1.5, one NaN, one infinity, as OpenImageIO counts them."""
        stats = plane_stats(np.float32([[1, 2], [np.nan, np.inf]]))
        self.assertEqual(
            (stats.minimum, stats.mean, stats.maximum, stats.nan_count, stats.inf_count), (1, 1.5, 2, 1, 1)
        )
        self.assertIsNone(plane_stats(np.float32([[np.nan]])).mean)
        self.assertEqual(plane_stats(np.array([[2**32 - 1]], np.uint32)).maximum, 2**32 - 1)

    def test_shares_add_up_to_the_whole(self):
        sources = self.frame()
        ledger = first_ledger(sources)
        rows = contributions(ledger, sources, step=1)
        self.assertAlmostEqual(sum(row.share for row in rows), 1, places=5)
        final = evaluate(ledger, sources).rgba
        np.testing.assert_array_equal(rows[-1].running, final)
        light = np.stack(sources.pixels("emission").planes).mean(axis=(1, 2))
        share = next(row.share for row in rows if row.id == "emission")
        self.assertAlmostEqual(
            share,
            float(luminance_weights("lin_rec709") @ light)
            / float(luminance_weights("lin_rec709") @ final[:3].mean(axis=(1, 2))),
            places=4,
        )

    def test_probe_reads_what_is_stored(self):
        planes = passes(self.rng, dtype=np.float16)
        sources = find_sources([self.write("shot.exr", planes)])
        ledger = first_ledger(sources).with_setting("emission", "amount", 0.25)
        read = {line.key: line for line in probe_ledger(ledger, sources, Window(4, 9, 4, 9), Look())}
        self.assertEqual(read["row/emission"].stored, tuple(float(planes[f"emission.{c}"][9, 4]) for c in "RGB"))
        self.assertEqual(read["rendered"].alpha, float(planes["A"][9, 4]))
        self.assertEqual(
            read["rebuilt"].stored, tuple(float(value) for value in evaluate(ledger, sources).rgba[:3, 9, 4])
        )
        self.assertEqual(len([key for key in read if key.startswith("sum/")]), len(ledger.rows))

    def test_probe_outside_the_picture(self):
        sources = self.frame()
        for at in ((-1, 0), (17, 0), (0, 11)):
            with self.subTest(at), self.assertRaises(BadArgument):
                probe_ledger(first_ledger(sources), sources, Window(*at, *at), Look())


class Delivery(FolderCase):
    def setUp(self):
        super().setUp()
        self.sources = self.frame(dtype=np.float16)
        self.ledger = first_ledger(self.sources).with_setting("emission", "exposure", -1)

    def test_float_exr_is_the_evaluation_to_the_last_bit(self):
        path = self.folder / "out.exr"
        deliver(self.ledger, self.sources, path, Exr(pixel="float", compression="piz"))
        part = read_parts(path)[0]
        image = read_channels(path, part)
        for name, plane in zip("RGBA", evaluate(self.ledger, self.sources).rgba, strict=True):
            np.testing.assert_array_equal(image.plane(name), plane)
        self.assertEqual(part.compression, "piz")

    def test_a_frame_that_does_not_balance_says_so(self):
        lost = self.ledger.without("emission")
        for name in ("out.exr", "out.png"):
            said = " ".join(deliver(self.ledger, self.sources, self.folder / name))
            self.assertNotIn("balanced", said)
            remark = deliver(lost, self.sources, self.folder / name)[0]
            self.assertRegex(remark, r"is not balanced: the untrimmed rows differ from what was rendered in \d+ pixels")

    def test_a_row_that_is_off_stops_no_delivery(self):
        """Its pass may be gone; the balance asks for it, the picture does not."""
        lost = self.ledger.with_setting("emission", "source", "absent").with_setting("emission", "on", False)
        remark = deliver(lost, self.sources, self.folder / "out.exr")[0]
        self.assertIn("could not be compared with what was rendered: There is no source absent", remark)
        self.assertTrue((self.folder / "out.exr").exists())

    def test_half_exr_is_the_evaluation_rounded(self):
        path = self.folder / "out.exr"
        deliver(self.ledger, self.sources, path)
        image = read_channels(path, read_parts(path)[0])
        np.testing.assert_array_equal(image.plane("G"), evaluate(self.ledger, self.sources).rgba[1].astype(np.float16))

    def test_too_bright_for_half_writes_nothing(self):
        bright = self.ledger.with_setting("emission", "exposure", 24)
        with self.assertRaisesRegex(UnwritableFile, "Write it as float"):
            deliver(bright, self.sources, self.folder / "out.exr")
        self.assertFalse((self.folder / "out.exr").exists())

    def test_unknown_formats(self):
        for name in ("out.gif", "out"):
            with self.subTest(name), self.assertRaises(BadArgument):
                deliver(self.ledger, self.sources, self.folder / name)


class Stills(FolderCase):
    """Half covered grey: premultiplied (.25, .125, 0, .5), straight (.5, .25, 0)."""

    def written(self, name, **options):
        planes = {c: np.full((4, 4), value, np.float32) for c, value in zip("RGBA", (0.25, 0.125, 0, 0.5), strict=True)}
        planes |= {f"emission.{c}": planes[c] for c in "RGB"}
        sources = find_sources([self.write("s.exr", planes)])
        path = self.folder / name
        self.remarks = deliver(first_ledger(sources), sources, path, usual_encoding(path, **options))
        buffer = oiio.ImageBuf()
        config = oiio.ImageSpec()
        config.attribute("oiio:UnassociatedAlpha", 1)
        buffer.reset(str(path), 0, 0, config)
        return buffer.get_pixels(oiio.UINT16 if options.get("bits") == 16 else oiio.UINT8)[0, 0].tolist()

    def test_png_is_straight(self):
        """Straight .5, .25 are codes 188, 137 (IEC 61966-2-1); the curve must not see premultiplied light."""
        self.assertEqual(self.written("a.png"), [188, 137, 0, 128])

    def test_png_over_black_has_no_alpha(self):
        self.assertEqual(self.written("b.png", alpha="over"), [137, 99, 0])
        self.assertIn("over black", self.remarks[0])

    def test_png_of_16_bit(self):
        red, _, _, alpha = self.written("c.png", bits=16)
        self.assertAlmostEqual(red / 65535, 0.7353570, places=4)
        self.assertEqual(alpha, 32768)

    def test_tiff_is_premultiplied(self):
        """Display value times alpha: .735357 * .5."""
        self.assertEqual(self.written("d.tif"), [94, 68, 0, 128])

    def test_jpeg_lies_over_black(self):
        got = self.written("e.jpg")
        np.testing.assert_allclose(got, [137, 99, 0], atol=3)
        self.assertEqual(len(self.remarks), 1)

    def test_jpeg_has_no_16_bit(self):
        with self.assertRaisesRegex(BadArgument, "no 16 bits"):
            self.written("f.jpg", bits=16)

    def test_clipped_light_and_glow_are_counted(self):
        planes = {c: np.float32([[2, 0.5], [0.5, 0.5]]) for c in "RGB"} | {"A": np.float32([[1, 1], [0, 1]])}
        planes |= {f"emission.{c}": planes[c] for c in "RGB"}
        sources = find_sources([self.write("s.exr", planes)])
        remarks = deliver(first_ledger(sources), sources, self.folder / "g.png")
        self.assertIn("1 of 4 pixels", remarks[0])
        self.assertIn("1 pixels glow without coverage", remarks[1])


class Unreadable(FolderCase):
    def test_a_file_cut_short_leaves_no_output(self):
        path = self.write("shot.exr", passes(self.rng, height=200, width=200))
        path.write_bytes(path.read_bytes()[:-5000])
        out = self.folder / "out.exr"
        with self.assertRaises(UnreadableFile):
            sources = find_sources([path])
            deliver(first_ledger(sources), sources, out)
        self.assertFalse(out.exists())


def light(*values, alpha=None):
    """A source of one colour: (3, 4, 6) float32."""
    colour = np.broadcast_to(np.float32(values)[:, None, None], (3, 4, 6))
    return colour, None if alpha is None else np.full((4, 6), alpha, np.float32)


class Rows(unittest.TestCase):
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

    def test_histograms_end_where_light_and_surfaces_do(self):
        sun = np.array(light(0.5, 0.5, 0.5)[0])
        sun[:, 0, 0] = 1000
        far = np.full((3, 4, 6), 7, np.float32)
        far[:, 0, :3] = 10 * EMPTY
        frame = MemoryFrame({"beauty": (sun, None), "depth": (far, None)})
        counted = of_row(Ledger(beauty="beauty", rows=(PassRow(id="a", source="beauty"),)), "a", frame)
        self.assertEqual((counted.high, counted.counts[0][-1]), (BRIGHTEST, 1))
        self.assertLess(of_source(frame, "depth", "first", "lin_rec709").high, EMPTY)

    def test_fog_by_depth_spans_the_middle_nine_tenths(self):
        far = np.broadcast_to(np.linspace(0, 100, 101, dtype=np.float32).repeat(4), (3, 4, 404))
        frame = MemoryFrame({"beauty": (far * 0 + 0.5, None), "depth": (far, None)})
        row = with_fog(Ledger(beauty="beauty", rows=(PassRow(id="a", source="beauty"),)), frame).row
        self.assertEqual((row.near, row.far), (5, 95))
