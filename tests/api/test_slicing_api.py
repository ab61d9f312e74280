"""Slice over the API: a sound that changes after it was sliced, its corrections kept, its one-shots listed and made anew."""

from typing import Any

import numpy as np

from oskren.core.audio import files
from tests.api.test_api import HERE, Running
from tests.support import RATE, noise, struck

HITS = (1.0, 2.5, 4.0, 5.5)
CUT_S = 0.4


class ChangedSince(Running):
    takes = 0

    def setUp(self) -> None:
        ChangedSince.takes += 1
        take = noise(7, -66, seed=ChangedSince.takes)
        for k, at in enumerate(HITS):
            take[round(at * RATE) : round(at * RATE) + RATE // 2] += 0.5 * struck(seed=20 + k)
        name = f"long take {ChangedSince.takes}"
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
