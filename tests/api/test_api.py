"""The API over a real home with real workers: every stage, every refusal as one sentence, never a 5xx."""

import base64
import gzip
import io
import json
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from oskren.api.app import make_app
from oskren.api.page import WEB
from oskren.core.audio import files
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.measure import levels
from tests.support import RATE, noise, struck

HERE = "/api/lib/test"


class Running(unittest.TestCase):
    """One server for the class, with three sounds in its library."""

    client: TestClient
    folder: Path

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.folder = Path(holder.name)
        app = make_app(cls.folder / "home")
        cls.client = cls.enterClassContext(TestClient(app))
        cls.client.post("/api/libraries", json={"name": "Test"})
        take = noise(6, -62, channels=2)
        for k, at in enumerate((1.0, 2.5, 4.0)):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += struck(seed=k)
        (cls.folder / "in").mkdir()
        marks = (Marker(at_s=2.5, label="knock"), Marker(at_s=4.0, label="knock"))
        files.write(cls.folder / "in" / "gear take.wav", take, RATE, 24, said=Metadata(markers=marks))
        files.write(cls.folder / "in" / "glass hit.wav", struck(1.0, 0.2, seed=5), RATE, 24)
        files.write(cls.folder / "in" / "brass hit.wav", struck(0.8, 0.1, seed=6, rate=96_000), 96_000, 24)
        (cls.folder / "in" / "broken.wav").write_bytes(b"RIFF no")
        cls.imported = cls.finish(cls.client.post(f"{HERE}/import", json={"paths": [str(cls.folder / "in")]}))

    @classmethod
    def finish(cls, answer):  # type: ignore[no-untyped-def]
        """The result of a job that an answer started."""
        assert answer.status_code == 200, answer.text
        number = answer.json()["job"]
        for _ in range(1200):
            job = next(job for job in cls.client.get("/api/jobs").json() if job["id"] == number)
            if job["state"] != "running":
                assert job["state"] == "done", job
                return job["result"]
            time.sleep(0.05)
        raise AssertionError("the job does not end")

    def get(self, address: str, **query: object):  # type: ignore[no-untyped-def]
        answer = self.client.get(address, params=query)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def post(self, address: str, body: object):  # type: ignore[no-untyped-def]
        answer = self.client.post(address, json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def named(self, name: str):  # type: ignore[no-untyped-def]
        return next(row for row in self.get(f"{HERE}/sounds")["rows"] if row["name"] == name)

    def heard(self, node: object) -> np.ndarray:
        """All samples of a node as the browser gets them."""
        opened = self.post(f"{HERE}/open", {"node": node})
        parts, at = [], 0
        while at < opened["frames"]:
            raw = self.client.get(f"/api/heard/{opened['digest']}/block", params={"start": at, "frames": 20_000}).content
            parts.append(np.frombuffer(raw, np.float32).reshape(-1, opened["channels"]))
            at += len(parts[-1])
        return np.concatenate(parts)


class Gather(Running):
    def test_what_came_in(self) -> None:
        self.assertEqual((self.imported["imported"], len(self.imported["skipped"])), (3, 1))
        page = self.get(f"{HERE}/sounds", q="hit")
        self.assertEqual([row["name"] for row in page["rows"]], ["brass hit", "glass hit"])
        self.assertEqual(page["facets"]["rate"], {"48000": 1, "96000": 1})
        arrival = self.get(f"{HERE}/arrivals")[-1]
        self.assertIn("broken.wav", arrival["skipped"][0]["path"])
        self.assertEqual(len(base64.b64decode(page["rows"][0]["outline"])), 192)

    def test_describing(self) -> None:
        row = self.named("glass hit")
        answer = self.client.patch(f"{HERE}/sounds/{row['id']}", json={"category": "Glass/Ring", "rating": 4, "tags": "dry bright", "anchor_s": 0.01})
        self.assertEqual((answer.json()["category"], answer.json()["category_sure"], answer.json()["anchor_s"]), ("Glass/Ring", 1.0, 0.01))
        self.assertEqual(self.get(f"{HERE}/sounds", q="bright")["total"], 1)
        self.assertIn("inside", self.client.patch(f"{HERE}/sounds/{row['id']}", json={"anchor_s": 99}).json()["sentence"])

    def test_a_source_is_heard_as_it_lies_on_disk(self) -> None:
        facts = self.get(f"{HERE}/sounds/{self.named('gear take')['id']}")
        np.testing.assert_array_equal(self.heard(facts["node"]), files.read(self.folder / "in" / "gear take.wav")[0])

    def test_pictures(self) -> None:
        opened = self.post(f"{HERE}/open", {"sound": self.named("gear take")["id"]})
        for end, width in ((opened["frames"], 300), (2000, 500), (100, 800)):
            raw = self.client.get(f"/api/heard/{opened['digest']}/peaks", params={"start": 0, "end": end, "width": width})
            self.assertEqual(len(raw.content), int(raw.headers["x-width"]) * 2 * 3 * 2)
        picture = self.client.get(f"/api/heard/{opened['digest']}/spectrogram", params={"start": 0, "end": opened["frames"], "width": 200, "height": 80})
        self.assertEqual(len(picture.content), 16_000)

    def test_dropped_files(self) -> None:
        files.write(self.folder / "drop.wav", noise(0.5, -30, seed=77), RATE, 24)
        upload = self.post(f"{HERE}/uploads", {"name": "dropped", "files": 2})["upload"]
        for name, data in (("Kelp/../kelp squelch.wav", (self.folder / "drop.wav").read_bytes()), ("readme.txt", b"hello")):
            self.assertEqual(self.client.post(f"{HERE}/uploads/{upload}/file", params={"path": name}, content=data).json(), {"bytes": len(data)})
        result = self.finish(self.client.post(f"{HERE}/uploads/{upload}/end"))
        self.assertEqual((result["imported"], len(result["skipped"])), (1, 1))
        self.assertEqual(self.named("kelp squelch")["category"], "Plant")

    def test_recording_is_stored_as_it_arrives(self) -> None:
        samples = noise(1.0, -20, seed=8)
        take = self.post(f"{HERE}/takes", {"name": "Props 01", "rate": RATE, "channels": 1})["take"]
        for at in range(0, RATE, 12_000):
            stored = self.client.post(f"/api/takes/{take}/blocks", params={"position": at}, content=samples[at : at + 12_000].tobytes())
            self.assertEqual(stored.json()["frames"], at + 12_000)
        # what arrives twice is written over itself, what would leave a hole is refused
        self.client.post(f"/api/takes/{take}/blocks", params={"position": 0}, content=samples[:12_000].tobytes())
        self.assertEqual(self.client.post(f"/api/takes/{take}/blocks", params={"position": 10**6}, content=b"\0" * 4).status_code, 422)
        self.assertIn(take, [one["take"] for one in self.get("/api/takes")])
        done = self.post(f"/api/takes/{take}/finish", {})
        self.assertEqual((done["name"], done["seconds"]), ("Props 01", 1.0))
        facts = self.get(f"{HERE}/sounds/{self.named('Props 01')['id']}")
        self.assertEqual((facts["kind"], facts["bits"], facts["measures"]["clipped_samples"]), ("take", 24, 0))
        np.testing.assert_allclose(self.heard(facts["node"]), samples, atol=2**-23)
        self.assertEqual(self.get("/api/takes"), [])


class Mend(Running):
    def test_a_chain_is_kept_heard_and_measured(self) -> None:
        row = self.named("gear take")
        chain = [
            {"kind": "noise_reduction", "id": "n", "params": {"reduction_db": 12, "start_s": 0.1, "end_s": 0.8}},
            {"kind": "gain", "id": "g", "params": {"gain_db": -3}},
        ]
        kept = self.client.put(f"{HERE}/sounds/{row['id']}/chain", json={"chain": chain}).json()
        self.assertTrue(kept["mended"])
        found = self.post(f"{HERE}/mend/levels", {"node": kept["node"], "chain": chain})
        self.assertEqual([one["step"] for one in found], ["", "n", "g"])
        self.assertAlmostEqual(found[2]["peak_dbfs"], found[1]["peak_dbfs"] - 3, delta=0.02)
        before, after = self.heard(kept["node"]), self.heard(kept["now"])
        self.assertLess(levels.rms(after[5000:40_000]), levels.rms(before[5000:40_000]) * 0.3)
        removed = self.heard({"kind": "difference", "node": kept["node"], "without": kept["now"]})
        np.testing.assert_allclose(removed + after, before, atol=1e-6)
        profile = self.post(f"{HERE}/mend/profile", {"node": kept["node"], "chain": chain[:1]})
        self.assertEqual(profile["parts"], [[0.1, 0.8]])
        self.client.put(f"{HERE}/sounds/{row['id']}/chain", json={"chain": []})
        self.assertFalse(self.named("gear take")["mended"])

    def test_what_a_step_found_and_what_resonates(self) -> None:
        t = np.arange(3 * RATE) / RATE
        hum = sum(0.02 / k * np.sin(2 * np.pi * 50.02 * k * t) for k in range(1, 5))
        ring = 0.2 * np.sin(2 * np.pi * 1730 * t) * np.exp(-t)
        files.write(self.folder / "humming ring.wav", (hum + ring)[:, None].astype(np.float32) + noise(3, -60), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "humming ring.wav")]}))
        node = self.get(f"{HERE}/sounds/{self.named('humming ring')['id']}")["node"]
        chain = [{"kind": "hum", "id": "h"}, {"kind": "gain", "id": "g"}, {"kind": "clicks", "id": "c"}]
        found = self.post(f"{HERE}/mend/levels", {"node": node, "chain": chain})
        self.assertEqual([found[i]["found"] for i in (0, 2, 3)], ["", "", "no clicks"])
        self.assertRegex(found[1]["found"], r"^hum at 50\.0[0-4] Hz$")
        before = self.post(f"{HERE}/mend/resonances", {"node": node, "chain": []})
        self.assertIn(1730, [round(one["frequency_hz"]) for one in before])
        peak = next(one for one in before if round(one["frequency_hz"]) == 1730)
        notch = {"kind": "band", "id": "n", "params": {"kind": "notch", "frequency_hz": peak["frequency_hz"], "q": min(60.0, peak["q"])}}
        after = self.post(f"{HERE}/mend/resonances", {"node": node, "chain": [notch]})
        heights = [one["height_db"] for one in after if abs(one["frequency_hz"] - 1730) < 30]
        self.assertLess(max(heights, default=0.0), peak["height_db"] - 10)

    def test_what_cannot_be_is_refused(self) -> None:
        row = self.named("gear take")
        for chain, words in (([{"kind": "reverb"}], "no step called"), ([{"kind": "gain", "params": {"gain_db": 900}}], "Gain")):
            answer = self.client.put(f"{HERE}/sounds/{row['id']}/chain", json={"chain": chain})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["sentence"])

    def test_every_step_is_described_for_its_controls(self) -> None:
        for step in self.get("/api/steps"):
            for control in step["controls"]:
                with self.subTest(step=step["key"], control=control["name"]):
                    self.assertIn(control["control"], ("number", "choice", "moment", "parts", "skip", "plugin", "values", "state"))
                    if control["control"] == "number":
                        self.assertTrue(control["low"] <= control["default"] <= control["high"])


