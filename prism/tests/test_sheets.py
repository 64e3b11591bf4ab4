"""Contact sheets, boards and notes: where everything lies, by tables worked out by hand, and PDFs opened by pypdf and
PDFium."""

import io
import json
import math
from contextlib import nullcontext
from dataclasses import replace
from datetime import datetime

import numpy as np
import OpenImageIO as oiio
import pypdf
import pypdfium2
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow
from scipy.ndimage import gaussian_filter

from prism.delivery.reading_back import require_page
from prism.errors import BadArgument, BadDocument, TooCostly, UnwritableFile
from prism.pixels.letters import FACES, fitting, letters, unknown_letters
from prism.sheets.boards.costs import MOST_DRAWN, MOST_LETTERS, drawn_of, require_affordable
from prism.sheets.boards.document import Board
from prism.sheets.boards.elements import ELEMENTS
from prism.sheets.boards.render import DRAW, Scale, board_page
from prism.sheets.boards.templates import TEMPLATES
from prism.sheets.contact import Entry, SheetLayout, contact_sheet, fitted, within
from prism.sheets.notes import NoteEntry, notes_pdf
from prism.sheets.page import Page, Words, write_page
from prism.tests.frames import FolderCase, run


def plain(colour, height=30, width=40):
    """Codes of one colour."""
    return np.full((height, width, len(colour)), colour, np.uint8)


def entry(colour, height=30, width=40, **fields):
    return Entry(lambda: plain(colour, height, width), fields)


def rendered(path, scale=1.0):
    """A PDF's first page as PDFium draws it."""
    document = pypdfium2.PdfDocument(path)
    try:
        return document[0].render(scale=scale).to_numpy()[..., 2::-1]
    finally:
        document.close()


