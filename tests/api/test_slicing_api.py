"""Slice over the API: a sound that changes after it was sliced, its corrections kept, its one-shots listed and made anew."""

import struct
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files
from tests.api.test_api import HERE, Running
from tests.support import RATE, noise, struck

HITS = (1.0, 2.5, 4.0, 5.5)
CUT_S = 0.4


class Sliced(Running):
    """A take of four hits, and its plan."""

    takes = 0

    def setUp(self) -> None:
        Sliced.takes += 1
        take = noise(7, -66, seed=Sliced.takes)
        for k, at in enumerate(HITS):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.5 * struck(seed=20 + k)
        name = f"long take {Sliced.takes}"
        files.write(self.folder / "more" / f"{name}.wav", take, RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "more" / f"{name}.wav")]}))
        self.take, self.samples = self.named(name)["id"], take
        self.plan = f"{HERE}/plans/{self.take}"

    def chain(self, *steps: dict[str, Any]) -> None:
        self.client.put(f"{HERE}/sounds/{self.take}/chain", json={"chain": [{"id": step["kind"], **step} for step in steps]}).raise_for_status()

    def slices(self) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.get(self.plan)["plan"]["slices"]
        return found

    def edit(self, **change: Any) -> None:
        self.post(f"{self.plan}/edit", {"edit": change})


class ChangedSince(Sliced):
    def test_a_plan_takes_the_newer_sound_and_keeps_what_was_corrected(self) -> None:
        before = self.slices()
        self.assertEqual(len(before), len(HITS))
        self.assertEqual(self.get(f"{self.plan}/older"), {"changed": False, "one_shots": []})
        self.edit(do="move", id=before[1]["id"], start_s=before[1]["start_s"] - 0.12)
        self.edit(do="drop", id=before[2]["id"])
        self.chain({"kind": "trim", "params": {"start_s": CUT_S}}, {"kind": "gain", "params": {"gain_db": -6.0}})
        self.assertTrue(self.get(f"{self.plan}/older")["changed"])
        self.assertEqual(self.get(self.plan)["node"]["kind"], "source")
        fresh = self.post(f"{self.plan}/newer", {})
        self.assertEqual((fresh["node"]["kind"], fresh["lost"], len(fresh["plan"]["slices"])), ("chained", 0, len(HITS)))
        after = fresh["plan"]["slices"]
        self.assertEqual([one["dropped"] for one in after], [False, False, True, False])
        self.assertEqual([one["touched"] for one in after], [False, True, True, False])
        wanted = [one["start_s"] - CUT_S for one in before]
        wanted[1] -= 0.12
        np.testing.assert_allclose([one["start_s"] for one in after], wanted, atol=0.003)
        # what was corrected lies at its moment to the sample
        self.assertAlmostEqual(after[1]["start_s"], wanted[1], places=6)
        self.assertFalse(self.get(f"{self.plan}/older")["changed"])

    def test_edges_are_put_on_the_zero_crossings_nearest_to_them(self) -> None:
        before = self.slices()
        self.edit(do="snap", ids=[before[0]["id"], before[2]["id"], 99_999])
        after = self.slices()
        self.assertEqual([one["touched"] for one in after], [True, False, True, False])
        wave = self.samples[:, 0]
        for was, now in ((before[0], after[0]), (before[2], after[2])):
            for edge in ("start_s", "end_s"):
                self.assertLessEqual(abs(now[edge] - was[edge]), 0.005)
                at = round(now[edge] * RATE)
                self.assertAlmostEqual(now[edge], at / RATE, places=9)
                # the wave goes through zero beside this frame, and nowhere nearer to where the edge was
                self.assertTrue(wave[at - 1] * wave[at] <= 0 or wave[at] * wave[at + 1] <= 0)
                near = wave[min(at, round(was[edge] * RATE)) + 1 : max(at, round(was[edge] * RATE))]
                self.assertTrue((near > 0).all() or (near < 0).all() or len(near) < 2)

    def test_corrections_outside_the_newer_sound_are_counted(self) -> None:
        first = self.slices()[0]
        self.edit(do="drop", id=first["id"])
        self.chain({"kind": "trim", "params": {"start_s": 2.0}})
        fresh = self.post(f"{self.plan}/newer", {})
        self.assertEqual((fresh["lost"], len(fresh["plan"]["slices"])), (1, len(HITS) - 1))

    def test_one_shots_of_the_older_sound_are_listed_and_made_anew_where_they_lie(self) -> None:
        made = self.finish(self.client.post(f"{self.plan}/make"))["sounds"]
        self.assertEqual(self.get(f"{self.plan}/older"), {"changed": False, "one_shots": []})
        facts = [self.get(f"{HERE}/sounds/{one}") for one in made]
        self.chain({"kind": "reverse"}, {"kind": "gain", "params": {"gain_db": -6.0}})
        older = self.get(f"{self.plan}/older")
        self.assertEqual([one["id"] for one in older["one_shots"]], made)
        self.assertEqual(self.finish(self.client.post(f"{self.plan}/remake"))["remade"], len(made))
        self.assertEqual(self.get(f"{self.plan}/older")["one_shots"], [])
        for one, was in zip(made, facts, strict=True):
            now = self.get(f"{HERE}/sounds/{one}")
            self.assertEqual((now["name"], now["tags"], now["category"]), (was["name"], was["tags"], was["category"]))
            self.assertAlmostEqual(now["seconds"], was["seconds"], places=3)
            # the same moments, now the other way round: heard beside the take itself
            cut = was["node"]["node"]
            first, last = round(cut["start_s"] * RATE), round(cut["end_s"] * RATE)
            heard = self.heard(now["node"]["node"])[::-1, 0]
            np.testing.assert_allclose(heard, self.samples[first:last, 0] * 10 ** (-6 / 20), atol=1e-6)
            self.assertAlmostEqual(now["measures"]["anchor_s"], was["seconds"] - was["measures"]["anchor_s"], places=3)


