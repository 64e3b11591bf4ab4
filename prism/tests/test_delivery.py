"""Deliveries: sets, stills and records, opened again by libraries that did not write them."""

import hashlib
import io
import json
import zlib
from dataclasses import replace
from datetime import date
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image as Pillow
from PIL import ImageCms

from prism.colour.view import ViewTransform
from prism.combine.evaluate import evaluate
from prism.deep.files import write_samples
from prism.delivery import running
from prism.delivery.deliver import deliver
from prism.delivery.document import Delivery, Item, require
from prism.delivery.encodings.base import Destination
from prism.delivery.encodings.exr import Exr
from prism.delivery.ledger_frame import LedgerFrame
from prism.delivery.lights import lights_up
from prism.delivery.reading_back import require_deep, require_image, require_still
from prism.delivery.record import closing_fingerprint, fingerprint_of
from prism.errors import BadArgument, BadDocument, UnwritableFile
from prism.fields import settings_of
from prism.formats.exr import write_exr
from prism.formats.stills import write_display, write_still
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger
from prism.ledger.rows import PassRow
from prism.mattes.cryptomatte import header, name_float
from prism.pixels.file_formats import STILLS
from prism.pixels.image import Image
from prism.pixels.window import Window
from prism.sources.opening import find_sources
from prism.tests.frames import COMPONENTS, FolderCase, passes, run
from prism.tests.test_deep import any_deep

MATTE = {"id": "far", "kind": "made", "parts": [{"kind": "range", "source": "depth", "low": 2.0, "high": 9.0}]}


def channels(path):
    """By part, by channel, as OpenImageIO reads them, half and float alike as float."""
    found, source, place = [], oiio.ImageInput.open(str(path)), 0
    while source.seek_subimage(place, 0):
        spec = source.spec()
        pixels = source.read_image(place, 0, 0, spec.nchannels, oiio.FLOAT).reshape(spec.height, spec.width, -1)
        found.append((spec, {name: pixels[..., number] for number, name in enumerate(spec.channelnames)}))
        place += 1
    return found


class DeliveryCase(FolderCase):
    def setUp(self):
        super().setUp()
        self.planes = passes(self.rng, dtype=np.float16)
        ids = np.full((11, 17), name_float("hero"), np.float32)
        self.planes |= {"CryptoObject00.R": ids, "CryptoObject00.G": np.ones((11, 17), np.float32)}
        self.planes |= {f"CryptoObject00.{c}": np.zeros((11, 17), np.float32) for c in "BA"}
        path = self.folder / "shot.1001.exr"
        self.window, self.display = Window(0, 0, 16, 10), Window(2, 1, 13, 8)
        image = Image(
            channels=self.planes, data_window=self.window, display_window=self.display,
            attributes=header("CryptoObject", ["hero"]),
        )  # fmt: skip
        write_exr(path, image)
        self.sources = find_sources([path])
        ledger = first_ledger(self.sources).as_json()
        self.ledger = type(first_ledger(self.sources)).from_json(ledger | {"mattes": [MATTE]})
        self.made = LedgerFrame(self.ledger, self.sources)
        self.place = Destination(self.folder / "out", {"shot": "A", "ledger": "l", "version": 1}, (1001,))

    def item(self, subject="finished", names=(), **encoding):
        return Item(id="it", subject=subject, names=names, encoding=encoding)

    def written(self, *arguments, **encoding):
        item = self.item(*arguments, **encoding)
        return item.encoding.add(item, self.made, self.place)

    def inside(self, plane):
        return plane[1:9, 2:14]