class Stack(Running):
    def member(self, name: str, **values: object) -> dict[str, object]:
        facts = self.get(f"{HERE}/sounds/{self.named(name)['id']}")
        return {"id": name, "name": name, "node": facts["now"], "anchor_s": facts["anchor_s"], **values}

    def test_from_layers_to_a_print_with_lineage(self) -> None:
        mix = {
            "kind": "mix",
            "members": [self.member("glass hit"), self.member("brass hit", pitch_st=-12, gain_db=-6, pan=0.5)],
            "chain": [{"kind": "limiter", "params": {"ceiling_dbtp": -3}}],
        }
        design = self.post(f"{HERE}/designs", {"name": "Latch", "mix": mix})
        layout = self.post(f"{HERE}/stack/layout", design["mix"])
        self.assertEqual([round(one["start_s"] + one["anchor_s"], 3) for one in layout["layers"]], [0, 0])
        self.assertAlmostEqual(layout["layers"][1]["seconds"], 1.6, places=3)
        meters = self.post(f"{HERE}/stack/sum", design["mix"])
        self.assertLessEqual(meters["true_peak_dbtp"], -2.9)
        printed = self.post(f"{HERE}/stack/print", {"mix": design["mix"], "name": "Latch print"})
        self.assertEqual((printed["kind"], len(printed["node"]["of"]["members"])), ("print", 2))
        np.testing.assert_allclose(self.heard(printed["node"]), self.heard(design["mix"]), atol=1e-7)
        self.assertIn("Latch", [hit["name"] for hit in self.get(f"{HERE}/find", q="latch") if hit["kind"] == "design"])

    def test_a_bundle_goes_to_another_library(self) -> None:
        design = self.post(f"{HERE}/designs", {"name": "Travelling", "mix": {"kind": "mix", "members": [self.member("glass hit")]}})
        saved = self.client.get(f"{HERE}/designs/{design['id']}/bundle").content
        self.assertIn("design.json", zipfile.ZipFile(io.BytesIO(saved)).namelist())
        self.client.post("/api/libraries", json={"name": "Second"})
        loaded = self.client.post("/api/lib/second/bundles", files={"file": ("t.zip", saved)})
        there = loaded.json()["mix"]
        origin = there["members"][0].pop("origin")
        self.assertEqual((loaded.status_code, there["members"]), (200, [{k: v for k, v in one.items() if k != "origin"} for one in design["mix"]["members"]]))
        self.assertEqual((origin["kind"], origin["id"]), ("sound", 1))
        self.assertEqual([row["name"] for row in self.get("/api/lib/second/sounds")["rows"]], ["glass hit"])
        refused = self.client.post("/api/lib/second/bundles", files={"file": ("t.zip", b"nonsense")})
        self.assertIn("t.zip: is not a bundle", refused.json()["sentence"])

    def test_an_empty_design_prints_nothing(self) -> None:
        answer = self.client.post(f"{HERE}/stack/print", json={"mix": {"kind": "mix", "members": []}, "name": "none"})
        self.assertIn("nothing would be heard", answer.json()["sentence"])