class ContactSheets(FolderCase):
    def test_sizes_and_places_by_hand(self):
        """Margins + columns x cell + gaps: 2 x 20 + 3 x 100 + 2 x 10 = 360 across; two rows are 2 x 20 + 2 x 80 + 10 =
        210 down. The fifth picture's cell begins at 20 + 110, 20 + 90."""
        layout = SheetLayout(columns=3, cell_width=100, cell_height=80, gap=10, margin=20)
        cases = [(1, (360, 120)), (3, (360, 120)), (4, (360, 210)), (5, (360, 210)), (7, (360, 300))]
        for count, size in cases:
            self.assertEqual(layout.size(count), size)
        self.assertEqual([layout.cell(place) for place in (0, 2, 4)], [(20, 20), (240, 20), (130, 110)])
        # 40 x 30 into 100 x 80: 2.5 times, 100 x 75, 2 down from the top; 20 x 40: twice, 40 x 80, 30 from the left.
        self.assertEqual(layout.picture_box(0, 40, 30), (20, 22, 100, 75))
        self.assertEqual(layout.picture_box(0, 20, 40), (50, 20, 40, 80))
        self.assertEqual(layout.replace(fill="fill").picture_box(4, 20, 40), (130, 110, 100, 80))
        # Letters of 10: a strip of 16 at the foot of the cell; a title of twice that takes 32 at the top.
        captioned = layout.replace(caption="{name}", letters=10, title="t")
        self.assertEqual((captioned.size(4), captioned.picture_box(0, 100, 64)), ((360, 242), (20, 52, 100, 64)))

    def test_pictures_whole_and_filling(self):
        layout = SheetLayout(columns=2, cell_width=40, cell_height=40, gap=4, margin=8, background="#204060")
        red, see_through = (200, 10, 20), (255, 255, 255, 128)
        page = contact_sheet([entry(red, 20, 40), entry(see_through, 40, 40)], layout)
        codes = page.codes
        self.assertEqual(codes.shape, (56, 100, 3))
        self.assertEqual(codes[18, 8:48].tolist(), [list(red)] * 40)
        self.assertEqual((codes[17, 20].tolist(), codes[0, 0].tolist()), ([32, 64, 96], [32, 64, 96]))
        # Half white over 32, 64, 96: 255 x 128/255 + 32 x 127/255 = 144.
        self.assertEqual(codes[20, 60].tolist(), [144, 160, 176])
        filled = contact_sheet([entry(red, 20, 40)], layout.replace(fill="fill")).codes
        self.assertTrue((filled[8:48, 8:48] == red).all())

    def test_a_cut_is_about_the_middle(self):
        """A ramp of 90 columns into 30 x 30 of 30 rows: columns 30 to 59 stay."""
        ramp = np.repeat(np.arange(90, dtype=np.uint8)[None, :, None], 30, 0).repeat(3, 2)
        np.testing.assert_array_equal(fitted(ramp, 30, 30, crop=True)[10, :, 0], np.arange(30, 60))

    def test_smaller_in_its_shape_with_colour_that_counts_by_its_alpha(self):
        codes = np.zeros((8, 16, 4), np.uint8)
        codes[:, :8] = (200, 100, 50, 255)
        small = within(codes, 4)
        self.assertEqual(small.shape, (2, 4, 4))
        self.assertEqual((small[0, 0, 3], small[0, 3, 3]), (255, 0))
        covered = small[small[..., 3] > 20]
        np.testing.assert_allclose(covered[:, :3], np.broadcast_to((200, 100, 50), (len(covered), 3)), atol=6)
        for most, shape in (((100, 2), (2, 4)), ((100, 4), (4, 8)), ((8, 100), (4, 8))):
            self.assertEqual(within(codes, *most).shape[:2], shape)
        for most in ((16,), (16, 8), (99, 99)):
            self.assertIs(within(codes, *most), codes)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 9), st.integers(8, 200), st.integers(8, 200), st.integers(0, 30), st.integers(0, 30),
           st.integers(1, 30), st.integers(1, 400), st.integers(1, 400))  # fmt: skip
    def test_every_picture_lies_in_its_cell_in_its_shape(self, columns, wide, high, gap, margin, count, width, height):
        layout = SheetLayout(columns=columns, cell_width=wide, cell_height=high, gap=gap, margin=margin)
        sheet = layout.size(count)
        for place in range(count):
            x, y, across, down = layout.picture_box(place, width, height)
            left, upper = layout.cell(place)
            self.assertTrue(left <= x and upper <= y and x + across <= left + wide and y + down <= upper + high)
            self.assertTrue(x + across <= sheet[0] - margin and y + down <= sheet[1] - margin)
            scale = min(wide / width, high / height)
            self.assertLessEqual(abs(across - max(1, width * scale)), 0.5)
            self.assertLessEqual(abs(down - max(1, height * scale)), 0.5)

    def test_ink_is_light_on_dark_and_dark_on_light(self):
        for ground, ink in (("#202020", 0.93), ("#f0f0f0", 0.1)):
            page = contact_sheet(
                [entry((1, 2, 3), name="a")], SheetLayout(columns=1, caption="{name}", background=ground)
            )
            self.assertEqual({line.colour for line in page.words}, {(ink,) * 3})

    def test_captions(self):
        layout = SheetLayout(columns=1, caption="{index} {name} {frame:04}", cell_width=400)
        page = contact_sheet([entry((1, 2, 3), name="a", frame=7), entry((1, 2, 3), name="b")], layout)
        self.assertEqual([line.text for line in page.words], ["1 a 0007", "2 b 0000"])
        for place, line in enumerate(page.words):  # capitals, some 0.7 of the letters' size, stand in the strip
            foot = layout.cell(place)[1] + layout.cell_height
            self.assertEqual(line.x, layout.cell(place)[0] + layout.cell_width / 2)
            self.assertTrue(foot - layout.caption_height < line.y - 0.7 * layout.letters < line.y < foot)
        for caption, fault in (("{nam}", "Unknown field"), ("{frame:x.}", "cannot be filled in")):
            with self.assertRaisesRegex(BadArgument, fault):
                contact_sheet([entry((1, 2, 3))], layout.replace(caption=caption))
        with self.assertRaises(BadArgument):
            contact_sheet([], layout)

    def test_the_command_line(self):
        for number, colour in enumerate(("red", "lime", "blue"), start=1):
            Pillow.new("RGB", (40, 30), colour).save(self.folder / f"p.{number:04}.png")
        files = sorted(map(str, self.folder.glob("*.png")))
        out = self.folder / "s.tif"
        command = ["sheet", *files, "--columns", "2", "--cell", "40x50", "--gap", "6",
                   "--margin", "10", "--background", "#808080", "--caption", "{frame}", "--out", str(out)]  # fmt: skip
        done = run(*command, "--json")
        self.assertEqual(json.loads(done.stdout)["size"], [106, 126], done.stderr)
        with Pillow.open(out) as sheet:
            self.assertEqual((sheet.size, sheet.getpixel((30, 20))), ((106, 126), (255, 0, 0)))
        self.assertEqual(run(*command[:-1], "s.txt").returncode, 1)
        self.assertEqual(run(*command, "--background", "red").returncode, 1)