class Sets(DeliveryCase):
    def test_all_passes_in_one_file_as_parts_and_apart_hold_the_same_values(self):
        """Every value of every pass, read by OpenImageIO, is the one that was rendered; overscan comes along."""
        beside = {"passes": ("*",), "mattes": ("far",), "cryptomatte": True}
        for packing, files, parts in (("one", 1, 1), ("parts", 1, 12), ("apart", 12, 1)):
            with self.subTest(packing):
                found = self.written(kind="exr", packing=packing, **beside)
                self.assertEqual(len(found), files)
                read = [part for each in found for part in channels(each.path)]
                self.assertEqual(len(read), files * parts)
                planes = {name: plane for _, part in read for name, plane in part.items()}
                for name in COMPONENTS:
                    np.testing.assert_array_equal(planes[f"{name}.G"], self.planes[f"{name}.G"].astype(np.float32))
                for name in ("N.X", "CryptoObject00.R", "depth.Z" if "depth.Z" in planes else "Z"):
                    np.testing.assert_array_equal(planes[name], self.planes[name.replace("depth.", "")])
                np.testing.assert_array_equal(
                    planes["R"], evaluate(self.ledger, self.sources).rgba[0].astype(np.float16).astype(np.float32)
                )
                self.assertEqual({(spec.x, spec.width, spec.full_x) for spec, _ in read}, {(0, 17, 2)})
                entries = {a.name: a.value for spec, _ in read for a in spec.extra_attribs}
                self.assertIn("hero", entries["cryptomatte/3ae39a5/manifest"])
                for each in found:
                    each.path.unlink()

    def test_every_setting_that_is_offered_changes_what_is_written(self):
        """Of pictures, by the bytes of all files. That of denoised passes needs some: it is not here."""
        base = {
            "kind": "exr",
            "passes": ("emission", "depth"),
            "mattes": ("far",),
            "cryptomatte": True,
            "window": "display",
        }
        base |= {"holds": "light"}
        others = {
            "holds": "display", "pixel": "float", "data": "half", "compression": "piz", "passes": ("emission",),
            "mattes": (), "cryptomatte": False, "packing": "parts", "window": "data", "scale": 0.5,
        }  # fmt: skip
        shown = {"view": "srgb", "keep_alpha": False}  # of display values
        offered = {setting["field"] for setting in settings_of(Exr)} - {"denoised"}
        self.assertEqual(offered, others.keys() | shown.keys())

        def digests(**encoding):
            files = self.written(**encoding)
            found = {file.path.name: hashlib.sha256(file.path.read_bytes()).hexdigest() for file in files}
            for file in files:
                file.path.unlink()
            return found

        plain, display = digests(**base), digests(**base | {"holds": "display"})
        self.assertEqual(plain, digests(**base))
        for name, value in others.items():
            self.assertNotEqual(digests(**base | {name: value}), plain, name)
        for name, value in shown.items():
            self.assertNotEqual(digests(**base | {"holds": "display", name: value}), display, name)

    def test_cropped_and_scaled(self):
        """The crop is the display window; half the size keeps a constant, a mean, and picks data unmixed."""
        (cropped,) = self.written("passes", ("emission", "depth"), kind="exr", window="display")
        ((spec, planes),) = channels(cropped.path)
        self.assertEqual((spec.x, spec.width, spec.full_x, spec.full_width), (2, 12, 2, 12))
        np.testing.assert_array_equal(planes["emission.R"], self.inside(self.planes["emission.R"]).astype(np.float32))
        cropped.path.unlink()
        (half,) = self.written("passes", ("emission", "depth"), kind="exr", window="display", scale=0.5, pixel="float")
        ((spec, planes),) = channels(half.path)
        self.assertEqual((spec.x, spec.width, spec.height, spec.full_x), (0, 6, 4, 0))
        depth = next(plane for name, plane in planes.items() if name.endswith("Z"))
        self.assertTrue(np.isin(depth, self.inside(self.planes["Z"])).all())
        # The library's own filter of the same name; at the picture's edge the two differ.
        source = oiio.ImageBuf(
            np.ascontiguousarray(self.inside(self.planes["emission.R"]).astype(np.float32))[..., None]
        )
        expected = oiio.ImageBufAlgo.resize(source, "lanczos3", roi=oiio.ROI(0, 6, 0, 4)).get_pixels(oiio.FLOAT)
        np.testing.assert_allclose(planes["emission.R"][2, 3], expected[2, 3, 0], rtol=0.02)
        with self.assertRaisesRegex(BadArgument, "Overscan is kept at full size"):
            require(Delivery(items=(self.item(kind="exr", scale=0.5),)), self.ledger, self.sources)

    def test_lossy_compression_is_told_and_never_touches_data(self):
        (file,) = self.written(kind="exr", passes=("depth",), packing="parts", compression="dwaa")
        self.assertIn("dwaa changes the values of B, G, R", " ".join(file.remarks))
        planes = {name: plane for _, part in channels(file.path) for name, plane in part.items()}
        depth = next(plane for name, plane in planes.items() if name.endswith("Z"))
        np.testing.assert_array_equal(depth, self.planes["Z"])
        one = self.item(kind="exr", passes=("N",) if "N" in self.sources else ("*",), compression="b44", data="half")
        with self.assertRaisesRegex(BadArgument, "would change the data"):
            require(Delivery(items=(one,)), self.ledger, self.sources)

    def test_a_file_that_does_not_come_back_is_no_delivery(self):
        """Each fault that the check names is made, and seen: a value, a channel, a window, a file cut short."""
        image = Image.of_planes({"R": np.ones((4, 5), np.float16)})
        path = self.folder / "a.exr"
        for fault, other in (
            ("other values", Image.of_planes({"R": np.full((4, 5), 2, np.float16)})),
            ("has the channels", Image.of_planes({"G": np.ones((4, 5), np.float16)})),
            ("data window", Image.of_planes({"R": np.ones((3, 5), np.float16)})),
        ):
            write_exr(path, other)
            with self.assertRaisesRegex(UnwritableFile, fault):
                require_image(path, [("", image)], ["zip"])
        write_exr(path, image)
        require_image(path, [("", image)], ["zip"])
        path.write_bytes(path.read_bytes()[:-20])
        with self.assertRaises(UnwritableFile):
            require_image(path, [("", image)], ["zip"])