class VarySliceShip(Running):
    def drawn(self, draw: dict[str, object]) -> object:
        """What a variation is made of."""
        return self.get(f"{HERE}/draws/{draw['id']}")["mix"]

    def test_slices_are_measured_and_those_that_sound_alike_told(self) -> None:
        take = self.named("gear take")["id"]
        slices = self.get(f"{HERE}/plans/{take}")["plan"]["slices"]
        before = self.get(f"{HERE}/plans/{take}/measured")
        self.assertEqual(before["left"] + len(before["rows"]), len(slices))
        self.finish(self.client.post(f"{HERE}/plans/{take}/measure"))
        after = self.get(f"{HERE}/plans/{take}/measured")
        self.assertEqual((after["left"], [row["id"] for row in after["rows"]]), (0, [piece["id"] for piece in slices]))
        node = self.get(f"{HERE}/plans/{take}")["node"]
        for piece, row in zip(slices, after["rows"], strict=True):
            part = self.heard({"kind": "excerpt", "node": node, "start_s": piece["start_s"], "end_s": piece["end_s"]})
            self.assertAlmostEqual(row["peak_dbfs"], levels.db(levels.peak(part)), delta=0.01)
        groups = {row["group"] for row in after["rows"]}
        self.assertEqual(sum(row["best"] for row in after["rows"]), len(groups))
        # nothing is left to be measured a second time
        self.assertEqual(self.finish(self.client.post(f"{HERE}/plans/{take}/measure"))["measured"], 0)

    def test_a_spread_is_drawn_kept_and_printed(self) -> None:
        facts = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")
        mix = {"kind": "mix", "members": [{"id": "a", "node": facts["node"]}, {"id": "b", "node": facts["node"], "pitch_st": -7}]}
        design = self.post(f"{HERE}/designs", {"name": "Pair", "mix": mix})
        started = self.client.post(f"{HERE}/spreads", json={"design": design["id"], "seed": 5, "count": 4})
        self.finish(started)
        spread = self.get(f"{HERE}/spreads/{started.json()['id']}")
        self.assertTrue(all(one["ready"] for one in spread["all"]))
        self.assertEqual(len({json.dumps(self.drawn(one)) for one in spread["all"]}), 4)
        again = self.client.post(f"{HERE}/spreads", json={"design": design["id"], "seed": 5, "count": 4})
        self.finish(again)
        self.assertEqual([self.drawn(one) for one in self.get(f"{HERE}/spreads/{again.json()['id']}")["all"]], [self.drawn(one) for one in spread["all"]])
        refused = self.client.post(f"{HERE}/spreads/{spread['id']}/print")
        self.assertIn("keep at least one", refused.json()["sentence"])
        first, second, third, _ = (one["id"] for one in spread["all"])
        said = self.client.put(f"{HERE}/spreads/{spread['id']}/judged?based_on=0", json={"states": {first: "kept", second: "kept"}}).json()
        self.assertEqual((said["revision"], said["judged"]["states"]), (1, {str(first): "kept", str(second): "kept"}))
        late = self.client.put(f"{HERE}/spreads/{spread['id']}/judged?based_on=0", json={"states": {}})
        self.assertEqual(late.status_code, 409)
        self.assertEqual(self.post(f"{HERE}/draws/{second}/heard", {})["state"], "kept")
        states = {"states": {first: "kept", third: "kept"}}
        self.client.put(f"{HERE}/spreads/{spread['id']}/judged?based_on=1", json=states)
        self.assertEqual([one["state"] for one in self.get(f"{HERE}/spreads/{spread['id']}")["all"]], ["kept", "heard", "kept", "unheard"])
        for states in ({9999: "kept"}, {first: "loved"}):
            self.assertIn(self.client.put(f"{HERE}/spreads/{spread['id']}/judged", json={"states": states}).status_code, (404, 422))
        self.client.put(f"{HERE}/spreads/{spread['id']}/judged", json={"states": {first: "kept", second: "dropped", third: "kept"}})
        self.finish(self.client.post(f"{HERE}/spreads/{spread['id']}/redraw"))
        fresh = self.get(f"{HERE}/spreads/{spread['id']}")
        self.assertEqual([one["number"] for one in fresh["all"]], [1, 3, 4, 5])
        made = self.post(f"{HERE}/spreads/{spread['id']}/print", {})
        self.assertEqual([self.get(f"{HERE}/sounds/{number}")["name"] for number in made], ["Pair 01", "Pair 02"])

    def test_designs_and_variations_leave_from_the_sheet_as_they_are(self) -> None:
        facts = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")
        mix = {"kind": "mix", "members": [{"id": "a", "node": facts["node"], "pitch_st": -3}]}
        design, other = (self.post(f"{HERE}/designs", {"name": name, "mix": mix}) for name in ("Glass lock", "Brass bolt"))
        begun = self.client.post(f"{HERE}/spreads", json={"design": design["id"], "seed": 3, "count": 3})
        self.finish(begun)
        spread = f"{HERE}/spreads/{begun.json()['id']}"
        draws = [one["id"] for one in self.get(spread)["all"]]
        wanted = {"sounds": [facts["id"]], "designs": [design["id"], other["id"]], "draws": draws[:2]}
        self.assertEqual(self.post(f"{HERE}/sheets/7/items", wanted)["added"], 5)
        put = self.post(f"{HERE}/sheets/7/items", {**wanted, "draws": draws})
        self.assertEqual((put["added"], put["sheet"]["draws"]), (1, draws))
        # what is not what was put there any more goes: a design that is deleted, a variation that is drawn anew
        self.client.delete(f"{HERE}/documents/design/{other['id']}")
        self.client.put(f"{spread}/judged", json={"states": {draws[2]: "dropped"}})
        self.finish(self.client.post(f"{spread}/redraw"))
        sheet = self.get(f"{HERE}/sheets/7")["sheet"]
        self.assertEqual((sheet["sounds"], sheet["designs"], sheet["draws"]), ([facts["id"]], [design["id"]], draws[:2]))
        body = {**sheet, "project": 7, "targets": [{"template": "{category}/{name}"}], "folder": str(Path(self.folder) / "mixed")}
        preview = self.post(f"{HERE}/ship/preview", body)
        names = ["glass hit.wav", "Glass lock.wav", "Glass lock 01.wav", "Glass lock 02.wav"]
        self.assertEqual(([Path(one["path"]).name for one in preview["files"]], preview["problems"]), (names, 0))
        shipped = self.client.post(f"{HERE}/ship", json=body)
        self.finish(shipped)
        self.assertEqual(self.get(f"{HERE}/shipments/{shipped.json()['id']}")["failures"], [])
        draws = [self.drawn(each) for each in self.get(spread)["all"][:2]]
        for one, node in zip(preview["files"][1:], [mix, *draws], strict=True):
            written, rate = files.read(Path(self.folder) / "mixed" / one["path"])
            opened = self.post(f"{HERE}/open", {"node": node})
            raw = self.client.get(f"/api/heard/{opened['digest']}/block", params={"start": 0, "frames": opened["frames"]}).content
            heard = np.frombuffer(raw, np.float32).reshape(-1, opened["channels"])
            self.assertEqual((rate, len(written)), (opened["rate"], len(heard)))
            self.assertLess(float(np.abs(written - heard).max()), 2**-22)
        gone = self.client.post(f"{HERE}/ship/preview", json={**body, "designs": [4711]})
        self.assertEqual((gone.status_code, "take it off the sheet" in gone.text), (404, True))
        nothing = self.post(f"{HERE}/designs", {"name": "Nothing", "mix": {"kind": "mix", "members": []}})
        self.assertIn("nothing that sounds", self.client.post(f"{HERE}/ship/preview", json={**body, "designs": [nothing["id"]]}).text)

    def test_slices_become_one_shots_and_files(self) -> None:
        number = self.named("gear take")["id"]
        view = self.get(f"{HERE}/plans/{number}")
        self.assertEqual(len(view["plan"]["slices"]), 3)
        few = self.post(f"{HERE}/plans/{number}/find", {"sensitivity_db": 58})
        self.assertEqual(few["plan"]["slices"], [])
        marked = self.post(f"{HERE}/plans/{number}/find", {"by": "markers"})
        self.assertEqual([one["attack_s"] for one in marked["plan"]["slices"]], [2.5, 4.0])
        self.assertIsNone(marked["inside"])
        view = self.post(f"{HERE}/plans/{number}/find", {"sensitivity_db": 8})
        self.assertEqual((view["inside"]["taken"], view["inside"]["sounds"]), ("apart", 3))
        first = view["plan"]["slices"][0]
        edit = {"edit": {"do": "split", "id": first["id"], "at_s": (first["start_s"] + first["end_s"]) / 2}}
        self.assertEqual(len(self.post(f"{HERE}/plans/{number}/edit", edit)["plan"]["slices"]), 4)
        wrong = self.client.post(f"{HERE}/plans/{number}/edit", json={"edit": {"do": "split", "id": first["id"], "at_s": 5.9}})
        self.assertIn("playhead inside", wrong.json()["sentence"])
        plan = {**view["plan"], "finish": {"mono": True, "peak_dbfs": -2.0}}
        kept = self.client.put(f"{HERE}/plans/{number}", json=plan)
        heard = self.post(f"{HERE}/plans/{number}/one-shots", {"ids": [kept.json()["plan"]["slices"][0]["id"]]})[0]["node"]
        self.assertEqual([step["kind"] for step in heard["chain"]], ["mono", "fade", "normalise"])
        overlapping = {**plan, "slices": [{**first, "id": 1}, {**first, "id": 2}]}
        self.assertIn("overlap", self.client.put(f"{HERE}/plans/{number}", json=overlapping).json()["sentence"])
        made = self.finish(self.client.post(f"{HERE}/plans/{number}/make"))["sounds"]
        self.assertEqual(len(made), 3)
        sheet = {"name": "Gears", "sounds": made, "targets": [{"format": "flac", "template": "{name}"}], "folder": str(self.folder / "out")}
        preview = self.post(f"{HERE}/ship/preview", sheet)
        self.assertEqual([one["path"] for one in preview["files"]], [f"gear take {k:02d}.flac" for k in (1, 2, 3)])
        clash = self.post(f"{HERE}/ship/preview", {**sheet, "targets": [{"template": "same"}]})
        self.assertEqual(clash["problems"], 3)
        self.assertIn("would be called", self.client.post(f"{HERE}/ship", json={**sheet, "targets": [{"template": "same"}]}).json()["sentence"])
        started = self.client.post(f"{HERE}/ship", json=sheet)
        result = self.finish(started)
        self.assertEqual((result["files"], result["failed"]), (3, 0))
        for k in (1, 2, 3):
            samples, rate = files.read(self.folder / "out" / f"gear take {k:02d}.flac")
            self.assertEqual((samples.shape[1], rate), (1, RATE))
            self.assertAlmostEqual(levels.db(levels.peak(samples)), -2, delta=0.01)
        again = self.finish(self.client.post(f"{HERE}/shipments/{started.json()['id']}/resume"))
        self.assertEqual(again["unchanged"], 3)
        manifest = self.client.get(f"{HERE}/shipments/{started.json()['id']}/manifest").json()
        self.assertEqual(len(manifest["files"]), 3)

    def test_a_job_is_cancelled_and_what_is_finished_stays(self) -> None:
        rows = self.get(f"{HERE}/sounds")["rows"]
        sheet = {"name": "Many", "sounds": [rows[0]["id"]] * 300, "targets": [{"template": "{name}_{number:4}"}], "folder": str(self.folder / "many")}
        job = self.post(f"{HERE}/ship", sheet)["job"]
        self.client.post(f"/api/jobs/{job}/cancel")
        for _ in range(400):
            state = next(one for one in self.get("/api/jobs") if one["id"] == job)["state"]
            if state != "running":
                break
            time.sleep(0.05)
        self.assertEqual(state, "cancelled")
        left = [path for path in (self.folder / "many").rglob("*") if path.is_file()]
        self.assertLess(len(left), 300)
        self.assertFalse([path for path in left if path.name.startswith(".oskren")])


