"""What an item will be, against the files that are delivered of it, read by other libraries."""

from dataclasses import replace
from unittest import mock

import numpy as np
from PIL import Image as Pillow

from prism.combine.evaluate import Evaluator
from prism.delivery import previewing
from prism.delivery.encodings.table import ENCODINGS
from prism.delivery.ledger_frame import CachedFrame
from prism.delivery.previewing import picture_of, preview
from prism.errors import BadArgument, UnreadableFile
from prism.finish.evaluate import Finisher
from prism.sources.store import PixelStore
from prism.tests.test_delivery import DeliveryCase

BOARD = {"width": 4000, "height": 2000, "unit": "mm", "dpi": 25.4, "background": "#336699"}
LEAST = {"exr": {}, "still": {}, "movie": {}, "sheet": {}, "board": {"board": BOARD}, "parcel": {}}


class Previews(DeliveryCase):
    def seen(self, *arguments, across=4000, **encoding):
        return preview(self.item(*arguments, **encoding), self.made, self.place, rate=24.0, across=across)

    def test_every_encoding_is_seen_or_says_that_it_is_no_picture(self):
        for kind, encoding in ENCODINGS.items():
            with self.subTest(kind):
                self.assertIn(kind, LEAST, "say here how the new encoding is made with the least")
                found = self.seen(encoding.subjects[0], kind=kind, **LEAST[kind])
                self.assertEqual(found.codes is not None, encoding.pictured)
                self.assertEqual(found.of_frame + found.of_all > 0, encoding.pictured)
        self.assertFalse(self.place.root.exists())

    def test_it_shows_what_the_delivered_file_holds_and_its_folder_goes_away(self):
        folders = []
        kept = previewing.picture_of

        def watched(path, *more, **options):
            folders.append(path.parent)
            return kept(path, *more, **options)

        for encoding in ({"scale": 0.5}, {"ground": "#ff0000"}, {"alpha": "keep"}, {"format": "tiff", "view": "srgb"}):
            with self.subTest(encoding), mock.patch.object(previewing, "picture_of", watched):
                found = self.seen(kind="still", dither="never", **encoding)
                (written,) = self.written(kind="still", dither="never", **encoding)
                np.testing.assert_array_equal(found.codes, np.asarray(Pillow.open(written.path)))
                self.assertEqual((found.remarks, found.of_frame), (written.remarks, written.bytes))
                written.path.unlink()
        self.assertFalse(any(folder.exists() for folder in folders))

    def test_light_is_seen_through_the_film_view_with_its_alpha(self):
        (written,) = self.written(kind="still", alpha="keep", dither="never")
        still = np.asarray(Pillow.open(written.path))
        np.testing.assert_allclose(self.seen(kind="exr", pixel="float").codes, still, atol=1)
        shown = self.seen(kind="exr", pixel="float", holds="display").codes  # values that must not be viewed twice
        there = still[..., 3] > 0
        np.testing.assert_allclose(shown[there], still[there], atol=1)

    def test_several_passes_are_a_sheet(self):
        found = self.seen("passes", ["*"], kind="exr").codes
        self.assertGreater(found.shape[0], 3 * self.display.height)
        one = self.seen("passes", ["diffuse_direct"], kind="exr").codes
        self.assertEqual(one.shape[:2], self.display.shape)

    def test_a_codec_says_what_it_costs(self):
        """Against the decoder of FFmpeg; a movie that keeps all says nothing."""
        item = self.item(kind="movie", burn="{frame}||", view="srgb", scale=4)
        found = preview(item, self.made, self.place, rate=24.0, across=4000)
        self.assertEqual(found.codes.shape[:2], (32, 48))
        (said,) = (remark for remark in found.remarks if "changes the first frame" in remark)
        mean, most = (float(word) for word in said.replace(",", " ").split() if word[0].isdigit() and word != "255")
        exact = preview(
            item.replace(encoding=item.encoding.replace(codec="animation")),
            self.made,
            self.place,
            rate=24.0,
            across=4000,
        )
        self.assertFalse(any("changes the first frame" in remark for remark in exact.remarks))
        apart = np.abs(exact.codes.astype(int) - found.codes)
        self.assertAlmostEqual(apart.mean(), mean, delta=0.006)
        self.assertEqual(apart.max(), most)

    def test_a_sheet_has_a_cell_for_every_frame(self):
        self.place = replace(self.place, frames=range(1001, 1010))
        found = self.seen(kind="sheet", columns=3, cell_width=40, cell_height=30, gap=2, margin=4, format="pdf")
        item = self.item(kind="sheet", columns=3, cell_width=40, cell_height=30, gap=2, margin=4)
        self.assertEqual(found.codes.shape[1::-1], item.encoding.layout.size(9))

    def test_a_large_board_is_seen_with_fewer_dots(self):
        found = self.seen("files", kind="board", board=BOARD).codes
        self.assertEqual(found.shape, (700, 1400, 3))
        np.testing.assert_array_equal(found[0, 0], (0x33, 0x66, 0x99))

    def test_of_a_pdf_its_page(self):
        item = self.item("files", kind="board", board=BOARD | {"width": 300, "height": 200}, format="pdf")
        closing = previewing._closing(item, self.made, self.place, (1001,), [], 24.0, None, lambda: False)
        (written,) = item.encoding.close(item, closing)
        page = picture_of(written.path)
        self.assertEqual(round(page.shape[1] / page.shape[0], 2), 1.5)
        np.testing.assert_allclose(page[5, 5], (0x33, 0x66, 0x99), atol=1)
        bad = self.folder / "bad.pdf"
        bad.write_bytes(b"%PDF-")
        with self.assertRaises(UnreadableFile):
            picture_of(bad)

    def test_nothing_to_show_is_said(self):
        with self.assertRaisesRegex(BadArgument, "matte lost"):
            self.seen("mattes", ["lost"], kind="exr")

    def test_what_is_cached_is_the_same_in_every_bit(self):
        ledger = self.ledger.replace(finish=[{"id": "g", "kind": "glow"}, {"id": "v", "kind": "vignette"}])
        store = PixelStore()
        cached = CachedFrame(ledger, self.sources, Evaluator(store), Finisher(store))
        plain = type(self.made)(ledger, self.sources)
        for name in ("rebuilt", "light"):
            np.testing.assert_array_equal(getattr(cached, name).rgba, getattr(plain, name).rgba)