class Deep(FolderCase):
    def test_deep_passes_go_out_as_they_are(self):
        """Read with OpenImageIO: as many samples in every pixel, with their depths; a changed one is seen."""
        deep = any_deep(np.random.default_rng(4), 9, 7)
        flat = {
            f"{layer}{c}": np.full(deep.window.shape, 0.5, np.float16) for layer in ("", "emission.") for c in "RGB"
        }
        paths = [self.write("s_beauty.1001.exr", flat), self.folder / "s_deep.1001.exr"]
        write_samples(paths[1], deep)
        sources = find_sources(paths)
        item = Item(id="deep", subject="deep", encoding={"kind": "exr"})
        place = Destination(self.folder / "out", {"shot": "A", "ledger": "l", "version": 1}, (1001,))
        made = LedgerFrame(first_ledger(sources), sources)
        require(Delivery(items=(item,)), made.ledger, sources)
        (file,) = item.encoding.add(item, made, place)
        found = oiio.ImageInput.open(str(file.path)).read_native_deep_image()
        self.assertEqual([found.samples(n) for n in range(found.pixels)], deep.counts.reshape(-1).tolist())
        depths = sources.samples(next(source.key for source in sources if source.is_deep)).depth
        moved = replace(deep, depth=depths + np.float32(1))
        with self.assertRaisesRegex(UnwritableFile, "other values"):
            require_deep(file.path, moved)