class Refusals(Running):
    def test_other_hosts_and_origins(self) -> None:
        for headers in ({"host": "evil.example"}, {"origin": "http://evil.example"}, {"sec-fetch-site": "cross-site"}):
            with self.subTest(headers=headers):
                answer = self.client.get("/api/state", headers=headers)
                self.assertEqual(answer.status_code, 403)
                self.assertTrue(answer.json()["sentence"])

    def test_beyond_loopback_a_token_is_needed(self) -> None:
        with tempfile.TemporaryDirectory() as folder, TestClient(make_app(Path(folder), token="secret", host="0.0.0.0")) as client:
            self.assertEqual(client.get("/api/state").status_code, 401)
            self.assertEqual(client.get("/api/state", params={"token": "wrong"}).status_code, 401)
            self.assertEqual(client.get("/api/state", params={"token": "secret"}).status_code, 200)
            self.assertEqual(client.get("/api/state").status_code, 200)  # the cookie now

    def test_nothing_that_is_asked_answers_5xx(self) -> None:
        node = {"kind": "source", "audio": "f" * 40, "rate": RATE, "channels": 1, "frames": 100}
        calls = [
            ("get", f"{HERE}/sounds/99999", None),
            ("get", "/api/lib/none/sounds", None),
            ("get", f"{HERE}/plans/99999", None),
            ("get", f"{HERE}/spreads/9999", None),
            ("get", "/api/heard/nokey/block?start=0&frames=10", None),
            ("get", "/api/heard/nokey/peaks?start=0&end=1&width=5", None),
            ("get", f"{HERE}/sounds?limit=-1", None),
            ("post", f"{HERE}/open", {"node": node}),
            ("post", f"{HERE}/open", {}),
            ("post", f"{HERE}/open", {"node": {"kind": "what"}}),
            ("post", f"{HERE}/import", {"paths": ["relative"]}),
            ("post", f"{HERE}/import", {"paths": ["/no/such/folder"]}),
            ("post", f"{HERE}/stack/layout", {"kind": "mix", "members": [{"node": {"kind": "excerpt", "node": node, "start_s": 5, "end_s": 4}}]}),
            ("post", f"{HERE}/mend/levels", {"node": node, "chain": [{"kind": "trim", "params": {"start_s": 1, "end_s": 1}}]}),
            ("post", f"{HERE}/spreads", {"design": 999, "seed": 1}),
            ("post", f"{HERE}/ship", {"sounds": [], "targets": [{}]}),
            ("post", f"{HERE}/ship", {"sounds": [999], "targets": [{}]}),
            ("post", f"{HERE}/ship/preview", {"sounds": [1], "targets": [{"format": "mp9"}]}),
            ("post", f"{HERE}/takes", {"name": "x", "rate": 1, "channels": 9}),
            ("post", "/api/takes/..%2Fx/finish", {}),
            ("post", f"{HERE}/jobs", {}),
            ("post", "/api/jobs/999/cancel", {}),
            ("get", "/api/nothing", None),
            ("post", f"{HERE}/draws/999/heard", {}),
            ("put", f"{HERE}/spreads/999/judged", {"states": {}}),
            ("post", "/api/libraries", {"name": "test"}),
            ("get", f"{HERE}/designs/99/bundle", None),
        ]
        for method, address, body in calls:
            with self.subTest(address=address, body=body):
                answer = self.client.request(method, address, json=body)
                self.assertTrue(400 <= answer.status_code < 500, f"{answer.status_code} {answer.text[:200]}")
                self.assertTrue(answer.json()["sentence"].strip())


