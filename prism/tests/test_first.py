"""The first ledger of what is there, by every basis, and passes taken in later."""

import numpy as np

from prism.balance.balance import balance
from prism.balance.best_ledger import best_ledger
from prism.combine.evaluate import evaluate
from prism.errors import BadArgument, NoBeauty, NoComponents
from prism.ledger import adding
from prism.ledger.first import first_ledger, starts_of
from prism.sources.opening import find_sources
from prism.tests.frames import FolderCase, passes
from prism.tests.memory import MemoryFrame


class First(FolderCase):
    def test_no_beauty_and_no_components(self):
        beauty = self.write("beauty.exr", {c: np.ones((2, 2), np.float32) for c in "RGB"})
        emission = self.write("shot_emission.exr", {f"emission.{c}": np.ones((2, 2), np.float32) for c in "RGB"})
        with self.assertRaisesRegex(NoBeauty, "no rendered beauty; found emission"):
            first_ledger(find_sources([emission]))
        with self.assertRaisesRegex(NoComponents, "no components"):
            first_ledger(find_sources([beauty]))
        with self.assertRaisesRegex(NoBeauty, "no rendered beauty denoised; found beauty"):
            first_ledger(find_sources([beauty]), denoised=True)
        with self.assertRaisesRegex(BadArgument, "Use components, light-groups"):
            first_ledger(find_sources([beauty]), by="magic")

    def test_totals_stand_aside_for_their_parts(self):
        planes = passes(self.rng)
        for c in "RGB":
            planes[f"diffuse.{c}"] = planes[f"diffuse_direct.{c}"] + planes[f"diffuse_indirect.{c}"]
        sources = find_sources([self.write("a.exr", planes)])
        keys = [row.source for row in first_ledger(sources).rows]
        self.assertNotIn("diffuse", keys)
        for c in "RGB":
            del planes[f"diffuse_indirect.{c}"]
        sources = find_sources([self.write("b.exr", planes)])
        keys = [row.source for row in first_ledger(sources).rows]
        self.assertIn("diffuse", keys)
        self.assertNotIn("diffuse_direct", keys)

    def test_the_first_that_lands_is_begun_with(self):
        """Components lack one; lights, of which one was rendered in parts only, are whole: mixed."""
        planes = passes(self.rng)
        beauty = np.stack([planes[c] for c in "RGB"])
        shares = {"light_key": 0.5, "diffuse_direct_light_rim": 0.3, "specular_direct_light_rim": 0.2}
        for name, share in shares.items():
            planes |= {f"{name}.{c}": beauty[i] * np.float32(share) for i, c in enumerate("RGB")}
        for c in "RGB":
            del planes[f"emission.{c}"]
            planes[c] = sum(planes[f"{name}.{c}"] for name in shares)
        sources = find_sources([self.write("lights.exr", planes)])
        ledger = best_ledger(sources)
        self.assertEqual([row.source for row in ledger.rows if row.in_balance], list(shares))
        self.assertTrue(balance(ledger, sources, causes=0).balanced)
        self.assertIn("mixed", [start.by for start in starts_of(sources)])

    def test_occlusion_follows_switched_off(self):
        row = first_ledger(self.frame()).rows[-1]
        self.assertEqual((row.source, row.operator, row.on, row.in_balance), ("occlusion", "multiply", False, False))

    def test_raw_light_takes_the_place_of_the_diffuse_passes(self):
        planes = passes(self.rng, height=4, width=6)
        with self.assertRaisesRegex(NoComponents, "raw light"):
            first_ledger(find_sources([self.write("all.exr", planes)]), by="raw-light")
        diffuse = {c: planes[f"diffuse_direct.{c}"] + planes[f"diffuse_indirect.{c}"] for c in "RGB"}
        planes |= {f"surface_colour.{c}": np.full((4, 6), 0.5, np.float32) for c in "RGB"}
        planes |= {f"raw_light.{c}": plane.astype(np.float32) / 0.5 for c, plane in diffuse.items()}
        sources = find_sources([self.write("all.exr", planes)])
        ledger = first_ledger(sources, by="raw-light")
        self.assertEqual([row.source for row in ledger.rows[0].rows], ["surface_colour", "raw_light"])
        self.assertFalse({"diffuse_direct", "diffuse_indirect"} & {row.source_taken for row in ledger.walk()})
        self.assertTrue(balance(ledger, sources, causes=0).balanced)

    def test_what_is_taken_in_later_goes_where_its_pass_belongs(self):
        planes = passes(self.rng, height=16, width=24)
        planes |= {f"surface_colour.{c}": planes["R"] for c in "RGB"} | {f"wire.{c}": planes["R"] for c in "RGB"}
        sources = find_sources([self.write("all.exr", planes)])
        ledger = first_ledger(sources)
        colour = adding.with_pass(ledger, sources, "surface_colour")
        self.assertEqual((colour.ledger.rows[0], colour.row.on, colour.row.operator), (colour.row, False, "over"))
        self.assertIn("covers what stands above it", colour.remark)
        self.assertTrue(balance(colour.ledger, sources).balanced)
        wire = adding.with_pass(ledger, sources, "wire")
        self.assertEqual((wire.row.kind, wire.row.in_balance, wire.ledger.rows[-1]), ("overlay", False, wire.row))
        self.assertFalse(adding.with_pass(ledger, sources, "depth").row.on)
        unknown = {"glints": (0, "add", "on black"), "murk": (1, "multiply", "on white")}
        for key, (ground, operator, said) in unknown.items():
            spot = np.full((16, 24), ground, np.float32)
            spot[4:9, 5:12] = 0.5
            frame = MemoryFrame({key: (np.stack([spot] * 3), None)})
            added = adding.with_pass(ledger, frame, key)
            self.assertEqual((added.row.operator, added.row.in_balance), (operator, False))
            self.assertIn(said, added.remark)
        for column, operator in ((12, "add"), (11, "multiply")):  # black before, white from there on
            split = np.tile((np.arange(24) >= column).astype(np.float32), (3, 16, 1))
            frame = MemoryFrame({"split": (split, None)})
            self.assertEqual(adding.with_pass(ledger, frame, "split").row.operator, operator)
        fog = adding.with_fog(ledger, sources)
        self.assertEqual(
            (fog.row.source, fog.row.through), ("mist", "mist") if "mist" in sources else ("depth", "depth")
        )
        before, after = (evaluate(made, sources).rgba for made in (ledger, fog.ledger))
        self.assertGreater(np.abs(after - before).max(), 0.01)
        ground = adding.with_background(ledger.replace(alpha=None, rows=()), sources)
        np.testing.assert_allclose(evaluate(ground.ledger, sources).rgba[:, 0, 0], (0.18, 0.18, 0.18, 1))

    def test_light_groups(self):
        planes = {c: np.full((2, 2), 3, np.float32) for c in "RGBA"}
        for label, value in (("key", 1), ("rim", 2)):
            planes |= {f"light_{label}.{c}": np.full((2, 2), value, np.float32) for c in "RGB"}
        sources = find_sources([self.write("g.exr", planes)])
        ledger = first_ledger(sources)
        self.assertEqual([row.source for row in ledger.rows], ["light_key", "light_rim"])
        self.assertTrue(balance(ledger, sources).balanced)
