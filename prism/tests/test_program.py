"""The ledger as a program: the published page against the evaluator, the laws of rows, groups, mattes, trims and
keys."""

import threading
import unittest
import unittest.mock

import numpy as np
from PIL import Image as Pillow
from scipy import ndimage
from scipy.interpolate import PchipInterpolator

from prism.balance.picked import Picked
from prism.balance.registration import register
from prism.bands import run_bands
from prism.colour.grading import turning
from prism.colour.spaces import luminance_weights
from prism.colour.temperature import black_body, kelvin_of, warm_gains
from prism.combine import evaluate as evaluation
from prism.combine.behind import number_at
from prism.combine.evaluate import apply_steps, evaluate
from prism.combine.histogram import of_row
from prism.combine.program import compile_ledger
from prism.combine.shaping import apply_curve
from prism.curves import pieces
from prism.delivery.second_opinion import rows as ledger_page
from prism.errors import BadArgument, BadDocument, UnknownSource
from prism.keyed import Keyed
from prism.ledger.copying import copied, with_copied
from prism.ledger.document import Ledger
from prism.ledger.operators import OPERATORS
from prism.ledger.rows import NEUTRAL, PassRow
from prism.ledger.templates import apply_template
from prism.ledger.trims import Trims
from prism.ledger.wording import changes
from prism.pixels.fitting import fitted, side
from prism.pixels.window import Window
from prism.sources.pixels import Region
from prism.tests.ledgers import FRAME, KEYS, NAMES, Dice
from prism.tests.memory import MemoryClip, MemoryFrame

SHAPE = (7, 11)


PLATES = Dice(99).plates()


def frame_of(sources):
    """With the pictures of other sizes that backgrounds show."""
    frame = MemoryFrame(sources, FRAME)
    frame.clips = {key: MemoryClip(key, plates) for key, plates in PLATES.items()}
    return frame


def both(document, sources):
    """What the evaluator makes of a document, and what the page says."""
    ours = evaluate(Ledger.from_json(document), frame_of(sources)).rgba
    with np.errstate(all="ignore"):
        return ours, ledger_page.picture(document, sources, FRAME, SHAPE, PLATES, manifest=NAMES)


def apart(ours, page):
    """Relative to 1 and the value; values that are not finite on both sides are alike."""
    with np.errstate(invalid="ignore"):
        error = np.abs(ours - page) / (1 + np.abs(page))
    return np.where(np.isfinite(page) & np.isfinite(ours), error, np.isfinite(page) != np.isfinite(ours))


def one_row(**row):
    return {"format": "eager-prism.ledger", "version": 3, "rows": [{"id": "x", "source": "diffuse"} | row]}