class Frame(Running):
    """What the frame of the app asks for: libraries, counts, find, events, and the table in pages."""

    def test_libraries_are_listed_with_their_sounds(self) -> None:
        state = self.get("/api/state")
        here = next(one for one in state["libraries"] if one["slug"] == "test")
        self.assertEqual(here["name"], "Test")
        self.assertGreaterEqual(here["sounds"], 3)
        self.assertTrue(state["ship_folder"].endswith("shipped"))

    def test_counts_of_every_stage(self) -> None:
        before = self.get(f"{HERE}/counts")
        self.post(f"{HERE}/designs", {"name": "Counted"})
        after = self.get(f"{HERE}/counts")
        self.assertEqual(after["stack"], before["stack"] + 1)
        self.assertEqual(set(after), {"gather", "mend", "stack", "vary", "slice", "ship", "picture"})

    def test_find_answers_sounds_and_designs_and_survives_anything_typed(self) -> None:
        self.assertIn("glass hit", [hit["name"] for hit in self.get(f"{HERE}/find", q="gla")])
        for q in ("%", "_", '"', "'; --", "(", "*", " "):
            self.get(f"{HERE}/find", q=q)

    def test_pages_join_to_the_whole_in_order(self) -> None:
        whole = [row["name"] for row in self.get(f"{HERE}/sounds", sort="loudness", limit=100)["rows"]]
        parts = [row["name"] for at in range(0, len(whole), 2) for row in self.get(f"{HERE}/sounds", sort="loudness", offset=at, limit=2)["rows"]]
        self.assertEqual(parts, whole)
        backwards = [row["name"] for row in self.get(f"{HERE}/sounds", sort="loudness", descending=True)["rows"]]
        self.assertEqual(backwards, whole[::-1])

    def test_jobs_are_told_as_events(self) -> None:
        told: list[dict[str, object]] = []
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        with studio.jobs.listening() as changes:
            result = self.post(f"{HERE}/import", {"paths": [str(self.folder / "in" / "gear take.wav")]})
            while not told or told[-1]["id"] != result["job"] or told[-1]["state"] == "running":
                told.append(changes.get(timeout=90)[1])
        self.assertEqual((told[-1]["state"], told[-1]["result"]["already_there"]), ("done", 1))

    def test_the_page_is_served_for_every_stage_and_assets_stay_inside(self) -> None:
        for path in ("/", "/gather", "/slice"):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 200)
            self.assertIn('<div id="root">', answer.text)
        for path in ("/../pyproject.toml", "/%2e%2e/pyproject.toml", "/assets/../../package.json"):
            self.assertNotIn("build-system", self.client.get(path).text)

    def test_scripts_cross_the_wire_compressed_and_are_kept_for_good(self) -> None:
        page = self.client.get("/")
        self.assertEqual(page.headers["cache-control"], "no-cache")
        built = json.loads((WEB / "manifest.json").read_text())
        self.assertIn(built["index.html"]["file"], page.text)
        # what a first visit loads before its stage: the script that begins, the one that draws, and all they import
        parts, wanted = set(), ["index.html", "src/app/start.tsx"]
        while wanted:
            part = wanted.pop()
            if part not in parts:
                parts.add(part)
                wanted += built[part].get("imports", [])
        named = sorted({f"/{name}" for part in parts for name in (built[part]["file"], *built[part].get("css", []))})
        self.assertGreater(len(named), 3)
        crossed = 0
        for path in named:
            with self.subTest(path=path):
                plain = self.client.get(path, headers={"accept-encoding": "identity"})
                self.assertNotIn("content-encoding", plain.headers)
                with self.client.stream("GET", path, headers={"accept-encoding": "gzip"}) as packed:
                    raw = b"".join(packed.iter_raw())
                    self.assertEqual((packed.headers["content-encoding"], packed.headers["vary"]), ("gzip", "accept-encoding"))
                    self.assertEqual(packed.headers["content-type"], plain.headers["content-type"])
                    self.assertIn("immutable", packed.headers["cache-control"])
                self.assertEqual(gzip.decompress(raw), plain.content)
                crossed += len(raw)
        self.assertLess(crossed, 320_000)
        self.assertEqual(self.client.get("/assets/none.js").status_code, 404)

    def test_headers_keep_the_page_to_itself(self) -> None:
        headers = self.client.get("/").headers
        self.assertIn("default-src 'self'", headers["content-security-policy"])
        self.assertEqual(headers["x-content-type-options"], "nosniff")

    def test_the_document_types_every_answer(self) -> None:
        document = self.client.get("/openapi.json").json()
        for path, methods in document["paths"].items():
            for method, facts in methods.items():
                content = facts["responses"]["200"].get("content", {})
                with self.subTest(path=path, method=method):
                    self.assertTrue(content)
                    schema = content.get("application/json", {}).get("schema")
                    self.assertNotEqual(schema, {})


