"""The Rebuild station: pictures, contributions, probes, saving and versions."""

import io
import json
from unittest import mock

import numpy as np
from PIL import Image as Pillow

from desk.elements.services import sources_of
from desk.house.setup import create_shot
from desk.jobs import work
from desk.plan.measures import record
from desk.rebuild import services
from desk.rebuild.models import Ledger
from desk.shots.models import Production
from desk.tests.world import HEIGHT, WIDTH, WorldCase, write_named
from desk.viewer.newest import claim_newest
from desk.web import limits
from desk.web.limits import computing
from prism.colour.view import ViewTransform, apply_exactly
from prism.combine.evaluate import evaluate
from prism.formats.exr import write_exr
from prism.ledger.document import Ledger as Document
from prism.pixels.image import Image
from prism.plan.estimate import Measured
from prism.viewing.subjects import LedgerSubject


def decoded(answer) -> np.ndarray:
    return np.asarray(Pillow.open(io.BytesIO(answer.content))).astype(int)


class RebuildCase(WorldCase):
    def setUp(self):
        super().setUp()
        self.with_ledger()
        self.document = self.ledger.document

    def changed(self, row, **fields):
        document = json.loads(json.dumps(self.document))
        next(entry for entry in document["rows"] if entry["id"] == row).update(fields)
        return document

    def question(self, name, **more):
        """show, key and version name the stage of the ledger that is meant."""
        stage = {"kind": "ledger"} | {part: more.pop(part) for part in ("show", "key", "version") if part in more}
        asked = {"ledgerId": self.ledger.pk, "ledger": self.document, "frame": 1001, "subject": stage}
        return self.ask(name, **(asked | more))


class Page(RebuildCase):
    def test_the_page_holds_the_ledger(self):
        page = self.client.get(self.url("rebuild"), {"frame": "1002"}).context["page"]
        self.assertEqual(
            [row["source"] for row in page["ledger"]["rows"]][:2], ["render/diffuse_direct", "render/diffuse_indirect"]
        )
        self.assertEqual((page["frame"], page["frames"], page["width"]), (1002, [1001, 1002], WIDTH))

    def test_addresses_with_odd_frames_still_open(self):
        for asked, shown in {"": 1001, "x": 1001, "1": 1001, "99999": 1002}.items():
            self.assertEqual(self.client.get(self.url("rebuild"), {"frame": asked}).context["page"]["frame"], shown)

    def test_a_denoised_beauty_by_itself_leaves_the_noisy_passes_to_begin_from(self):
        Ledger.objects.all().delete()
        for path in self.folder.iterdir():
            path.rename(path.with_name(path.name.replace("TST_010.", "TST_010_passes.")))
        clean = {channel: np.ones((HEIGHT, WIDTH), np.float16) for channel in "RGB"}
        write_exr(self.folder / "TST_010_beauty_denoised.1001.exr", Image.of_planes(clean))
        self.look_again()
        page = self.client.get(self.url("rebuild"), {"frame": "1001"}).context["page"]
        self.assertEqual(page["ledger"]["beauty"], "render/beauty")
        self.assertEqual([start["title"] for start in page["starts"]], ["components"])
        self.assertIn("render/beauty_denoised", [source["key"] for source in page["sources"]])

    def test_files_without_beauty_are_explained(self):
        Ledger.objects.all().delete()
        for path in self.folder.iterdir():
            path.rename(path.with_name(path.name.replace("TST_010.", "TST_010_emission.")))
        (self.folder / "TST_010_emission.1001.exr").write_bytes(b"\x76\x2f\x31\x01 nothing")
        self.look_again()
        page = self.client.get(self.url("rebuild"))
        self.assertContains(page, "TST_010_emission.1001.exr", status_code=422)
        self.assertNotContains(page, "Traceback", status_code=422)

    def test_a_ledger_is_made_once(self):
        services.open_ledger(self.shot)
        self.assertEqual(self.shot.ledgers.count(), 1)