class Pictures(unittest.TestCase):
    """Backgrounds: the filter against a general library's, and what is counted for curves and fog."""

    def test_fitted_as_the_image_library_does(self):
        """Pillow's bilinear resize is a triangle filter as wide as the larger pixel; it differs at the border, which it
        renormalises."""
        plane = np.random.default_rng(1).random((40, 60), np.float32)
        for high, wide in ((20, 15), (40, 60), (90, 131), (13, 200)):
            ours = fitted(plane, side(wide, 60, 0, 60 / wide), side(high, 40, 0, 40 / high))
            theirs = np.asarray(Pillow.fromarray(plane).resize((wide, high), Pillow.Resampling.BILINEAR))
            rim = 3 + max(wide // 60, high // 40)
            np.testing.assert_allclose(ours[rim:-rim, rim:-rim], theirs[rim:-rim, rim:-rim], atol=2e-6)
        flat = fitted(np.full((5, 7), 3, np.float32), side(11, 7, -2, 0.9), side(9, 5, 1, 0.3))
        np.testing.assert_allclose(flat, 3, rtol=1e-6)

    def test_coverage_is_the_share_of_each_pixel(self):
        np.testing.assert_allclose(side(4, 2, -0.75, 1).cover, [0.25, 1, 0.75, 0], atol=1e-7)
        np.testing.assert_allclose(side(5, 60, 0, 12).cover, 1)

    def test_a_sequence_in_its_own_time(self):
        numbers = (3, 4, 7)
        shown = {way: [number_at(numbers, n, way) for n in (1, 3, 5, 7, 8, 9)] for way in ("hold", "loop", "nothing")}
        self.assertEqual(shown["hold"], [3, 3, 4, 7, 7, 7])
        self.assertEqual(shown["loop"], [4, 3, 4, 7, 3, 4])
        self.assertEqual(shown["nothing"], [None, 3, 4, 7, None, None])

    def test_what_the_curve_gets_is_counted(self):
        sources = Dice(12).sources((40, 60))
        ledger = Ledger.from_json(one_row(exposure=0.5, matte=None, amount=0.1, clamp=True))
        counted = of_row(ledger, "x", frame_of(sources))
        colour, alpha = (plane.astype(np.float32) for plane in sources["diffuse"])
        straight = np.where(alpha > 0, colour * np.float32(2**0.5) / np.where(alpha > 0, alpha, 1), colour * 2**0.5)
        for channel, counts in zip(straight, counted.counts, strict=True):
            expected = np.histogram(channel.clip(counted.low, counted.high), len(counts), (counted.low, counted.high))[
                0
            ]
            self.assertLessEqual(np.abs(expected - counts).sum(), 4)  # a value on the edge of a bin may fall either way


class Page(unittest.TestCase):
    """docs/ledger-format.md, read by a program of its own."""

    def test_random_ledgers(self):
        """Rounding is all that differs but where a formula itself leaps (burning by almost nothing, the hue of almost
        grey)."""
        errors = []
        for seed in range(400):
            dice = Dice(seed)
            sources = dice.sources(SHAPE)
            errors.append(apart(*both(dice.ledger(), sources)).ravel())
        errors = np.concatenate(errors)
        self.assertLess((errors > 1e-5).mean(), 5e-4)
        self.assertLess(np.median(errors), 1e-7)

    def test_every_operator(self):
        dice = Dice(3)
        sources = dice.sources(SHAPE)
        for operator, table in OPERATORS.items():
            for row in ({}, {"amount": 0.4}, {"source": "emission", "amount": 1.3}, {"matte": "m"}):
                for display in {False, table.made_for_display}:
                    with self.subTest(operator, row=row, display=display):
                        document = one_row(operator=operator, display=display, **row)
                        document["mattes"] = [{"id": "m", "kind": "alpha", "source": "logo"}]
                        document["rows"].insert(0, {"id": "ground", "source": "shadow"})
                        self.assertLess(apart(*both(document, sources)).max(), 1e-5)

    def test_every_trim(self):
        sources = Dice(4).sources(SHAPE)
        curve = {"points": [[0, 0.1], [0.4, 0.2], [1.5, 2.0]]}
        trims = {
            "exposure": 1.5,
            "gain": 0.3,
            "tint": [0.5, 2, 1],
            "warmth": 150,
            "offset": [0.1, -0.2, 0],
            "saturation": 1.7,
            "hue": 100,
            "contrast": 1.8,
            "gamma": 2.2,
            "curves": {"all": curve, "green": curve},
            "clamp": True,
        }
        plain = both(one_row(), sources)[0]
        for source in ("diffuse", "emission"):
            for name, value in trims.items():
                with self.subTest(name, source=source):
                    ours, page = both(one_row(source=source, **{name: value}), sources)
                    self.assertLess(apart(ours, page).max(), 1e-5)
                    self.assertGreater(np.abs(ours - plain).max(), 1e-3)
            self.assertLess(apart(*both(one_row(source=source, **trims), sources)).max(), 1e-4)
        self.assertEqual(set(trims) | {"pivot"}, set(Trims.model_fields))


class Bands(unittest.TestCase):
    def test_bands_within_bands_end(self):
        """More of them than there are threads, each of which needs others to be done."""
        done = []
        inner = lambda first, end: done.append((first, end))  # noqa: E731
        outer = threading.Thread(target=run_bands, args=(lambda *_: run_bands(inner, 64, 1), 64, 1), daemon=True)
        outer.start()
        outer.join(20)
        self.assertEqual((outer.is_alive(), len(done)), (False, 64 * 64))


class Laws(unittest.TestCase):
    def test_weight_nought_changes_no_bit(self):
        """Whatever the source holds, infinity and not-a-number included; by amount, and by a matte that is 0."""
        sources = Dice(5).sources(SHAPE)
        bad = np.full((3, *SHAPE), np.nan, np.float32)
        bad[:, :3] = np.inf
        sources |= {"bad": (bad, np.full(SHAPE, np.inf, np.float32)), "none": (bad, np.zeros(SHAPE, np.float32))}
        ground = {"id": "ground", "source": "diffuse"}
        before = evaluate(Ledger.from_json(one_row()), frame_of(sources)).rgba
        for operator in OPERATORS:
            for nothing in ({"amount": 0}, {"matte": "none"}, {"amount": {"keys": [{"frame": 1, "value": 0}]}}):
                for alpha in (True, False):
                    row = {
                        "id": "bad",
                        "source": "bad",
                        "operator": operator,
                        "uses_alpha": alpha,
                        "gamma": 1.2,
                    } | nothing
                    document = one_row() | {"rows": [ground, row]}
                    document["mattes"] = [{"id": "none", "kind": "alpha", "source": "none"}]
                    got = evaluate(Ledger.from_json(document), frame_of(sources)).rgba
                    np.testing.assert_array_equal(got, before, err_msg=f"{operator} {nothing} {alpha}")

    def test_neutral_trims_change_no_bit(self):
        """A row with all trims written out as neutral, with a weight plane of 1, equals the short way of a plain
        row."""
        sources = Dice(6).sources(SHAPE)
        sources["all"] = (sources["diffuse"][0], np.ones(SHAPE, np.float16))
        neutral = {name: field.get_default() for name, field in Trims.model_fields.items()}
        mattes = ({"id": "all", "kind": "alpha", "source": "all"},)
        for operator in ("add", "over", "multiply"):
            for source in ("diffuse", "emission"):
                rows = ({"id": "a", "source": "logo"}, {"id": "b", "source": source, "operator": operator})
                ours = Ledger(rows=rows)
                long = Ledger(rows=(rows[0], rows[1] | neutral | {"matte": "all"}), mattes=mattes)
                frame = frame_of(sources)
                np.testing.assert_array_equal(
                    evaluate(ours, frame).rgba, evaluate(long, frame).rgba, err_msg=f"{operator} {source}"
                )

    def test_a_group_of_one_is_its_row(self):
        """The group takes operator, amount and matte; the row inside has the trims."""
        dice = Dice(7)
        for number in range(200):
            sources = dice.sources(SHAPE)
            row = {"kind": "fog"}
            while row["kind"] in ("fog", "overlay"):  # fog sees what it lies over, and a wipe is a weight
                row = dice.row(depth=2, operators=tuple(OPERATORS), id="x", on=True, solo=False)
            taken = {"operator", "amount", "display"} | ({"matte"} if row["matte_on"] == "weight" else set())
            inner = {name: value for name, value in row.items() if name not in taken}
            outer = {name: value for name, value in row.items() if name in taken}
            group = {"id": "g", "kind": "group", "rows": [inner], **outer}
            mattes = [{"id": "m", "kind": "alpha", "source": "logo"}, {"id": "n", "kind": "inverted", "of": "m"}]
            ground = {"id": "ground", "source": "beauty", "operator": "over"}
            one, other = (
                evaluate(
                    Ledger.from_json(one_row() | {"mattes": mattes, "rows": [ground, last]}),
                    frame_of(sources),
                ).rgba
                for last in (row, group)
            )
            np.testing.assert_allclose(one, other, rtol=2e-5, atol=2e-6, err_msg=f"{number} {row}")

    def test_bands_do_not_show(self):
        dice = Dice(8)
        for _ in range(20):
            frame, ledger = frame_of(dice.sources((64, 33))), Ledger.from_json(dice.ledger())
            whole = evaluate(ledger, frame).rgba
            with unittest.mock.patch.object(evaluation, "BAND_PIXELS", 100):
                np.testing.assert_array_equal(evaluate(ledger, frame).rgba, whole)

    def test_a_part_of_a_frame_is_that_part_of_the_picture(self):
        """What a probe or a cause sees: boxes and scattered pixels, of gradients, wipes and overlays that were pushed
        as well."""
        dice = Dice(11)
        rng = np.random.default_rng(3)
        for _ in range(60):
            frame, ledger = frame_of(dice.sources(SHAPE)), Ledger.from_json(dice.ledger())
            whole = evaluate(ledger, frame).rgba
            box = evaluate(ledger, Region(frame, Window(3, 2, 7, 5))).rgba
            np.testing.assert_array_equal(box, whole[:, 2:6, 3:8])
            places = rng.choice(whole[0].size, 9, replace=False)
            np.testing.assert_array_equal(
                evaluate(ledger, Picked(frame, places)).rgba[:, 0], whole.reshape(4, -1)[:, places]
            )

    def test_solo_leaves_only_what_is_soloed(self):
        sources = Dice(9).sources(SHAPE)
        inner = ({"id": "d", "source": "diffuse", "solo": True}, {"id": "e", "source": "emission"})
        rows = ({"id": "s", "source": "shadow"}, {"id": "g", "kind": "group", "rows": inner})
        got = evaluate(Ledger(alpha=None, rows=rows), frame_of(sources)).rgba
        only = evaluate(Ledger(alpha=None, rows=(PassRow(id="d", source="diffuse"),)), frame_of(sources)).rgba
        np.testing.assert_array_equal(got, only)

    def test_opened_where_it_was_cut(self):
        """Above a row and from it on is the whole, for every row of the ledger's own level."""
        dice = Dice(10)
        for _ in range(30):
            frame, ledger = frame_of(dice.sources(SHAPE)), Ledger.from_json(dice.ledger())
            program = compile_ledger(ledger, FRAME)
            for row in program.rows:
                running = evaluation.run(program.above(row), frame)
                apply_steps(running, program.from_row(row), frame)
                np.testing.assert_array_equal(running, evaluate(ledger, frame).rgba)


class Document(unittest.TestCase):
    def test_what_is_wrong_is_named_with_its_field(self):
        keys = [{"frame": 5, "value": 1}, {"frame": 5, "value": 2}]
        cases = [
            ({"matte": "m"}, "names the matte m, which is not in the ledger"),
            ({"display": True}, "add is a sum of light"),
            ({"amount": {"keys": keys}}, "rows.0.amount: Keys go from early to late; 5 follows 5"),
            ({"amount": {"keys": [{"frame": 5, "value": 101}]}}, "rows.0.amount: The key at 5 is 101; use -100 to 100"),
            ({"amount": {"keys": []}}, "rows.0.amount.keys"),
            ({"curves": {"red": {"points": [[0, 0], [0, 1]]}}}, "rows.0.curves.red: .*from left to right"),
            ({"curves": {"red": {"points": [[0, 0]]}}}, "two points or more"),
            ({"kind": "wish"}, "one of the kinds pass, overlay"),
            ({"kind": "group", "source": "a"}, "rows.0.source"),
            ({"tint": [1, 1, {"keys": [{"frame": 1, "value": -1}]}]}, "rows.0.tint.2"),
        ]
        for row, text in cases:
            with self.subTest(text), self.assertRaisesRegex(BadDocument, f"(?s){text}"):
                Ledger.from_json(one_row(**row))
        for mattes in ([{"id": "a", "kind": "inverted", "of": "a"}], [{"id": "a", "kind": "alpha", "source": "x"}] * 2):
            with self.subTest(mattes=mattes), self.assertRaises(BadDocument):
                Ledger.from_json(one_row() | {"mattes": mattes})
        with self.assertRaisesRegex(BadDocument, "Unknown working space"):
            Ledger.from_json(one_row() | {"space": "dusk"})

    def test_random_documents_come_back_as_they_were(self):
        for seed in range(50):
            ledger = Ledger.from_json(Dice(seed).ledger())
            self.assertEqual(Ledger.from_json(ledger.as_json()), ledger)

    def test_a_row_inside_a_group_is_found_set_and_followed(self):
        inner = ({"id": "d", "source": "diffuse"}, {"id": "e", "source": "emission", "amount": 3, "matte": "m"})
        mattes = ({"id": "m", "kind": "alpha", "source": "logo"},)
        rows = (
            {"id": "s", "source": "shadow"},
            {"id": "g", "kind": "group", "operator": "multiply", "gain": 2, "rows": inner},
        )
        ledger = Ledger(rows=rows, mattes=mattes)
        self.assertEqual(ledger.with_setting("e", "amount", 0.5).row("e").amount, 0.5)
        self.assertEqual([row.id for row in ledger.walk()], ["s", "g", "d", "e"])
        self.assertEqual(ledger.sources, ("beauty", "shadow", "diffuse", "emission", "logo"))
        self.assertEqual(ledger.moved("", "new").sources, tuple(f"new/{key}" for key in ledger.sources))
        plain = ledger.untrimmed()
        self.assertEqual((plain.row("g").gain, plain.row("e").amount, plain.row("e").matte), (1, 1, None))
        sources = Dice(11).sources(SHAPE)
        down = evaluate(ledger.down_to("d"), frame_of(sources)).rgba
        alone = evaluate(Ledger(alpha=None, rows=inner[:1]), frame_of(sources)).rgba
        np.testing.assert_allclose(down[:3], alone[:3], rtol=1e-6)
        self.assertEqual([row.id for row in ledger.down_to("s").rows], ["s"])

    def test_rows_copied_to_another_ledger_give_the_same(self):
        """As text, with their mattes, onto the files of the other; names that are taken get a number."""
        mattes = ({"id": "m", "kind": "alpha", "source": "a/logo"}, {"id": "n", "kind": "inverted", "of": "m"})
        inner = ({"id": "e", "source": "a/emission", "gain": 2, "matte": "n"},)
        rows = ({"id": "s", "source": "a/shadow"}, {"id": "g", "kind": "group", "rows": inner})
        before = Ledger(beauty="a/beauty", alpha=None, mattes=mattes, rows=rows)
        there = Ledger(beauty="b/beauty", alpha=None, rows=({"id": "e", "source": "b/diffuse"},))
        sources = Dice(2).sources(SHAPE)
        here, other = (MemoryFrame({f"{name}/{k}": v for k, v in sources.items()}, FRAME) for name in "ab")
        made, remark = with_copied(there, copied(before, ["g"]), other)
        self.assertEqual([row.id for row in made.walk()], ["e", "g", "e-2"])
        self.assertEqual(
            (made.row("e-2").source, made.row("e-2").matte, made.row("g").in_balance), ("b/emission", "n", False)
        )
        self.assertIn("2 rows pasted", remark)
        again, _ = with_copied(made, copied(before, ["g"]), other, after="e")
        self.assertEqual([row.id for row in again.walk()], ["e", "g-2", "e-3", "g", "e-2"])
        self.assertEqual(again.row("e-3").matte, "n-2")
        alone = made.replace(rows=made.rows[1:])
        np.testing.assert_array_equal(
            evaluate(alone, other).rgba, evaluate(before.replace(rows=before.rows[1:]), here).rgba
        )
        with self.assertRaises(BadDocument):
            with_copied(made, {"rows": 5}, other)
        del sources["logo"], sources["emission"]
        bare = MemoryFrame({f"b/{k}": v for k, v in sources.items()}, FRAME)
        lost, remark = with_copied(there, copied(before, ["g"]), bare)
        self.assertEqual([(row.id, row.on) for row in lost.walk()], [("e", True), ("g", True), ("e-2", False)])
        self.assertIn("not here: e", remark)

    def test_pasted_mattes_and_full_ledgers(self):
        """Names that are made free are free of each other too; what fits no more is said, and nothing breaks."""
        mattes = tuple({"id": name, "kind": "alpha", "source": "logo"} for name in ("m", "m-2"))
        rows = tuple({"id": f"r{m['id']}", "source": "diffuse", "matte": m["id"]} for m in mattes)
        from_here = copied(Ledger(mattes=mattes, rows=rows), ["rm", "rm-2"])
        frame = frame_of(Dice(2).sources(SHAPE))
        made, _ = with_copied(Ledger(mattes=mattes[:1]), from_here, frame)
        self.assertEqual(len({matte.id for matte in made.mattes}), 3)
        full = Ledger(rows=tuple({"id": str(n), "source": "diffuse"} for n in range(1000)))
        with self.assertRaisesRegex(BadDocument, "At most 1000 entries"):
            with_copied(full, from_here, frame)

    def test_a_template_takes_only_what_is_there(self):
        frame = MemoryFrame(Dice(1).sources(SHAPE), FRAME)
        template = Ledger(alpha=None, rows=({"id": "a", "source": "x/Diffuse"}, {"id": "b", "source": "x/lost"}))
        applied = apply_template(template, frame, chosen={"x/lost": "n" * 999})
        self.assertEqual([row.source for row in applied.ledger.rows], ["diffuse", "x/lost"])
        self.assertEqual(applied.missing, (("b", "x/lost"),))
        self.assertEqual(apply_template(template, frame, chosen={"x/lost": "logo"}).missing, ())

    def test_a_plate_of_a_template_is_no_pass_of_the_same_name(self):
        frame = MemoryFrame(Dice(1).sources(SHAPE), FRAME)
        sky = {"id": "sky", "kind": "background", "fill": "picture", "source": "plates/diffuse"}
        template = Ledger(beauty="x/beauty", alpha=None, rows=(sky, {"id": "a", "source": "x/diffuse"}))
        applied = apply_template(template, frame)
        self.assertEqual([row.source for row in applied.ledger.rows], ["plates/diffuse", "diffuse"])
        self.assertEqual(applied.missing, (("sky", "plates/diffuse"),))
        frame.clips["plates/diffuse"] = MemoryClip("diffuse", next(iter(PLATES.values())))
        self.assertEqual(apply_template(template, frame).missing, ())

    def test_what_differs_is_said_in_words(self):
        rows = ({"id": "key", "source": "diffuse"}, {"id": "rim", "source": "emission"})
        before = Ledger(rows=rows)
        keyed = {"keys": [{"frame": 1, "value": 0}, {"frame": 9, "value": 1}]}
        after = Ledger(rows=(
            rows[1] | {"on": False, "tint": (1, 0.5, 1)},
            rows[0] | {"exposure": 0.5, "amount": keyed},
            {"id": "air", "kind": "fog", "source": "shadow"},
        ))  # fmt: skip
        self.assertEqual(changes(before, before), [])
        self.assertEqual(
            changes(before, after),
            [
                "rim tint 1, 1, 1 → 1, 0.5, 1",
                "rim off",
                "key exposure 0 st → 0.5 st",
                "key amount 1 → 2 keys",
                "air added",
                "rows in another order",
            ],
        )
        self.assertEqual(changes(after, before)[-2:], ["air removed", "rows in another order"])
        matte = {"id": "m", "kind": "made", "parts": [{"kind": "alpha", "source": "diffuse"}]}
        first, second = before.replace(mattes=(matte,)), before.replace(mattes=(matte | {"parts": []},))
        said = [changes(*pair) for pair in ((before, first), (first, second), (second, before))]
        self.assertEqual(said, [["matte m added"], ["matte m changed"], ["matte m removed"]])

    def test_all_missing_sources_are_named_at_once(self):
        ledger = Ledger(alpha=None, rows=({"id": "a", "source": "lost"}, {"id": "b", "source": "gone"}))
        with self.assertRaisesRegex(UnknownSource, "rows a, b: There are no sources lost, gone"):
            evaluate(ledger, MemoryFrame(Dice(1).sources(SHAPE), FRAME))

    def test_a_matte_of_a_pass_without_alpha_is_refused(self):
        document = one_row(matte="m") | {"mattes": [{"id": "m", "kind": "alpha", "source": "emission"}]}
        with self.assertRaisesRegex(BadArgument, "matte of row x: emission has no alpha"):
            evaluate(Ledger.from_json(document), MemoryFrame(Dice(1).sources(SHAPE), FRAME))

    def test_keys(self):
        keyed = Keyed(keys=[{"frame": 10, "value": 0, "ease": "smooth"}, {"frame": 20, "value": 4, "ease": "hold"},
                            {"frame": 30, "value": 1}])  # fmt: skip
        found = [keyed.at(frame) for frame in (1, 10, 15, 12, 20, 29, 30, 99)]
        np.testing.assert_allclose(found, (0, 0, 2, 4 * (3 * 0.04 - 2 * 0.008), 4, 4, 1, 1))


class Curves(unittest.TestCase):
    def test_as_scipy_has_it(self):
        """SciPy's PchipInterpolator inside of the points; outside straight on with its slope at the end."""
        rng = np.random.default_rng(12)
        for count in (2, 3, 5, 16):
            x = np.cumsum(rng.uniform(0.05, 1, count)) - 1
            y = rng.normal(0, 1, count) if count % 2 else np.sort(rng.normal(0, 1, count))
            reference = PchipInterpolator(x, y)
            inside = np.linspace(x[0], x[-1], 500)
            outside = np.array([x[0] - 2, x[-1] + 3])
            slopes = reference.derivative()(x[[0, -1]])
            expected = [*reference(inside), y[0] - 2 * slopes[0], y[-1] + 3 * slopes[1]]
            got = np.array([*inside, *outside], np.float32)
            apply_curve(got, pieces(list(zip(x, y, strict=True))), got, True)
            np.testing.assert_allclose(got, expected, rtol=1e-4, atol=1e-5)

    def test_never_leaves_the_range_of_its_points(self):
        got = np.linspace(0, 3, 1000, dtype=np.float32)
        apply_curve(got, pieces([(0, 0), (1, 0), (1.1, 5), (2, 5), (3, 9)]), got, True)
        self.assertTrue((np.diff(got) >= -1e-5).all())
        self.assertTrue((got[:333] == 0).all())


class Places(unittest.TestCase):
    """Overlays laid on the edges of a picture."""

    def test_a_push_is_found_and_taken_back(self):
        rng = np.random.default_rng(14)
        boxes = np.zeros((120, 160))
        for _ in range(12):
            y, x, size = rng.integers(10, 90), rng.integers(10, 120), rng.integers(8, 25)
            boxes[y : y + size, x : x + size] += rng.uniform(0.2, 2)
        down, across = np.gradient(boxes)
        lines = (np.hypot(down, across) > 0.1).astype(np.float32)
        picture = np.stack([boxes + rng.normal(0, 0.02, boxes.shape)] * 3).astype(np.float32)
        for x, y in ((0, 0), (3, -5), (-7, 2)):
            pushed = np.roll(lines, (-y, -x), (0, 1))
            frame = MemoryFrame({"wire": (np.stack([pushed] * 3), None), "beauty": (picture, None)})
            found = register(frame, "wire", "beauty")
            self.assertAlmostEqual(found.x, x, delta=0.5)
            self.assertAlmostEqual(found.y, y, delta=0.5)
            self.assertGreater(found.certainty, 0.3)
            self.assertEqual(found.in_place, (x, y) == (0, 0))
        # Between pixels the larger neighbour says where, on both sides alike.
        for part in (0.4, -0.4):
            moved = ndimage.shift(boxes, (part, -part), order=1, mode="nearest")
            pushed = np.hypot(*np.gradient(moved)).astype(np.float32)
            still = np.stack([boxes] * 3).astype(np.float32)
            frame = MemoryFrame({"wire": (np.stack([pushed] * 3), None), "beauty": (still, None)})
            found = register(frame, "wire", "beauty")
            self.assertLess(abs(found.x - part) + abs(found.y + part), 0.2)
        large = [np.repeat(np.repeat(plane, 9, -2), 9, -1) for plane in (np.roll(lines, (4, -3), (0, 1)), picture)]
        frame = MemoryFrame({"wire": (np.stack([large[0]] * 3), None), "beauty": (large[1], None)})
        found = register(frame, "wire", "beauty")  # seen in steps of pixels, said in pixels
        self.assertAlmostEqual(found.x, 27, delta=9)  # as wide as the lines are
        self.assertAlmostEqual(found.y, -36, delta=9)
        noise = rng.random((3, 120, 160)).astype(np.float32)
        frame = MemoryFrame({"wire": (noise, None), "beauty": (picture, None)})
        self.assertLess(register(frame, "wire", "beauty").certainty, 0.3)


class Colour(unittest.TestCase):
    def test_black_body_meets_illuminant_a(self):
        """CIE 015: illuminant A, a black body of about 2856 K, has x .44758, y .40745."""
        np.testing.assert_allclose(black_body(2856), (0.44758, 0.40745), atol=5e-4)

    def test_warmth_keeps_luminance_and_is_neutral_at_nought(self):
        for space in ("lin_rec709", "acescg"):
            self.assertEqual(warm_gains(0, space), (1, 1, 1))
            for warmth in (-80, -20, 50, 300, 600):
                gains = np.array(warm_gains(warmth, space))
                self.assertAlmostEqual(float(luminance_weights(space) @ gains), 1, 5)
                self.assertEqual(np.sign(gains[0] - gains[2]), np.sign(warmth))
        self.assertAlmostEqual(kelvin_of(1e6 / 3200 - 1e6 / 6504), 3200)

    def test_turning_hue(self):
        """Light stays as bright, greys stay grey, turns add up; with equal weights 120 degrees exchange the
        channels."""
        for space in ("lin_rec709", "aces2065_1"):
            weights = luminance_weights(space)
            matrix = turning(1.3, 70, space)
            np.testing.assert_allclose(matrix @ np.ones(3), 1, atol=1e-6)
            np.testing.assert_allclose(weights @ matrix, weights, atol=1e-6)
            np.testing.assert_allclose(turning(1, 30, space) @ turning(1, 40, space), turning(1, 70, space), atol=1e-6)
        with unittest.mock.patch("prism.colour.grading.luminance_weights", lambda space: np.full(3, 1 / 3)):
            np.testing.assert_allclose(turning(1, 120, "any") @ (1, 0, 0), (0, 1, 0), atol=1e-6)

    def test_neutral_is_what_a_new_row_has(self):
        row = PassRow(id="a", source="b")
        self.assertEqual({name: getattr(row, name) for name in NEUTRAL}, dict(NEUTRAL))
        self.assertEqual(len(KEYS), 5)