class Layers(Running):
    """Where layers lie, and what solo, mute and an edit do to the sum."""

    def mix(self, **second: object) -> dict[str, object]:
        facts = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")
        base = {"node": facts["node"], "anchor_s": facts["anchor_s"]}
        return {"kind": "mix", "members": [{"id": "a", **base}, {"id": "b", **base, **second}]}

    def placed(self, **second: object) -> dict[str, float]:
        return self.post(f"{HERE}/stack/layout", self.mix(**second))["layers"][1]

    def test_pitch_stretch_and_part_change_the_length(self) -> None:
        self.assertAlmostEqual(self.placed()["seconds"], 1.0, places=3)
        self.assertAlmostEqual(self.placed(pitch_st=-12)["seconds"], 2.0, places=3)
        self.assertAlmostEqual(self.placed(pitch_st=-12, keep_length=True)["seconds"], 1.0, places=3)
        self.assertAlmostEqual(self.placed(stretch=1.5)["seconds"], 1.5, places=3)
        self.assertAlmostEqual(self.placed(start_s=0.25, end_s=0.75)["seconds"], 0.5, places=3)

    def test_moving_a_layer_moves_it_alone(self) -> None:
        layout = self.post(f"{HERE}/stack/layout", self.mix(at_s=0.5))
        self.assertAlmostEqual(layout["layers"][1]["start_s"] - layout["layers"][0]["start_s"], 0.5, places=4)
        self.assertAlmostEqual(layout["seconds"], 1.5, places=3)

    def test_a_muted_layer_is_not_in_the_sum(self) -> None:
        alone = self.post(f"{HERE}/stack/sum", self.mix(mute=True))
        both = self.post(f"{HERE}/stack/sum", self.mix())
        self.assertAlmostEqual(both["sample_peak_dbfs"] - alone["sample_peak_dbfs"], 6.02, delta=0.01)
        self.assertAlmostEqual(both["integrated_lufs"] - alone["integrated_lufs"], 6.02, delta=0.05)

    def test_pan_puts_a_mono_layer_to_one_side(self) -> None:
        mix = self.mix(pan=1)
        mix["members"] = mix["members"][1:]  # type: ignore[index]
        heard = self.heard(mix)
        self.assertLess(float(np.abs(heard[:, 0]).max()), 1e-6)
        self.assertGreater(float(np.abs(heard[:, 1]).max()), 0.1)

    def test_layers_have_pictures_before_they_are_heard(self) -> None:
        layer = self.placed(pitch_st=-5)
        answer = self.client.get(f"/api/heard/{layer['digest']}/peaks", params={"start": 0, "end": layer["frames"], "width": 120})
        self.assertEqual(answer.status_code, 200)
        values = np.frombuffer(answer.content, np.int16).reshape(120, 1, 3)
        self.assertTrue((values[:, :, 0] <= values[:, :, 1]).all())
        self.assertGreater(values[:, :, 1].max(), 3000)