class StillFormats(DeliveryCase):
    def test_every_format_comes_back_by_another_library(self):
        """Codes as given, alpha straight or premultiplied as the format wants; near them where it is lossy."""
        values = self.rng.random((9, 13, 3), dtype=np.float32)
        cover = self.rng.random((9, 13), dtype=np.float32)
        for form in STILLS.values():
            for bits in form.bits:
                for alpha in (None, cover) if form.has_alpha else (None,):
                    path = self.folder / f"a.{form.suffix}"
                    codes = write_display(path, values, alpha, bits=bits)
                    require_still(path, codes)
                    most = (1 << bits) - 1
                    shown = values * cover[..., None] if alpha is not None and form.key == "tiff" else values
                    np.testing.assert_array_equal(codes[..., :3], np.floor(shown.astype(np.float64) * most + 0.5))
                    wrong = np.ascontiguousarray(codes[::-1])
                    with self.assertRaises(UnwritableFile, msg=form.key):
                        require_still(path, wrong)
                    path.write_bytes(path.read_bytes()[:60])
                    with self.assertRaises(UnwritableFile, msg=form.key):
                        require_still(path, codes)

    def test_a_png_says_its_colour_once(self):
        """PNG, third edition: a profile or sRGB, not both; cICP of BT.709 primaries, the curve of sRGB, full range
        (ITU-T H.273: 1, 13, 0, 1)."""
        path = self.folder / "a.png"
        write_display(path, np.zeros((4, 4, 3), np.float32), None)
        data, at, chunks = path.read_bytes(), 8, {}
        while at < len(data):
            end = at + 12 + int.from_bytes(data[at : at + 4], "big")
            self.assertEqual(zlib.crc32(data[at + 4 : end - 4]), int.from_bytes(data[end - 4 : end], "big"))
            chunks[data[at + 4 : at + 8]] = data[at + 8 : end - 4]
            at = end
        order = list(chunks)
        self.assertEqual((chunks[b"cICP"], b"iCCP" in chunks, b"sRGB" in chunks), (bytes((1, 13, 0, 1)), True, False))
        self.assertLess(order.index(b"cICP"), order.index(b"IDAT"))

    def test_viewers_are_told_the_colour(self):
        """An ICC profile of sRGB, as Little CMS reads it, the same in every file."""
        for form in STILLS.values():
            path = self.folder / f"a.{form.suffix}"
            write_display(path, np.zeros((4, 4, 3), np.float32), None)
            with Pillow.open(path) as picture:
                profile = picture.info.get("icc_profile")
            self.assertEqual(bool(profile), form.profile, form.key)
            if profile:
                name = ImageCms.getProfileName(ImageCms.ImageCmsProfile(io.BytesIO(profile)))
                self.assertIn("sRGB", name)

    def test_over_a_colour(self):
        """#336699 where nothing covers, and between the two in light where half is covered: (0.5 + decoded / 2)."""
        planes = {c: np.float32([[0, 0.5, 1]]).repeat(3, 0) for c in "RGB"} | {
            "A": np.float32([[0, 0.5, 1]]).repeat(3, 0)
        }
        planes |= {f"emission.{c}": planes[c] for c in "RGB"}
        sources = find_sources([self.write("b.1001.exr", planes)])
        item = self.item(kind="still", view="srgb", ground="#336699")
        (file,) = item.encoding.add(item, LedgerFrame(first_ledger(sources), sources), self.place)
        got = np.asarray(Pillow.open(file.path))[0].tolist()
        # IEC 61966-2-1: 51, 102, 153 decode to .0331, .1329, .3185; .5 + half of that encodes to 189, 195, 212.
        self.assertEqual((got[0], got[2]), ([51, 102, 153], [255, 255, 255]))
        np.testing.assert_allclose(got[1], [190, 197, 212], atol=2)

    def test_one_pass_or_matte_as_a_still(self):
        (file,) = self.written("mattes", ("far",), kind="still", bits=16)
        codes = oiio.ImageBuf(str(file.path)).get_pixels(oiio.UINT16)[..., 0]
        np.testing.assert_array_equal(codes, np.floor(self.inside(self.made.matte("far")).clip(0, 1) * 65535 + 0.5))
        for names, fault in ((("depth",), "holds data"), (("emission", "background"), "one of the passes")):
            with self.assertRaisesRegex(BadArgument, fault):
                require(Delivery(items=(self.item("passes", names, kind="still"),)), self.ledger, self.sources)


class Shows(FolderCase):
    def setUp(self):
        super().setUp()
        planes = {f"light_{name}.{c}": np.full((8, 12), level, np.float32)
                  for name, level in (("key", 0.4), ("rim", 0.2)) for c in "RGB"}  # fmt: skip
        planes |= {c: np.full((8, 12), 0.6, np.float32) for c in "RGB"}
        self.sources = find_sources([self.write("s.1001.exr", planes)])
        self.ledger = first_ledger(self.sources, by="light-groups")
        self.ledger = self.ledger.replace(finish=[{"id": "g", "kind": "grade", "exposure": -1}])

    def test_lights_come_up_one_by_one(self):
        """Nothing, half of the key, the key, both: .2, .4, .6 at a quarter, a half and the end."""
        for share, light in ((0, 0), (0.25, 0.2), (0.5, 0.4), (0.75, 0.5), (1, 0.6)):
            made = evaluate(lights_up(self.ledger, self.sources, share), self.sources)
            self.assertAlmostEqual(made.mean, light, places=5)
        bare = first_ledger(find_sources([self.write("b.1001.exr", passes(self.rng))]))
        with self.assertRaisesRegex(BadArgument, "no light groups"):
            lights_up(bare, find_sources([self.folder / "b.1001.exr"]), 0.5)

    def test_before_and_after(self):
        """Rendered is .6, finished half of it: codes 203 and 149 (IEC 61966-2-1); the wipe goes from left to right."""
        made = LedgerFrame(self.ledger, self.sources)
        at = lambda show, share: Item(id="m", encoding={"kind": "movie", "show": show, "view": "srgb"}).encoding.staged(  # noqa: E731
            Item(id="m", encoding={"kind": "movie"}), made, share
        )
        row = lambda found: np.round(found.values[4, :, 0] * 255).astype(int).tolist()  # noqa: E731
        self.assertEqual(row(at("beside", 0.0)), [203] * 12 + [128] * 2 + [149] * 12)
        self.assertEqual(row(at("wipe", 0.5)), [149] * 5 + [128] * 2 + [203] * 5)