class Kept(Sliced):
    """What is done with slices before they are one-shots, and what these carry."""

    def put(self, **values: Any) -> dict[str, Any]:
        kept = self.get(self.plan)
        self.client.put(f"{self.plan}?based_on={kept['revision']}", json=kept["plan"] | values).raise_for_status()
        return self.get(self.plan)

    def measured(self) -> dict[int, dict[str, Any]]:
        self.finish(self.client.post(f"{self.plan}/measure"))
        return {row["id"]: row for row in self.get(f"{self.plan}/measured")["rows"]}

    def test_one_shots_are_heard_as_they_will_be_made(self) -> None:
        pieces = self.slices()
        self.put(finish={"peak_dbfs": -3.0, "silence_dbfs": -50})
        asked = self.post(f"{self.plan}/one-shots", {"ids": [pieces[2]["id"], 99_999]})
        self.assertEqual([one["id"] for one in asked], [pieces[2]["id"]])
        made = self.finish(self.client.post(f"{self.plan}/make"))["sounds"]
        shot = self.get(f"{HERE}/sounds/{made[2]}")
        np.testing.assert_array_equal(self.heard(asked[0]["node"]), self.heard(shot["node"]))
        self.assertAlmostEqual(shot["measures"]["sample_peak_dbfs"], -3.0, delta=0.01)
        self.assertAlmostEqual(asked[0]["anchor_s"], shot["measures"]["anchor_s"], places=5)
        self.assertLess(shot["seconds"], pieces[2]["end_s"] - pieces[2]["start_s"])

    def test_a_finish_may_go_through_a_chain_that_is_given_another_sound(self) -> None:
        click = np.zeros((480, 1), np.float32)
        click[0] = 0.5
        name = f"click {Sliced.takes}"
        files.write(self.folder / "more" / f"{name}.wav", click, RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "more" / f"{name}.wav")]}))
        through = self.get(f"{HERE}/sounds/{self.named(name)['id']}")["node"]
        step = {"kind": "impulse", "id": "room", "params": {}, "learned_on": through}
        self.slices()
        self.put(finish={"peak_dbfs": None, "chain": [step], "tail": "cut"})
        made = self.finish(self.client.post(f"{self.plan}/make"))["sounds"]
        self.assertEqual(len(made), len(HITS))
        pieces = self.slices()
        for one, piece in zip(made, pieces, strict=True):
            self.assertAlmostEqual(self.get(f"{HERE}/sounds/{one}")["seconds"], piece["end_s"] - piece["start_s"], places=3)

    def test_kits_are_dealt_played_and_tagged(self) -> None:
        refused = self.client.post(f"{self.plan}/kits", json={"size": 2, "by": "likeness"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("still being measured", refused.json()["sentence"])
        self.measured()
        for by in ("length", "loudness", "brightness", "likeness"):
            plan = self.post(f"{self.plan}/kits", {"size": 2, "by": by})["plan"]
            self.assertEqual([kit["name"] for kit in plan["kits"]], ["Kit 1", "Kit 2"])
            self.assertEqual(sorted(id for kit in plan["kits"] for id in kit["slices"]), sorted(one["id"] for one in plan["slices"]))
        self.put(names="{kit} {name} {number}")
        made = [self.get(f"{HERE}/sounds/{one}") for one in self.finish(self.client.post(f"{self.plan}/make"))["sounds"]]
        kits = self.get(self.plan)["plan"]["kits"]
        for piece, one in zip(self.slices(), made, strict=True):
            kit = next(kit["name"] for kit in kits if piece["id"] in kit["slices"])
            self.assertTrue(one["name"].startswith(f"{kit} long take"), one["name"])
            self.assertIn(kit.lower().replace(" ", "-"), one["tags"])
            self.assertTrue(any(tag.startswith("alike-") for tag in one["tags"].split()), one["tags"])

    def test_names_that_cannot_be_are_refused_before_anything_is_made(self) -> None:
        self.put(names="{name} {colour}")
        refused = self.client.post(f"{self.plan}/make")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("{colour}", refused.json()["sentence"])

    def test_slices_are_stacked_with_their_attacks_together(self) -> None:
        ids = [one["id"] for one in self.slices()[:3]]
        made = self.post(f"{self.plan}/stack", {"ids": ids})
        mix = self.get(f"{HERE}/designs/{made['design']}")["mix"]
        self.assertEqual([member["at_s"] for member in mix["members"]], [0.0] * 3)
        for member, piece in zip(mix["members"], self.slices(), strict=False):
            self.assertAlmostEqual(member["anchor_s"], piece["attack_s"] - piece["start_s"], places=5)

    def test_a_loop_is_found_heard_and_written_where_another_reader_finds_it(self) -> None:
        """The sampler chunk is read as the Multimedia Programming Interface and Data Specifications 1.0 lay it out."""
        tone = np.sin(2 * np.pi * 330 * np.arange(3 * RATE) / RATE).astype(np.float32)[:, None] * np.float32(0.4)
        name = f"held tone {Sliced.takes}"
        files.write(self.folder / "more" / f"{name}.wav", tone, RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "more" / f"{name}.wav")]}))
        self.plan = f"{HERE}/plans/{self.named(name)['id']}"
        self.post(f"{self.plan}/find", {"by": "grid", "every_s": 3.0})
        piece = self.slices()[0]
        self.edit(do="loop", id=piece["id"], best=True)
        loop = self.slices()[0]["loop"]
        made = self.finish(self.client.post(f"{self.plan}/make"))["sounds"]
        shot = self.get(f"{HERE}/sounds/{made[0]}")
        self.assertAlmostEqual(shot["seconds"], loop["end_s"] - piece["start_s"], places=4)
        out = self.heard(shot["node"])[:, 0]
        start = round(loop["start_s"] * RATE)
        # the tone goes on in phase where it jumps from its end to the start of the loop
        around = np.concatenate([out[-400:], out[start : start + 400]])
        wave = 2 * np.cos(2 * np.pi * 330 / RATE) * around[1:-1] - around[:-2] - around[2:]
        self.assertLess(np.abs(wave).max(), 2e-3)
        started = self.client.post(f"{HERE}/ship", json={"name": f"loops {Sliced.takes}", "sounds": made, "targets": [{"template": "{name}"}]})
        self.finish(started)
        report = self.get(f"{HERE}/shipments/{started.json()['id']}")
        self.assertEqual(report["failures"], [])
        written = next(Path(report["folder"]).rglob("held tone*.wav"))
        raw = written.read_bytes()
        at = raw.index(b"smpl")
        (count,) = struct.unpack("<I", raw[at + 8 + 28 : at + 8 + 32])
        first, last = struct.unpack("<2I", raw[at + 8 + 36 + 8 : at + 8 + 36 + 16])
        self.assertEqual((count, first, last), (1, start, len(out) - 1))

    def test_a_locked_slice_and_one_through_no_chain(self) -> None:
        pieces = self.slices()
        self.edit(do="lock", ids=[pieces[0]["id"]])
        refused = self.client.post(f"{self.plan}/edit", json={"edit": {"do": "drop", "id": pieces[0]["id"]}})
        self.assertIn("Slice 1 is locked", refused.json()["sentence"])
        self.chain({"kind": "gain", "params": {"gain_db": -12.0}})
        self.post(f"{self.plan}/newer", {})
        self.put(finish={"through": "raw", "peak_dbfs": None, "fade_in_ms": 0, "fade_out_ms": 0})
        made = self.finish(self.client.post(f"{self.plan}/make"))["sounds"]
        self.assertEqual(self.get(f"{self.plan}/older"), {"changed": False, "one_shots": []})
        now = self.slices()[1]
        out = self.heard(self.get(f"{HERE}/sounds/{made[1]}")["node"])[:, 0]
        np.testing.assert_allclose(out, self.samples[round(now["start_s"] * RATE) : round(now["end_s"] * RATE), 0], atol=1e-6)

    def test_stems_are_cut_at_the_same_moments_each_through_its_own_chain(self) -> None:
        name = f"far take {Sliced.takes}"
        files.write(self.folder / "more" / f"{name}.wav", self.samples * np.float32(0.25), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "more" / f"{name}.wav")]}))
        far = self.named(name)["id"]
        self.client.put(f"{HERE}/sounds/{far}/chain", json={"chain": [{"id": "x", "kind": "trim", "params": {"start_s": 2.0}}]}).raise_for_status()
        self.slices()
        self.post(f"{self.plan}/stems", {"sounds": [far, self.take]})
        kept = self.put(finish={"peak_dbfs": None, "fade_in_ms": 0, "fade_out_ms": 0})
        self.assertEqual(kept["plan"]["stems"], [far])
        made = [self.get(f"{HERE}/sounds/{one}") for one in self.finish(self.client.post(f"{self.plan}/make"))["sounds"]]
        # the first hit is not in the far one, whose chain begins later
        self.assertEqual([one["name"] for one in made[len(HITS) :]], [f"{name} {k:02d}" for k in (2, 3, 4)])
        for near, other in zip(made[1:], made[len(HITS) :], strict=False):
            np.testing.assert_allclose(self.heard(other["node"]), 0.25 * self.heard(near["node"]), atol=2e-6)

    def test_a_stem_keeps_its_own_better_channel(self) -> None:
        name = f"wide take {Sliced.takes}"
        lane = self.samples[:, 0]
        # the left one is the better of the first hit, the right one of the others
        share = np.where(np.arange(len(lane)) < HITS[1] * RATE - RATE // 2, 0.8, 0.2).astype(np.float32)
        files.write(self.folder / "more" / f"{name}.wav", np.stack([lane * share, lane * (1 - share)], axis=1), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "more" / f"{name}.wav")]}))
        self.slices()
        self.post(f"{self.plan}/stems", {"sounds": [self.named(name)["id"], self.take]})
        self.put(finish={"peak_dbfs": None, "fade_in_ms": 0, "fade_out_ms": 0, "mono": "better"})
        made = [self.get(f"{HERE}/sounds/{one}") for one in self.finish(self.client.post(f"{self.plan}/make"))["sounds"]]
        self.assertEqual([one["channels"] for one in made], [1] * 2 * len(HITS))
        for near, wide in zip(made[: len(HITS)], made[len(HITS) :], strict=True):
            np.testing.assert_allclose(self.heard(wide["node"]), 0.8 * self.heard(near["node"]), atol=2e-6)