class Pages(FolderCase):
    def page(self):
        words = [
            Words("Żółw and text", 40, 60, 24, "text", (1, 1, 1)),
            Words("mono", 300, 150, 18, "mono", (1, 0.5, 0), "right"),
        ]
        return Page(plain((30, 60, 90), 200, 320), words, dpi=144, title="A page")

    def test_pdf_by_other_libraries(self):
        """Size in points, text as text, fonts that go along, and the same picture as the PNG."""
        write_page(self.page(), self.folder / "p.pdf")
        write_page(self.page(), self.folder / "p.png")
        read = pypdf.PdfReader(self.folder / "p.pdf")
        page = read.pages[0]
        self.assertEqual([float(side) for side in page.mediabox], [0, 0, 160, 100])
        self.assertEqual(read.metadata.title, "A page")
        text = page.extract_text()
        self.assertTrue("Żółw and text" in text and "mono" in text, text)
        for font in page["/Resources"]["/Font"].values():
            font = font.get_object()
            inner = font["/DescendantFonts"][0].get_object() if "/DescendantFonts" in font else font
            self.assertIn("/FontFile2", inner["/FontDescriptor"].get_object(), font["/BaseFont"])
        drawn = rendered(self.folder / "p.pdf", scale=2).astype(int)
        with Pillow.open(self.folder / "p.png") as picture:
            ours = np.asarray(picture.convert("RGB")).astype(int)
            self.assertAlmostEqual(picture.info["dpi"][0], 144, delta=0.1)
        self.assertEqual(drawn.shape, ours.shape)
        self.assertLess(np.abs(drawn - ours).mean(), 2)
        self.assertGreater(ours.std(), 10)

    def test_light_is_decoded(self):
        """Code 128 is light .2158605 (IEC 61966-2-1); half keeps 11 bits of it."""
        write_page(Page(plain((128, 0, 255))), self.folder / "p.exr")
        light = oiio.ImageBuf(str(self.folder / "p.exr")).get_pixels(oiio.FLOAT)[5, 5]
        np.testing.assert_allclose(light, [0.2158605, 0, 1], rtol=1e-3)

    def test_formats(self):
        for name in ("p.gif", "p"):
            with self.assertRaises(BadArgument):
                write_page(self.page(), self.folder / name)

    def test_a_page_that_does_not_come_back_is_no_delivery(self):
        """Each fault that the check names is made, and seen, in every format; what cannot be drawn is no fault."""
        page = self.page()
        lines = [*page.words, Words("turned ż 木 it-", 90, 30, 12, "mono bold", align="right", turn=30), *page.words]
        page = replace(page, words=lines)
        wrong = [("picture|codes|values", replace(page, codes=page.codes[::-1].copy() ^ 1))]
        wrong += [("points|window|is .* x", replace(page, codes=page.codes[:-1].copy()))]
        for suffix in ("pdf", "png", "tif", "exr"):
            path = self.folder / f"p.{suffix}"
            said = [("not in it: mono", replace(page, words=page.words[:1]))] if suffix == "pdf" else []
            for fault, other in [*wrong, *said]:
                write_page(other, path)
                with self.assertRaisesRegex(UnwritableFile, fault):
                    require_page(path, page)
            write_page(page, path)
            require_page(path, page)
            path.write_bytes(path.read_bytes()[:60])
            with self.assertRaises(UnwritableFile):
                require_page(path, page)

    def test_words_are_cut_and_unknown_letters_named(self):
        for face in FACES:
            line = fitting("A long line of words", face, 20, 90)
            self.assertTrue(line.endswith("…") and letters(face, 20).getlength(line) <= 90)
            self.assertEqual(unknown_letters("Aż木木", face), "木")
        self.assertIn("no 木 山:", Page(plain((0, 0, 0)), [Words("木", 0, 9, 9), Words("山ż", 0, 9, 9)]).remarks[0])
        self.assertEqual(Page(plain((0, 0, 0)), [Words("Aż", 0, 9, 9)]).remarks, ())
        self.assertEqual(fitting("wide", "text", 20, 3), "")