class Pictures(RebuildCase):
    def test_the_picture_is_the_evaluation(self):
        document = self.changed("emission", amount=0.3, tint=[1, 0.5, 0.2])
        shown = decoded(self.question("look-picture", ledger=document, encoding="png"))
        self.assertEqual(shown.shape, (HEIGHT, WIDTH, 3))
        rgba = evaluate(Document.from_json(document), sources_of([self.element], 1001)).rgba
        exact = apply_exactly(np.moveaxis(rgba[:3], 0, -1), ViewTransform())
        self.assertLessEqual(np.abs(shown - np.floor(exact * 255 + 0.5)).max(), 1)

    def test_what_can_be_shown(self):
        pictures = {}
        for show, key in (
            ("rebuilt", ""),
            ("rendered", ""),
            ("difference", ""),
            ("row", "emission"),
            ("source", "depth"),
            ("source", "normals"),
        ):
            answer = self.question("look-picture", show=show, key=key, encoding="png")
            self.assertEqual(answer.status_code, 200, show)
            pictures[show, key] = decoded(answer)
        self.assertLessEqual(np.abs(pictures["rebuilt", ""] - pictures["rendered", ""]).max(), 1)
        self.assertLessEqual(pictures["difference", ""].max(), 60)  # half rounding of light far above 1
        self.assertFalse(np.array_equal(pictures["row", "emission"], pictures["rebuilt", ""]))

    def test_any_stage_against_any_other(self):
        self.ask("rebuild-version", ledgerId=self.ledger.pk)
        changed = self.changed("emission", amount=0.3)
        version = {"kind": "ledger", "show": "rebuilt", "version": 1}
        apart = decoded(self.question("look-picture", ledger=changed, against={"subject": version, "frame": 1001}))
        self.assertGreater(apart.max(), 0)
        plain = {"kind": "ledger", "show": "untrimmed"}
        same = decoded(self.question("look-picture", show="untrimmed", against={"subject": plain, "frame": 1001}))
        self.assertEqual(same.max(), 0)
        beauty = {"kind": "pass", "element": self.element.pk, "key": "beauty"}
        rendered = decoded(self.question("look-picture", show="rendered", against={"subject": beauty, "frame": 1001}))
        self.assertEqual(rendered.max(), 0)
        marked = decoded(self.question("look-picture", marks=["over"]))
        self.assertTrue((marked == (255, 120, 0)).all(axis=-1).any())
        values = self.question("look-values", show="row", key="emission", x=2, y=3, x1=2, y1=3).json()["values"]
        until = Document.from_json(self.document)
        rows = until.rows[: [row.id for row in until.rows].index("emission") + 1]
        exact = evaluate(until.replace(rows=rows), sources_of([self.element], 1001)).rgba[:3, 3, 2]
        self.assertEqual(values, [exact.tolist()])

    def test_looks(self):
        plain = decoded(self.question("look-picture"))
        brighter = decoded(self.question("look-picture", stops=2))
        self.assertGreater(brighter.mean(), plain.mean())
        red = decoded(self.question("look-picture", channel="r"))
        np.testing.assert_array_equal(red[..., 0], red[..., 2])
        checker = decoded(self.question("look-picture", ground="checker"))
        self.assertTrue((checker >= plain).all())
        film = decoded(self.question("look-picture", view="film"))
        self.assertFalse(np.array_equal(film, plain))
        alpha = decoded(self.question("look-picture", channel="a"))
        stored = sources_of([self.element], 1001).pixels("beauty").alpha
        np.testing.assert_allclose(alpha[..., 0], stored.astype(float) * 255, atol=1)

    def test_smaller_and_quicker(self):
        answer = self.question("look-picture", width=9, encoding="jpeg")
        self.assertEqual((answer.headers["X-Step"], decoded(answer).shape), ("2", (HEIGHT // 2, WIDTH // 2, 3)))
        self.assertEqual(answer.headers["Content-Type"], "image/jpeg")

    def test_what_takes_too_long_is_smaller_or_refused(self):
        """By what it is said to cost: a picture that nobody would wait for is not begun."""
        self.assertNotIn("X-Smaller", self.question("look-picture").headers)
        for seconds, step, status in ((9, "2", 200), (30, "4", 200), (500, "8", 200), (5000, None, 422)):
            with mock.patch.object(LedgerSubject, "seconds", lambda *_, step, seconds=seconds: seconds / step**2):
                answer = self.question("look-picture")
            self.assertEqual((answer.status_code, answer.headers.get("X-Step")), (status, step))
        self.assertEqual(answer.json()["error"]["code"], "work.costly")

    def test_one_user_has_few_pictures_under_way(self):
        """Others wait, so many and so long; further ones are told so, and nobody else's are concerned."""
        with computing("work", self.artist.pk), computing("thumbs", self.artist.pk):
            with mock.patch.object(limits, "IN_LINE", 0.1):
                for name in ("look-picture", "rebuild-contributions", "rebuild-balance", "look-probe"):
                    self.assertEqual(self.question(name, x=1, y=1).status_code, 429, name)
                with computing("work", self.reviewer.pk):
                    pass
        self.assertEqual(self.question("look-picture").status_code, 200)

    def test_an_overtaken_request_is_dropped(self):
        claim_newest("a page", 9)
        claim_newest(f"{self.reviewer.pk} a page", 9)  # of another user, under the same name
        claim_newest(f"{self.artist.pk} a page", 7)
        self.assertEqual(self.question("look-picture", viewer="a page", serial=6).status_code, 409)
        self.assertEqual(self.question("look-picture", viewer="a page", serial=8).status_code, 200)
        self.assertEqual(self.question("look-picture", viewer="another page", serial=1).status_code, 200)

    def test_bad_questions_get_one_clear_answer(self):
        cases = [
            ({"ledger": self.changed("emission", operator="dodge")}, "ledger.unknown-operator"),
            ({"ledger": self.changed("emission", source="absent")}, "ledger.unknown-source"),
            ({"ledger": self.changed("emission", amount="lots")}, "document.bad"),
            ({"ledger": None}, "document.bad"),
            ({"frame": 1003}, "file.unreadable"),
            ({"frame": "1001"}, "argument.bad"),
            ({"show": "everything"}, "argument.bad"),
            ({"show": "row", "key": "absent"}, "argument.bad"),
            ({"view": "cinema"}, "argument.bad"),
            ({"stops": 1e9}, "argument.bad"),
            ({"stops": True}, "argument.bad"),
            ({"channel": "q"}, "argument.bad"),
            ({"encoding": "gif"}, "argument.bad"),
            ({"subject": {"kind": "dream"}}, "argument.bad"),
            ({"subject": "beauty"}, "argument.bad"),
        ]
        for change, code in cases:
            with self.subTest(change):
                answer = self.question("look-picture", **change)
                self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (422, code))
        raw = self.client.post(self.url("look-picture"), "not json", content_type="application/json")
        self.assertEqual(raw.json()["error"]["code"], "document.bad")
        self.assertEqual(self.question("look-picture", ledgerId=10**9).status_code, 404)

    def test_a_damaged_frame_is_named(self):
        path = self.folder / "TST_010.1002.exr"
        path.write_bytes(path.read_bytes()[:-300])
        error = self.question("look-picture", frame=1002).json()["error"]
        self.assertEqual(error["code"], "file.unreadable")
        self.assertIn("TST_010.1002.exr", error["where"])


class Accounts(RebuildCase):
    def test_shares_and_thumbnails(self):
        answer = self.question("rebuild-contributions").json()
        self.assertEqual([row["id"] for row in answer["rows"]], [row["id"] for row in self.document["rows"]])
        self.assertAlmostEqual(sum(row["share"] for row in answer["rows"]), 1, places=4)
        self.assertTrue(answer["strip"].startswith("data:image/jpeg;base64,"))
        empty = self.question("rebuild-contributions", ledger=self.document | {"rows": []}).json()
        self.assertEqual(empty["rows"], [])

    def test_the_balance_is_of_the_untrimmed(self):
        plain = self.question("rebuild-balance").json()
        trimmed = self.question("rebuild-balance", ledger=self.changed("emission", amount=0)).json()
        self.assertTrue(plain["balanced"])
        made = (plain.pop("trimmed"), trimmed.pop("trimmed"))
        self.assertEqual(plain, trimmed)
        self.assertEqual(made[0]["mean"], plain["rebuilt_mean"])
        self.assertLess(made[1]["mean"], plain["rebuilt_mean"])
        lost = self.document | {"rows": [row for row in self.document["rows"] if row["id"] != "emission"]}
        answer = self.question("rebuild-balance", ledger=lost).json()
        self.assertEqual((answer["balanced"], answer["suggestions"][0]["key"]), (False, "render/emission"))

    def test_where_a_new_row_goes_follows_from_its_pass(self):
        def added(key, ledger=None):
            answer = self.question(
                "rebuild-add", source=f"render/{key}", **({"ledger": ledger} if ledger else {})
            ).json()
            rows = answer["ledger"]["rows"]
            at = next(place for place, row in enumerate(rows) if row["id"] == answer["row"])
            return rows[at], at, answer["remark"], len(rows)

        lost = self.document | {"rows": [row for row in self.document["rows"] if row["id"] != "emission"]}
        row, at, remark, count = added("emission", lost)
        self.assertEqual((row["id"], row["operator"], row["in_balance"], remark), ("emission", "add", True, ""))
        self.assertLess(at, count - 1)  # occlusion stays at the foot
        row, at, remark, count = added("emission")
        self.assertEqual((row["id"], row["in_balance"], at), ("emission-2", False, count - 1))
        self.assertIn("in the sum already", remark)
        row, _, remark, _ = added("depth")
        self.assertFalse(row["on"])
        self.assertIn("measures and is no light", remark)
        self.assertEqual(self.question("rebuild-add", source="render/absent").status_code, 422)

    def test_what_changes_save_is_said_with_its_basis(self):
        self.assertEqual(self.client.get(self.url("rebuild")).context["page"]["renderAgain"], "")
        for seconds in (10, 30, 20):
            record(self.shot, "wide", 1001, Measured(seconds, 10, 10, 1, 1))
        said = self.client.get(self.url("rebuild")).context["page"]["renderAgain"]
        frames = len(self.client.get(self.url("rebuild")).context["page"]["frames"])
        self.assertEqual(said, f"{frames * 20} s ({frames} × 20.0 s, median of 3 frames measured)")

    def test_a_ledger_of_another_shot_is_laid_on_this_one(self):
        """By name; what is not here is told with the row that asks for it, and light that nothing takes."""
        other = self.make_shot("TST_020")
        rows = [
            {"id": "e", "source": "old/emission", "exposure": 1.0},
            {"id": "d", "source": "old/Diffuse.Direct"},
            {"id": "lost", "source": "old/caustics"},
        ]
        made = Ledger.objects.create(
            shot=other, name="dusk", document={"beauty": "old/beauty", "alpha": None, "rows": rows, "version": 2}
        )
        elsewhere = create_shot(
            Production.objects.create(code="OTH", title="Other"), "OTH_010", frames="1", width=8, height=8
        )
        Ledger.objects.create(shot=elsewhere, name="dawn", document=made.document)
        page = self.client.get(self.url("rebuild")).context["page"]
        self.assertEqual(page["templates"], [{"id": made.pk, "title": "TST_020, dusk"}])
        asked = {"template": made.pk, "ledgerId": self.ledger.pk, "frame": 1001}
        laid = self.ask("rebuild-template", **asked).json()
        sources = [row["source"] for row in laid["ledger"]["rows"]]
        self.assertEqual(sources, ["render/emission", "render/diffuse_direct", "old/caustics"])
        self.assertEqual(laid["missing"], [{"row": "lost", "source": "old/caustics"}])
        self.assertIn("background", laid["leftOver"])
        chosen = self.ask("rebuild-template", **asked, chosen={"old/caustics": "render/background"}).json()
        self.assertEqual((chosen["missing"], chosen["ledger"]["rows"][2]["source"]), ([], "render/background"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.ask("rebuild-template", **asked).status_code, 404)

    def test_a_ledger_of_a_file_is_laid_as_well(self):
        text = json.dumps(self.document | {"beauty": "far/beauty", "alpha": None})
        laid = self.ask("rebuild-template", ledgerId=self.ledger.pk, frame=1001, text=text).json()
        self.assertEqual((laid["missing"], laid["ledger"]["beauty"]), ([], "render/beauty"))
        refused = self.ask("rebuild-template", ledgerId=self.ledger.pk, frame=1001, text="{")
        self.assertEqual((refused.status_code, refused.json()["error"]["where"][:4]), (422, "file"))

    def test_a_sequence_lies_behind_in_its_own_time(self):
        """Another size, other frames: it starts with the shot, and an overwritten file is seen at once."""
        plates = self.root / "TST" / "plates"
        plates.mkdir()

        def plate(number, light):
            image = Image.of_planes({c: np.full((6, 40), light, np.float16) for c in "RGB"})
            write_exr(plates / f"sky.{number:04d}.exr", image)

        for number in (1, 2):
            plate(number, number)
        sky = self.bring_in(plates, "sky")
        key = f"behind sky/{sky.document['passes'][0]['key']}"
        added = self.question("rebuild-add", source=key).json()
        row = added["ledger"]["rows"][-1]
        self.assertEqual((row["fill"], row["delay"], row["operator"]), ("picture", 1000, "under"))
        self.assertIn("1 to 2 start at 1001", added["remark"])
        over = self.changed("emission", on=False)
        over["rows"] = [row | {"operator": "over"}]
        for frame, light in ((1001, 1), (1002, 2)):
            at = {"ledger": over, "frame": frame}
            self.assertEqual(self.question("rebuild-balance", **at).json()["trimmed"]["mean"], light)
        plate(2, 5)
        self.assertEqual(self.question("rebuild-balance", ledger=over, frame=1002).json()["trimmed"]["mean"], 5)
        again = self.question(
            "rebuild-add", source="behind render/beauty", row=row["id"], ledger=added["ledger"]
        ).json()
        changed = again["ledger"]["rows"][-1]
        self.assertEqual((changed["id"], changed["source"], changed["delay"]), (row["id"], "render/beauty", 0))
        self.assertEqual(self.question("rebuild-add", source="behind sky/gone").status_code, 422)
        self.assertEqual(self.question("rebuild-add", source=key, row="emission").status_code, 422)

    def test_values_are_counted_for_curves_and_fog(self):
        counted = self.question("rebuild-histogram", row="emission").json()
        self.assertEqual([sum(channel) for channel in counted["counts"]], [WIDTH * HEIGHT] * 3)
        fogged = self.question("rebuild-add", source="fog").json()
        measured = self.question("rebuild-histogram", row=fogged["row"], measure=True, ledger=fogged["ledger"]).json()
        self.assertEqual(len(measured["counts"]), 1)
        self.assertEqual(self.question("rebuild-histogram", row="emission", measure=True).status_code, 422)

    def test_the_place_of_an_overlay_is_suggested(self):
        lines = {"id": "lines", "kind": "overlay", "source": "render/beauty"}
        document = self.document | {"rows": [*self.document["rows"], lines]}
        answer = self.question("rebuild-place", ledger=document, row="lines").json()
        self.assertEqual((answer["x"], answer["y"]), (round(answer["x"], 2), round(answer["y"], 2)))
        self.assertTrue(0 <= answer["certainty"] <= 1)
        self.assertEqual(self.question("rebuild-place", row="emission").status_code, 422)

    def test_rows_travel_as_text(self):
        text = self.question("rebuild-copy", row="emission").json()["text"]
        answer = self.question("rebuild-paste", text=text, row="emission").json()
        ids = [row["id"] for row in answer["ledger"]["rows"]]
        self.assertEqual(ids[ids.index("emission") + 1], "emission-2")
        self.assertEqual(self.question("rebuild-paste", text="{").status_code, 422)
        self.assertEqual(self.question("rebuild-paste", text='{"rows": 1}').status_code, 422)

    def test_the_probe(self):
        answer = self.question("look-probe", x=5, y=3).json()
        stored = sources_of([self.element], 1001).pixels("emission").planes[1][3, 5]
        line = next(line for line in answer["lines"] if line["key"] == "row/emission")
        self.assertEqual(line["stored"][1], float(stored))
        self.assertEqual(self.question("look-probe", x=-1, y=0).status_code, 422)

    def test_numbers_that_json_has_not(self):
        document = self.changed("emission", exposure=24, amount=100, tint=[100, 100, 100])
        planes = sources_of([self.element], 1001).pixels("emission").planes[0]
        y, x = np.unravel_index(int(np.argmax(planes)), planes.shape)
        text = self.question("look-probe", ledger=document, x=int(x), y=int(y)).content.decode()
        json.loads(text, parse_constant=lambda word: self.fail(f"{word} is not JSON"))


class Keeping(RebuildCase):
    def save(self, document, revision):
        return self.ask("rebuild-save", ledgerId=self.ledger.pk, ledger=document, revision=revision)

    def test_saved_and_read_again(self):
        document = self.changed("emission", amount=0.25, exposure=-1.5)
        self.assertEqual(self.save(document, 1).json(), {"revision": 2})
        page = self.client.get(self.url("rebuild")).context["page"]
        self.assertEqual((page["ledger"], page["revision"]), (document, 2))

    def test_two_pages_do_not_overwrite_each_other(self):
        self.save(self.changed("emission", amount=0.25), 1)
        answer = self.save(self.changed("emission", amount=0.75), 1)
        self.assertEqual((answer.status_code, answer.json()["error"]["code"]), (409, "document.outdated"))
        theirs = answer.json()["error"]["theirs"]
        self.assertEqual(
            (theirs["by"], theirs["revision"], theirs["changes"]), ("ada", 2, ["emission amount 0.75 → 0.25"])
        )
        self.ledger.refresh_from_db()
        kept = Document.from_json(self.ledger.document).row("emission").amount
        self.assertEqual(kept, 0.25)

    def test_a_bad_document_is_not_saved(self):
        self.assertEqual(self.save(self.changed("emission", tint=[1, 2]), 1).status_code, 422)
        self.ledger.refresh_from_db()
        self.assertEqual((self.ledger.revision, self.ledger.document), (1, self.document))

    def test_versions_are_kept_and_not_doubled(self):
        labels = [self.ask("rebuild-version", ledgerId=self.ledger.pk).json()["label"] for _ in range(2)]
        self.save(self.changed("emission", amount=0.5), 1)
        labels.append(self.ask("rebuild-version", ledgerId=self.ledger.pk).json()["label"])
        self.assertEqual(labels, ["v001", "v001", "v002"])
        self.assertEqual(self.ledger.versions.last().document, self.document)
        self.save(self.changed("emission", exposure=1.0), 2)  # back at the first, and on from there
        branch = self.ask("rebuild-version", ledgerId=self.ledger.pk).json()
        self.assertEqual((branch["label"], branch["base"]), ("v003", 1))

    def test_a_version_can_be_gone_back_to(self):
        self.ask("rebuild-version", ledgerId=self.ledger.pk)
        self.save(self.changed("emission", amount=0.5), 1)
        address = self.url("rebuild-version-document", ledger=self.ledger.pk, number=1)
        self.assertEqual(self.client.get(address).json()["ledger"], self.document)
        missing = self.url("rebuild-version-document", ledger=self.ledger.pk, number=9)
        self.assertEqual(self.client.get(missing).status_code, 404)

    def test_laid_on_other_files(self):
        """Another element of the shot; one without frames, or of another shot, changes nothing."""
        other = self.root / "TST" / "v002"
        other.mkdir()
        (self.root / "empty").mkdir()
        (self.folder / "TST_010.1002.exr").rename(other / "again.1002.exr")
        self.look_again()
        stranger = self.make_shot("X")
        made = [
            self.bring_in(other, "v002"), self.shot.elements.create(name="none"), self.bring_in(other, "x", stranger)
        ]  # fmt: skip
        body = {"ledgerId": self.ledger.pk, "ledger": self.document}
        answers = [self.ask("rebuild-element", **body, element=frame.pk) for frame in made]
        self.assertEqual([answer.status_code for answer in answers], [200, 422, 404])
        self.ledger.refresh_from_db()
        self.assertEqual((self.ledger.element, self.ledger.revision), (self.element, 1))  # until it is saved
        self.save(answers[0].json()["ledger"], 1)
        self.ledger.refresh_from_db()
        self.assertEqual(self.ledger.element, made[0])
        self.assertEqual(self.client.get(self.url("rebuild")).context["page"]["frames"], [1002])

    def test_starting_again_saves_nothing(self):
        self.save(self.changed("emission", amount=0.5), 1)
        answer = self.ask("rebuild-first", ledgerId=self.ledger.pk, frame=1001, by="components")
        self.assertEqual(answer.json()["ledger"], self.document)
        self.ledger.refresh_from_db()
        self.assertEqual(self.ledger.revision, 2)
        refused = self.ask("rebuild-first", ledgerId=self.ledger.pk, frame=1001, by="light-groups")
        self.assertEqual(refused.json()["error"]["code"], "frame.no-components")


class Sweeps(RebuildCase):
    """All frames compared by workers; a verdict is that of its frame, files and rows."""

    def sweep(self, document=None, action="state"):
        answer = self.ask("rebuild-sweep", ledgerId=self.ledger.pk, ledger=document or self.document, action=action)
        self.assertEqual(answer.status_code, 200, answer.content)
        return {int(frame): word for frame, word in answer.json()["verdicts"].items()}, answer.json()["open"]

    def test_verdicts_stay_while_rows_and_files_do(self):
        self.assertEqual(self.sweep(action="begin"), ({}, 2))
        self.assertEqual(self.sweep(action="begin"), ({}, 2))  # the same job
        self.work_all()
        both = {1001: "sound", 1002: "sound"}
        self.assertEqual(self.sweep(), (both, 0))
        self.assertEqual(self.sweep(self.changed("emission", exposure=2.0)), (both, 0))  # a trim is not in the balance
        lost = self.document | {"rows": [row for row in self.document["rows"] if row["id"] != "emission"]}
        self.assertEqual(self.sweep(lost), ({}, 0))
        self.sweep(lost, "begin")
        self.work_all()
        self.assertEqual(self.sweep(lost), ({1001: "broken", 1002: "broken"}, 0))
        self.assertEqual(self.sweep(), (both, 0))

    def test_another_file_is_another_verdict(self):
        self.sweep(action="begin")
        self.work_all()
        path = self.render(1002, seed=7)
        self.assertEqual(self.sweep(), ({1001: "sound"}, 0))
        path.write_bytes(path.read_bytes()[:-300])
        self.assertEqual(self.sweep(action="begin"), ({1001: "sound"}, 1))
        self.work_all()
        self.assertEqual(self.sweep(), ({1001: "sound", 1002: "unread"}, 0))

    def test_stopped_and_taken_up_again(self):
        self.sweep(action="begin")
        work.next_task("me")
        self.assertEqual(self.sweep(action="stop"), ({1001: "sound"}, 0))
        self.assertEqual(self.sweep(action="begin"), ({1001: "sound"}, 1))
        self.client.force_login(self.reviewer)
        refused = self.ask("rebuild-sweep", ledgerId=self.ledger.pk, ledger=self.document, action="begin")
        self.assertEqual((refused.status_code, self.sweep()[1]), (403, 1))


class Mattes(RebuildCase):
    """Looked at, picked and listed: on a file with a Cryptomatte of two halves that share the column between them."""

    def setUp(self):
        super().setUp()
        write_named(self.folder / "TST_010.1001.exr", 1001)
        self.look_again()
        part = {"kind": "names", "source": "render/crypto_object00", "patterns": ["left"]}
        self.document = self.document | {"mattes": [{"id": "m", "kind": "made", "parts": [part]}]}

    def shown(self, **subject):
        asked = {"kind": "matte", "matte": "m", "colour": "#ff0000"} | subject
        return self.question("look-picture", subject=asked, encoding="png", width=2000)

    def test_every_look(self):
        alone = decoded(self.shown(way="alone"))
        self.assertEqual([int(v) for v in alone[0, [0, 8, 17], 0]], [255, 128, 0])
        edge = decoded(self.shown(way="edge"))
        self.assertEqual((edge[0, 0, 0], edge[0, 8, 0]), (0, 255))
        tint = decoded(self.shown(way="tint"))
        plain = decoded(self.question("look-picture", show="rebuilt", encoding="png", width=2000))
        np.testing.assert_array_equal(tint[:, 9:, :3], plain[:, 9:, :3])
        self.assertGreater((tint[:, :8, 0] - tint[:, :8, 1]).mean(), 50)
        self.assertEqual(decoded(self.shown(way="checker")).shape, plain.shape)
        for wrong in ({"matte": "gone"}, {"way": "sideways"}, {"colour": "red"}):
            self.assertEqual(self.shown(**wrong).status_code, 422, wrong)

    def test_names_under_the_pointer_and_in_the_list(self):
        lines = self.question(
            "look-probe", subject={"kind": "matte", "matte": "m", "colour": "#ff0000"}, x=8, y=1
        ).json()["lines"]
        self.assertEqual(
            [(line["title"], line["stored"]) for line in lines], [("m", [0.5]), ("left", [0.5]), ("right", [0.5])]
        )
        listed = self.question("rebuild-names", source="render/crypto_object00").json()
        self.assertEqual([name["name"] for name in listed["names"]], ["right", "left", "away"])
        self.assertAlmostEqual(sum(name["share"] for name in listed["names"]), 1, places=6)

    def test_picked(self):
        crypto = {"source": "render/crypto_object00"}
        one = self.question("rebuild-pick", **crypto, x=2, y=2, x1=2, y1=2).json()
        self.assertEqual([name["name"] for name in one["names"]], ["left"])
        # Of a box, what lies in it with half of itself; the shared column counts half.
        for begin, meant in ((4, {"left", "right"}), (6, {"right"})):
            box = self.question("rebuild-pick", **crypto, x=begin, y=0, x1=WIDTH - 1, y1=HEIGHT - 1).json()
            self.assertEqual({name["name"] for name in box["names"]}, meant, begin)
        value = self.question("rebuild-pick", source="render/depth", x=3, y=1, x1=5, y1=4).json()
        plane = sources_of([self.element], 1001).pixels("render/depth").planes[0][1:5, 3:6]
        self.assertAlmostEqual(value["low"], float(plane.min()), places=6)
        self.assertAlmostEqual(value["high"], float(plane.max()), places=6)
        for wrong in ({"x": 5, "x1": 3}, {"x": 900, "x1": 900}, {"what": "weight"}, {"source": "render/gone"}):
            asked = {"source": "render/depth", "x": 3, "y": 1, "x1": 5, "y1": 4} | wrong
            self.assertEqual(self.question("rebuild-pick", **asked).status_code, 422, wrong)