class Runs(DeliveryCase):
    def delivery(self, *items):
        return Delivery.from_json({"items": list(items)})

    def run_delivery(self, delivery, **options):
        return running.run(delivery, [1001], lambda number: (self.ledger, self.sources), self.place, **options)

    def test_what_is_there_is_left_and_what_is_not_ours_is_never_written_over(self):
        exr = {"id": "a", "encoding": {"kind": "exr"}}
        movie = {"id": "m", "encoding": {"kind": "movie", "codec": "png"}}
        first = self.run_delivery(self.delivery(exr, movie))
        stamps = {path: path.stat().st_mtime_ns for path in first.files}
        again = self.run_delivery(self.delivery(exr, movie))
        self.assertEqual((again.skipped, again.files), ([1001], first.files))
        self.assertEqual({path: path.stat().st_mtime_ns for path in again.files}, stamps)
        with self.assertRaisesRegex(UnwritableFile, "made from something else"):
            self.run_delivery(self.delivery(exr | {"encoding": {"kind": "exr", "pixel": "float"}}, movie))
        first.files[0].unlink()  # what went away comes back; what was changed by hand stays
        self.assertEqual(self.run_delivery(self.delivery(exr, movie)).files, first.files)
        first.files[0].write_bytes(b"changed by hand")
        with self.assertRaisesRegex(UnwritableFile, "made from something else"):
            self.run_delivery(self.delivery(exr, movie))
        self.assertEqual(first.files[0].read_bytes(), b"changed by hand")

    def test_a_closing_that_broke_off_is_taken_up(self):
        movie = self.delivery({"id": "m", "encoding": {"kind": "movie", "codec": "png"}})
        with mock.patch("prism.delivery.encodings.movie.write_movie", side_effect=KeyboardInterrupt):
            with self.assertRaises(KeyboardInterrupt):
                self.run_delivery(movie)
        self.assertFalse((self.place.root / "record.json").exists())
        done = self.run_delivery(movie)
        self.assertEqual([path.suffix for path in done.files], [".png", ".mov"])
        record = json.loads((self.place.root / "record.json").read_text())
        self.assertEqual([file["item"] for file in record["files"]], ["m"])

    def test_a_frame_that_broke_off_between_two_items_is_taken_up(self):
        """What the first item wrote without a record is ours; with other files it would not be."""
        both = self.delivery(*({"id": name, "encoding": {"kind": "exr"}} for name in "ab"))
        whole = Exr.add
        with mock.patch.object(Exr, "add", autospec=True) as add:
            add.side_effect = lambda e, item, *more: whole(e, item, *more) if item.id == "a" else self.fail("killed")
            with self.assertRaises(AssertionError):
                self.run_delivery(both)
        self.assertEqual([path.name for path in self.place.root.rglob("*.exr")], ["A_l_v001_a.1001.exr"])
        other = self.delivery(*({"id": name, "encoding": {"kind": "exr", "pixel": "float"}} for name in "ab"))
        with self.assertRaisesRegex(UnwritableFile, "made from something else"):
            self.run_delivery(other)
        self.assertEqual(len(self.run_delivery(both).files), 2)
        self.assertEqual(list(self.place.root.rglob("*.begun")), [])

    def test_two_items_of_one_name_are_refused(self):
        items = [{"id": name, "pattern": "x.{frame}.exr", "encoding": {"kind": "exr"}} for name in "ab"]
        with self.assertRaisesRegex(BadArgument, "Two items would be written to x.1001.exr"):
            self.run_delivery(self.delivery(*items))
        self.assertFalse(list(self.folder.glob("out/*.exr")))

    def test_bad_documents_name_the_item(self):
        cases = [
            ({"items": [{"id": "a", "encoding": {"kind": "exr", "pixel": "byte"}}]}, "item a, field items.0.encoding"),
            (
                {"items": [{"id": "a", "encoding": {"kind": "exr"}}, {"id": "A", "encoding": {"kind": "exr"}}]},
                "called a",
            ),
            ({"items": [{"id": "a", "subject": "deep", "encoding": {"kind": "still"}}]}, "cannot hold deep"),
            ({"items": [{"id": "../a", "encoding": {"kind": "exr"}}]}, "item ../a"),
            ({"fields": {"frame": 1}}, "frame cannot be given"),
            ({"version": 2}, "version"),
        ]
        for data, fault in cases:
            with self.subTest(fault), self.assertRaisesRegex(BadDocument, fault):
                Delivery.from_json(data)

    def test_the_command_line_carries_it_out(self):
        """The picture and a movie of the finish, wiped against what was rendered; a second time nothing is written."""
        (self.folder / "l.json").write_text(json.dumps(self.ledger.as_json()))
        passes = self.folder / "passes"
        passes.mkdir()
        for number in (1001, 1002):
            (passes / f"shot.{number}.exr").write_bytes((self.folder / "shot.1001.exr").read_bytes())
        wipe = {"kind": "movie", "codec": "animation", "show": "wipe", "burn": "{shot}||{frame}"}
        delivery = {
            "ledger": "l.json", "folders": ["passes"], "out": "sent", "fields": {"shot": "ORR", "version": 2},
            "items": [{"id": "a", "encoding": {"kind": "exr"}}, {"id": "w", "encoding": wipe}],
        }  # fmt: skip
        (self.folder / "d.json").write_text(json.dumps(delivery))
        command = ["deliver", "--json", self.folder / "d.json"]
        done = run(*command)
        self.assertEqual(done.returncode, 0, done.stderr)
        answer = json.loads(done.stdout)
        self.assertEqual(Path(answer["files"][-1]).name, "ORR_first_v002_w.mov")
        self.assertTrue(all(Path(file).is_file() for file in answer["files"]))
        again = json.loads(run(*command).stdout)
        self.assertEqual(again["skipped"], [1001, 1002])
        for out in ("../sent", str(self.folder.parent / "sent")):  # elsewhere only if told so
            inner = self.folder / "inner"
            inner.mkdir(exist_ok=True)
            moved = delivery | {"ledger": "../l.json", "folders": ["../passes"], "out": out, "frames": "1001"}
            (inner / "d.json").write_text(json.dumps(moved | {"items": delivery["items"][:1]}))
            told = [*command[:-1], inner / "d.json"]
            refused = run(*told)
            self.assertEqual((refused.returncode, "outside of its folder" in refused.stderr), (1, True), refused.stderr)
        moved["out"] = "../elsewhere"
        (inner / "d.json").write_text(json.dumps(moved | {"items": delivery["items"][:1]}))
        self.assertEqual(run(*told, "--anywhere").returncode, 0)
        self.assertTrue(list((self.folder / "elsewhere").rglob("*.exr")))