class Boards(FolderCase):
    def board(self, *elements, **fields):
        usual = {"unit": "px", "width": 200, "height": 100, "background": "#202020"}
        return Board.from_json(usual | fields | {"elements": list(elements)})

    def codes(self, *elements, **fields):
        return board_page(self.board(*elements, **fields), lambda source, across: plain((0, 200, 0))).with_words

    def test_sizes_by_hand(self):
        """32.5 x 10.5 inch at 300 dots: 9750 x 3150. A4 in mm at 150: 210 / 25.4 x 150 = 1240, 1754. A border of 10 mm
        at 254 dots is 100 pixels, on either side."""
        cases = [
            ({"unit": "inch", "width": 32.5, "height": 10.5, "dpi": 300}, (9750, 3150)),
            ({"unit": "mm", "width": 210, "height": 297, "dpi": 150}, (1240, 1754)),
            ({"unit": "mm", "width": 100, "height": 50, "dpi": 254, "border": 10}, (1200, 700)),
            ({"border": 7}, (214, 114)),
        ]
        for fields, size in cases:
            self.assertEqual(self.board(**fields).size, size)
        with self.assertRaisesRegex(TooCostly, "is too large"):
            self.codes(unit="inch", width=900, height=900, dpi=600)

    def test_what_takes_too_long_is_refused_before_it_is_drawn(self):
        """Each kind just within what may be drawn, and just beyond: named by its element. Elements and blurs beyond the
        sheet count only as far as they are seen, and a preview is as small as the screen in any unit."""
        soft = {"blur": 10.0, "dx": 0.0, "dy": 0.0}
        large = {"unit": "px", "width": 1000, "height": 1000}
        text = {"kind": "text", "size": 4, "text": "\n".join("ab" for _ in range(500))}
        kinds = {
            "texture": {"kind": "band", "width": 1000, "height": 1000, "texture": "dots"},
            "shadow": {"kind": "band", "width": 400, "height": 400, "shadow": soft},
            "marks": {"kind": "marks", "count": 900, "size": 2.0, "spacing": 1.0},
            "glow": {"kind": "text", "text": "glowing words", "size": 60, "glow": 30.0, "y": 100},
            "text": text,
        }
        for name, element in kinds.items():
            with self.subTest(name):
                one = self.board({"id": "a"} | element, **large)
                own = drawn_of(one.elements[0], Scale.of(one))
                require_affordable(one, Scale.of(one), most=math.ceil(own))
                with self.assertRaisesRegex(TooCostly, "Up to a too much"):
                    require_affordable(one, Scale.of(one), most=math.floor(own) - 1)
                many = [{"id": f"a{place}"} | element for place in range(int(MOST_DRAWN / own) + 1)]
                with self.assertRaises(TooCostly):
                    self.codes(*many, **large)
        thin = {"kind": "text", "size": 0.1}
        for count, refused in ((MOST_LETTERS, False), (MOST_LETTERS + 1, True)):
            spread = [thin | {"id": f"t{at}", "text": "a" * 1000} for at in range(count // 1000)]
            board = self.board(*spread, thin | {"id": "end", "text": "b" * (count % 1000)}, **large)
            with self.assertRaisesRegex(TooCostly, "letters") if refused else nullcontext():
                require_affordable(board, Scale.of(board))
        wide = kinds["shadow"] | {"shadow": soft | {"blur": 10_000}}
        for huge in ({"kind": "marks", "size": 10_000, "count": 1}, wide):
            with self.assertRaisesRegex(TooCostly, "a is too large to draw"):
                self.codes({"id": "a"} | huge, **large)
        beyond = {"id": "a", "kind": "band", "x": -5000, "y": -5000, "width": 10_000, "height": 10_000, "outline": 500}
        self.assertEqual(self.codes(beyond, **large).shape, (1000, 1000, 3))
        small = board_page(self.board(beyond, **large), lambda *_: plain((1, 2, 3)), shrink=0.1)
        self.assertEqual(small.codes.shape, (100, 100, 3))

    def test_what_lies_beyond_the_sheet_changes_nothing_on_it(self):
        """Cut at the sheet or not, to the last code: the same board in the middle of a larger sheet."""
        elements = [
            {"id": "b", "kind": "band", "x": -60, "y": -30, "width": 150, "height": 90, "texture": "dots",
             "blend": True, "spacing": 7, "turn": 30, "outline": 5, "shadow": {"blur": 6, "dx": 9, "dy": 4}},
            {"id": "m", "kind": "marks", "x": -20, "y": 60, "count": 9, "spacing": 14, "size": 17, "form": "arrow",
             "shadow": {"blur": 2, "dx": 3, "dy": 3}},
            {"id": "t", "kind": "text", "x": -40, "y": 95, "size": 30, "text": "glowing words", "glow": 8,
             "shadow": {"blur": 3, "dx": 5, "dy": 5}},
        ]  # fmt: skip
        moved = [element | {"x": element["x"] + 200, "y": element["y"] + 200} for element in elements]
        small = self.codes(*elements, unit="px", width=120, height=100)
        large = self.codes(*moved, unit="px", width=520, height=500)
        np.testing.assert_array_equal(small, large[200:300, 200:320])

    def test_a_border_makes_the_sheet_larger_and_covers_nothing(self):
        band = {"id": "b", "kind": "band", "x": 0, "y": 0, "width": 200, "height": 100, "colour": "#ff0000"}
        codes = self.codes(band, border=10, border_colour="#0000ff")
        self.assertEqual(codes.shape, (120, 220, 3))
        self.assertTrue((codes[10:110, 10:210] == (255, 0, 0)).all())
        self.assertTrue((codes[:10] == (0, 0, 255)).all() and (codes[:, 210:] == (0, 0, 255)).all())

    def test_order_and_opacity(self):
        """#ff0000 under half of #0000ff: 127.5 rounds to 128 each."""
        box = {"kind": "band", "x": 20, "y": 20, "width": 40, "height": 40}
        below, above = box | {"id": "a", "colour": "#ff0000"}, box | {"id": "b", "colour": "#0000ff", "opacity": 0.5}
        self.assertEqual(self.codes(below, above)[30, 30].tolist(), [128, 0, 128])
        self.assertEqual(self.codes(above, below)[30, 30].tolist(), [255, 0, 0])
        self.assertEqual(self.codes(below, above | {"hidden": True})[30, 30].tolist(), [255, 0, 0])

    def test_pictures_whole_filling_and_outlined(self):
        """40 x 30 into 60 x 60: whole it is 60 x 45, from 7 or 8 down; an outline lies around the picture."""
        picture = {"id": "p", "kind": "picture", "x": 20, "y": 20, "width": 60, "height": 60,
                   "source": {"kind": "file", "path": "x"}}  # fmt: skip
        green = (self.codes(picture) == (0, 200, 0)).all(axis=-1)
        rows, columns = np.nonzero(green)
        self.assertEqual((rows.min(), rows.max(), columns.min(), columns.max(), green.sum()), (27, 71, 20, 79, 2700))
        self.assertEqual((self.codes(picture | {"fill": "fill"}) == (0, 200, 0)).all(axis=-1).sum(), 3600)
        framed = self.codes(picture | {"outline": 2, "outline_colour": "#ffffff"})
        white = (framed == 255).all(axis=-1)
        self.assertEqual(white.sum(), 64 * 49 - 60 * 45)

    def test_shadows_hard_and_soft(self):
        """Hard: the box, moved, half dark: .5 x 32. Soft: SciPy's Gaussian of the cover, cut at four deviations."""
        box = {"id": "a", "kind": "band", "x": 50, "y": 30, "width": 40, "height": 20, "colour": "#ffffff"}
        shadow = {"dx": 60, "dy": 5, "blur": 0, "opacity": 0.5}
        hard = self.codes(box | {"shadow": shadow})
        self.assertTrue((hard[35:55, 110:150] == 16).all())
        self.assertEqual(hard[34, 120].tolist(), [32] * 3)
        soft = self.codes(box | {"shadow": shadow | {"blur": 4}})
        cover = np.zeros((100, 200))
        cover[35:55, 110:150] = 0.5
        expected = np.floor(32 * (1 - gaussian_filter(cover, 4, mode="constant")) + 0.5)
        np.testing.assert_allclose(soft[:, 100:, 0], expected[:, 100:], atol=1)
        little = self.codes(box | {"shadow": shadow | {"blur": 0.7}})  # less than a pixel is soft too
        expected = np.floor(32 * (1 - gaussian_filter(cover, 0.7, mode="constant")) + 0.5)
        np.testing.assert_allclose(little[:, 100:, 0], expected[:, 100:], atol=1)

    def test_marks_repeat_and_mirror(self):
        """Four dots 20 apart from 30, 30, once more about y = 45: eight, and each a mirror image."""
        marks = {"id": "m", "kind": "marks", "form": "triangle", "x": 30, "y": 30, "count": 4, "spacing": 20, "size": 9,
                 "colour": "#ffffff", "mirrored": True, "about": 45}  # fmt: skip
        codes = self.codes(marks)[..., 0].astype(int) - 32
        upper, lower = codes[20:45], codes[45:70][::-1]
        self.assertEqual([int(codes[30, x] > 100) for x in (30, 50, 70, 90, 110)], [1, 1, 1, 1, 0])
        np.testing.assert_array_equal(upper, lower)
        # The area of an equilateral triangle of side 9, four of them, in whole white pixels of 223.
        self.assertAlmostEqual(upper.sum() / 223, 4 * 9 * 9 * 0.433, delta=8)

    def test_arrows_point_straight(self):
        """Alike on the left and on the right, and narrower above than below its head."""
        marks = {"id": "m", "kind": "marks", "form": "arrow", "x": 60, "y": 50, "count": 1, "size": 60,
                 "colour": "#ffffff"}  # fmt: skip
        cover = self.codes(marks)[..., 0].astype(int) - 32
        across = np.flatnonzero(cover.any(axis=0))
        inside = cover[:, across[0] : across[-1] + 1]
        self.assertLess(np.abs(inside - inside[:, ::-1]).mean(), 1)
        widths = (cover > 100).sum(axis=1)
        head = int(np.argmax(widths))
        self.assertLess(widths[widths > 0][0], 4)
        self.assertTrue((np.diff(widths[np.flatnonzero(widths)[0] : head]) >= 0).all())
        self.assertAlmostEqual(int(widths[head + 10]), round(0.24 * 60), delta=1)

    def test_textures(self):
        """Half of a field of lines is ink; dots of a quarter of the spacing across cover pi/4 of a sixteenth."""
        band = {"id": "b", "kind": "band", "width": 200, "height": 100, "colour": "#000000", "spacing": 10,
                "texture_colour": "#ffffff", "turn": 0}  # fmt: skip
        lines = self.codes(band | {"texture": "lines", "weight": 0.5}).mean() / 255
        dots = self.codes(band | {"texture": "dots", "weight": 0.4}).mean() / 255
        self.assertAlmostEqual(lines, 0.5, delta=0.01)
        self.assertAlmostEqual(dots, np.pi * 2**2 / 100, delta=0.01)

    def test_text_stays_text_where_nothing_covers_it(self):
        text = {"id": "t", "kind": "text", "text": "first\nsecond", "x": 20, "y": 40, "size": 16, "turn": 30}
        over = {"id": "b", "kind": "band", "x": 0, "y": 0, "width": 90, "height": 90, "opacity": 0.5}
        load = lambda source, across: plain((0, 200, 0))  # noqa: E731
        page = board_page(self.board(text), load)
        self.assertEqual([line.text for line in page.words], ["first", "second"])
        below = board_page(self.board(text, over), load)
        self.assertEqual(len(below.words), 0)
        self.assertGreater(below.codes.astype(int).std(), 5)  # drawn, and dimmed by what covers it
        above = board_page(self.board(over, text), load)
        self.assertEqual(len(above.words), 2)
        adjusted = self.board(text, finish=[{"id": "l", "kind": "levels", "out_black": 0.5}])
        codes = board_page(adjusted, load)
        self.assertEqual((len(codes.words), int(codes.codes.min()) >= 127), (0, True))

    def test_documents(self):
        """Each kind is drawn, ours open, JSON and back is the same, and faults are named."""
        self.assertEqual(set(DRAW), set(ELEMENTS.values()))
        for template in TEMPLATES.values():
            again = Board.from_json(json.loads(json.dumps(template.as_json())))
            self.assertEqual(again, template)
            page = board_page(template.replace(dpi=20), lambda source, across: plain((1, 2, 3)))
            self.assertEqual(page.codes.shape[1::-1], template.replace(dpi=20).size)
        twice = {"id": "a", "kind": "band"}
        for elements, fields, fault in (
            ([twice, twice], {}, "Two elements have the id a"),
            ([{"id": "a", "kind": "song"}], {}, "one of the kinds"),
            ([{"id": "a", "kind": "text", "size": 0}], {}, "elements.0.size"),
            ([], {"finish": [{"id": "g", "kind": "glow"}]}, "display values alone"),
        ):
            with self.assertRaisesRegex(BadDocument, fault):
                self.board(*elements, **fields)

    def test_the_command_line(self):
        Pillow.new("RGB", (64, 36), "orange").save(self.folder / "p.png")
        picture = {"id": "p", "kind": "picture", "x": 1, "y": 1, "width": 4, "height": 3, "fill": "fill",
                   "source": {"kind": "file", "path": "p.png"}}  # fmt: skip
        text = {"id": "t", "kind": "text", "text": "On the sheet", "x": 1, "y": 6, "size": 0.5}
        board = self.board(picture, text, unit="inch", width=8, height=7, dpi=72)
        (self.folder / "b.json").write_text(json.dumps(board.as_json()))
        command = ["board", self.folder / "b.json", "--out"]
        done = run(*command, self.folder / "b.pdf")
        self.assertEqual(done.returncode, 0, done.stderr)
        page = pypdf.PdfReader(self.folder / "b.pdf").pages[0]
        self.assertEqual([float(side) for side in page.mediabox][2:], [576, 504])
        self.assertEqual(page.extract_text().strip(), "On the sheet")
        drawn = rendered(self.folder / "b.pdf")
        self.assertEqual((drawn.shape, drawn[150, 200].tolist()), ((504, 576, 3), [255, 165, 0]))
        missing = board.replace(elements=(board.elements[0].replace(source={"kind": "file", "path": "gone.png"}),))
        (self.folder / "b.json").write_text(json.dumps(missing.as_json()))
        self.assertEqual(run(*command, self.folder / "x.png").returncode, 1)
        self.assertFalse((self.folder / "x.png").exists())


class Notes(FolderCase):
    def test_notes_as_a_pdf(self):
        """All words of all notes, over as many pages as they need, each once."""
        text = "a warmer key " * 12
        drawn = plain((40, 9, 9), 90, 160), (0.5, 0.5), [[[0.1, 0.1], [0.9, 0.9]]]
        notes = [NoteEntry(f"frame {n}", f"{n}: {text}", "v002: done" if n % 2 else "", *drawn) for n in range(12)]
        read = pypdf.PdfReader(io.BytesIO(notes_pdf("ORR: notes", notes)))
        words = " ".join(page.extract_text() for page in read.pages)
        made = pypdf.PdfReader(io.BytesIO(notes_pdf("ORR: notes", notes, author="ada"))).metadata
        self.assertEqual((made.author, made.title, made.subject), ("ada", "ORR: notes", "ORR: notes"))
        self.assertLess(abs(datetime.now(made.creation_date.tzinfo) - made.creation_date).days, 2)
        self.assertGreater(len(read.pages), 1)
        self.assertEqual([words.count(f"frame {n}\n") for n in range(12)], [1] * 12)
        self.assertEqual((words.count("warmer"), words.count("answered by v002")), (144, 6))
        self.assertIn("no notes", pypdf.PdfReader(io.BytesIO(notes_pdf("x", []))).pages[0].extract_text())