class AsSeen(FolderCase):
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


class Dates(DeliveryCase):
    def test_the_band_has_the_day_of_the_order_whenever_it_is_written(self):
        """All frames alike, though they are written past midnight or again after a crash."""
        place = replace(self.place, ordered=date(2026, 3, 1))
        movie = self.item(kind="movie", burn="{date}||").encoding
        self.assertEqual([movie.words_at(place, number, 24)["date"] for number in (1, 2)], ["2026-03-01"] * 2)


class Marks(DeliveryCase):
    """What a delivery was made from: the fingerprint of a frame, and of what is made of all frames."""

    def test_a_frame_is_another_when_its_files_ledger_or_items_are(self):
        items = Delivery(items=(self.item(kind="exr"),))
        made_from = lambda ledger=self.ledger, items=items: fingerprint_of(items, ledger, self.sources)  # noqa: E731
        before = made_from()
        self.assertEqual(made_from(), before)
        self.assertNotEqual(made_from(items=Delivery(items=(self.item(kind="exr", pixel="float"),))), before)
        self.assertNotEqual(made_from(ledger=self.ledger.replace(rows=self.ledger.rows[:1])), before)
        path = self.folder / "shot.1001.exr"
        path.write_bytes(path.read_bytes() + b"\0")
        self.assertNotEqual(made_from(), before)

    def test_what_is_made_of_all_frames_is_another_when_one_of_them_is(self):
        item, frames = self.item(kind="movie"), [{"frame": 1, "mark": "a"}, {"frame": 2, "mark": "b"}]
        closing = [
            closing_fingerprint(item, 24, frames), closing_fingerprint(item, 25, frames),
            closing_fingerprint(item, 24, frames[:1]),
            closing_fingerprint(item, 24, [frames[0], {"frame": 2, "mark": "c"}]),
            closing_fingerprint(item, 24, [frames[0], {"frame": 3, "mark": "b"}]),
            closing_fingerprint(self.item(kind="movie", codec="h264"), 24, frames),
            closing_fingerprint(self.item(kind="movie", codec="vp9"), 24, frames),
        ]  # fmt: skip
        self.assertEqual(len(set(closing)), 6)
