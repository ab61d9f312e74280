"""Review reels, names and shared chains over the API; every refusal in one sentence."""

import time
import unittest

import numpy as np

from oskren.core.audio import files
from tests.api.test_api import HERE, Running
from tests.support import RATE, noise

SOFTER = {"kind": "gain", "id": "g", "params": {"gain_db": -6.0}}


class Reels(Running):
    def begun(self, **more: object):  # type: ignore[no-untyped-def]
        takes = [self.named("gear take")["id"], self.named("glass hit")["id"]]
        return self.post(f"{HERE}/reels", {"name": "Morning", "ids": takes, **more})

    def kept(self, view, **changes):  # type: ignore[no-untyped-def]
        answer = self.client.put(f"{HERE}/reels/{view['id']}", json={**view["reel"], **changes})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_takes_in_a_row_are_heard_with_the_gap_between(self) -> None:
        view = self.kept(self.begun(), gap_s=0.5)
        self.assertEqual([take["start_s"] for take in view["takes"]], [0.0, 6.5])
        heard = self.heard(view["raw"])
        self.assertEqual(len(heard), round(view["seconds"] * RATE))
        np.testing.assert_array_equal(heard[6 * RATE : round(6.5 * RATE)], np.zeros((RATE // 2, 2), np.float32))
        self.assertEqual(self.client.delete(f"{HERE}/documents/reel/{view['id']}").status_code, 200)
        self.assertEqual(self.client.get(f"{HERE}/reels/{view['id']}").status_code, 404)

    def test_from_marks_to_named_clean_selects(self) -> None:
        view = self.begun()
        take = view["takes"][0]["id"]
        self.client.patch(f"{HERE}/sounds/{take}", json={"category": "Mechanism"}).raise_for_status()
        chain = [{"kind": "noise_reduction", "id": "n", "params": {"reduction_db": 12}}, {"kind": "high_pass", "id": "h", "params": {"cutoff_hz": 60}}, SOFTER]
        marks = [
            {"id": 1, "take": take, "start_s": 0.1, "end_s": 0.9, "kind": "noise"},
            {"id": 2, "take": take, "start_s": 0.98, "end_s": 1.6, "kind": "keep", "words": "gear, slow"},
            {"id": 3, "take": take, "start_s": 2.4, "end_s": 3.2, "kind": "keep", "words": "gear, slow"},
            {"id": 4, "take": take, "start_s": 3.9, "end_s": 4.7, "kind": "material", "words": "clank", "chain": [SOFTER]},
            {"id": 5, "take": take, "start_s": 5.0, "end_s": 5.5, "kind": "maybe"},
        ]
        view = self.kept(view, chain=chain, marks=marks, shortest_s=0.7, template="{code}_{words} {number:2}")
        self.assertEqual((view["usable"]["kept"], view["usable"]["short"]), (2, [2]))
        names = [one["name"] for one in view["names"]]
        self.assertEqual(len(set(names)), 3)
        self.assertEqual([name.split("_", 1)[1] for name in names], ["gear, slow 01", "gear, slow 02", "clank 01"])
        made = self.finish(self.client.post(f"{HERE}/reels/{view['id']}/selects"))["sounds"]
        self.assertEqual(len(made), 3)
        raw = self.heard(self.get(f"{HERE}/sounds/{take}")["node"])
        for number, mark in zip(made, marks[1:4], strict=True):
            facts = self.get(f"{HERE}/sounds/{number}")
            with self.subTest(name=facts["name"]):
                self.assertIn(facts["name"], names)
                self.assertEqual((facts["kind"], facts["cut_from"], facts["category"]), ("excerpt", take, "Mechanism"))
                self.assertEqual(
                    [step["kind"] for step in facts["chain"]], ["gain"] if mark["kind"] == "material" else ["noise_reduction", "high_pass", "gain"]
                )
                first, last = round(mark["start_s"] * RATE), round(mark["end_s"] * RATE)
                np.testing.assert_array_equal(self.heard(facts["node"]), raw[first:last])
        self.assertIn("material", self.get(f"{HERE}/sounds/{made[2]}")["tags"])
        clean, before = (self.heard(self.get(f"{HERE}/sounds/{made[0]}")[which])[-3000:] for which in ("now", "node"))
        self.assertLess(np.std(clean), 0.5 * np.std(before))
        again = self.client.post(f"{HERE}/reels/{view['id']}/selects").json()["job"]
        self.assertIn("Nothing new", self.ended(again)["message"])
        out = self.folder / "selects"
        told = self.finish(self.client.post(f"{HERE}/export", json={"ids": made[:2], "folder": str(out)}))
        self.assertEqual(told["failed"], [])
        written = told["files"]
        self.assertEqual([files.probe(out / one.split("/")[-1]).frames for one in written], [round(0.62 * RATE), round(0.8 * RATE)])

    def test_a_category_of_its_own_is_cleaned_and_joins_the_tree(self) -> None:
        view = self.begun()
        take = view["takes"][0]["id"]
        mark = {"id": 1, "take": take, "start_s": 2.3, "end_s": 2.9, "category": " Gears /  Stone wheel "}
        view = self.kept(view, marks=[mark], template="{code} {number}")
        self.assertEqual((view["reel"]["marks"][0]["category"], view["names"][0]["name"]), ("Gears/Stone wheel", "STON 1"))
        [made] = self.finish(self.client.post(f"{HERE}/reels/{view['id']}/selects"))["sounds"]
        facts = self.get(f"{HERE}/sounds/{made}")
        self.assertEqual((facts["category"], facts["category_sure"]), ("Gears/Stone wheel", 1.0))
        self.assertTrue({"Gears", "Gears/Stone wheel"} <= {one["path"] for one in self.get(f"{HERE}/categories")})
        wrong = self.client.put(f"{HERE}/reels/{view['id']}", json={**view["reel"], "marks": [{**mark, "category": "a//b"}]})
        self.assertEqual(wrong.status_code, 422)

    def ended(self, number: int):  # type: ignore[no-untyped-def]
        while True:
            job = next(job for job in self.get("/api/jobs") if job["id"] == number)
            if job["state"] != "running":
                return job
            time.sleep(0.05)

    def test_a_take_on_a_reel_stays_when_the_trash_is_emptied(self) -> None:
        files.write(self.folder / "reeled.wav", noise(1.0, -30, seed=21), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "reeled.wav")]}))
        number = self.named("reeled")["id"]
        view = self.post(f"{HERE}/reels", {"name": "Kept", "ids": [number]})
        self.assertEqual([(use["what"], use["name"]) for use in self.get(f"{HERE}/sounds/{number}/uses")], [("reel", "Kept")])
        self.assertEqual(self.post(f"{HERE}/search", {"q": "reeled where used no"})["total"], 1)  # listened to is not yet used
        self.post(f"{HERE}/edit", {"ids": [number], "change": {"trashed": True}})
        self.assertIn("reeled", " ".join(self.post(f"{HERE}/trash/empty", {})["stays"]))
        self.client.delete(f"{HERE}/documents/reel/{view['id']}").raise_for_status()
        self.assertEqual(self.post(f"{HERE}/trash/empty", {})["gone"], 1)

    def test_what_another_sound_learns_from_keeps_its_file(self) -> None:
        files.write(self.folder / "room alone.wav", noise(2.0, -50, seed=22), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "room alone.wav")]}))
        room = self.get(f"{HERE}/sounds/{self.named('room alone')['id']}")
        take = self.named("gear take")["id"]
        step = {"kind": "noise_reduction", "id": "n", "params": {"parts": [[0.2, 1.5]]}, "learned_on": room["node"]}
        self.client.put(f"{HERE}/sounds/{take}/chain", json={"chain": [step]}).raise_for_status()
        self.post(f"{HERE}/edit", {"ids": [room["id"]], "change": {"trashed": True}})
        self.post(f"{HERE}/trash/empty", {})
        now = self.get(f"{HERE}/sounds/{take}")["now"]
        self.assertEqual(len(self.heard(now)), 6 * RATE)
        self.client.put(f"{HERE}/sounds/{take}/chain", json={"chain": []}).raise_for_status()

    def test_suggestions_are_computed_once(self) -> None:
        take = self.named("gear take")["id"]
        one = self.get(f"{HERE}/suggestions/{take}")
        self.assertEqual(len([part for part in one["found"] if part["kind"] == "event"]), 3)
        self.assertIn("quiet", [part["kind"] for part in one["found"]])
        begun = time.monotonic()
        self.assertEqual(self.get(f"{HERE}/suggestions/{take}"), one)
        self.assertLess(time.monotonic() - begun, 0.5)

    def test_what_cannot_be_is_refused(self) -> None:
        view = self.begun()
        take = view["takes"][0]["id"]
        mark = {"id": 1, "take": take, "start_s": 0, "end_s": 1}
        for change, status in (
            ({"marks": [{**mark, "end_s": 99}]}, 422),
            ({"marks": [{**mark, "take": 4711}]}, 422),
            ({"marks": [mark, mark]}, 422),
            ({"marks": [{**mark, "kind": "lovely"}]}, 422),
            ({"gap_s": -1}, 422),
            ({"takes": [take, 4711]}, 404),
            ({"chain": [{"kind": "gain", "params": {"gain_db": 99}}]}, 422),
            ({"marks": [{**mark, "kind": "material", "chain": [{"kind": "nothing"}]}]}, 422),
        ):
            answer = self.client.put(f"{HERE}/reels/{view['id']}", json={**view["reel"], **change})
            with self.subTest(change=change):
                self.assertEqual(answer.status_code, status, answer.text)
                self.assertTrue(answer.json()["sentence"].endswith("."))
        self.assertEqual(self.get(f"{HERE}/reels/{view['id']}")["reel"], view["reel"])
        for body in ({"ids": []}, {"ids": [4711]}, {"ids": list(range(1, 300))}):
            self.assertIn(self.client.post(f"{HERE}/reels", json=body).status_code, (404, 422))
        self.assertEqual(self.client.get(f"{HERE}/suggestions/4711").status_code, 404)

    def test_words_are_completed_and_names_checked_while_typing(self) -> None:
        self.assertIn("gear", self.get(f"{HERE}/words", start="ge"))
        self.assertEqual(self.get(f"{HERE}/words", start='"; drop'), [])
        told = self.post(f"{HERE}/names/check", {"template": "{words} {number:2}", "values": {"words": "gear zorgle"}})
        self.assertEqual((told["name"], told["wrong"], told["new_words"]), ("gear zorgle 01", [], ["zorgle"]))
        taken = self.post(f"{HERE}/names/check", {"template": "{words}", "values": {"words": "Glass Hit"}})
        self.assertIn("taken", taken["wrong"][0])
        slash = self.post(f"{HERE}/names/check", {"template": "{words}", "values": {"words": "a/b"}})
        self.assertIn("/ cannot be", slash["wrong"][0])
        self.assertEqual(self.client.post(f"{HERE}/names/check", json={"template": "{loud}", "values": {}}).status_code, 422)


class SharedChains(Running):
    def chained(self, name: str = "Softer") -> int:
        return int(self.post(f"{HERE}/chains", {"name": name, "chain": [SOFTER]})["id"])

    def facts(self, name: str):  # type: ignore[no-untyped-def]
        return self.get(f"{HERE}/sounds/{self.named(name)['id']}")

    def test_given_to_many_with_a_report(self) -> None:
        number = self.chained()
        sounds = [self.named(name)["id"] for name in ("gear take", "glass hit", "brass hit")]
        rows = self.finish(self.client.post(f"{HERE}/chains/{number}/give", json={"ids": sounds}))["rows"]
        self.assertEqual([row["id"] for row in rows], sounds)
        for row in rows:
            self.assertAlmostEqual(row["after_dbfs"] - row["before_dbfs"], -6.0, delta=0.02)
            self.assertEqual((row["over"], row["reason"]), (False, ""))
        self.assertEqual([step["params"] for step in self.facts("glass hit")["chain"]], [SOFTER["params"]])
        self.finish(self.client.post(f"{HERE}/chains/{number}/give", json={"ids": sounds[:1], "after": True}))
        self.assertEqual(len(self.facts("gear take")["chain"]), 2)
        self.client.put(f"{HERE}/sounds/{sounds[0]}/chain", json={"chain": []}).raise_for_status()

    def test_linked_sounds_change_together_until_they_are_let_go(self) -> None:
        number = self.chained("Linked")
        one, other = self.named("glass hit")["id"], self.named("brass hit")["id"]
        self.finish(self.client.post(f"{HERE}/chains/{number}/give", json={"ids": [one, other], "linked": True}))
        self.assertEqual({user["id"] for user in self.get(f"{HERE}/chains/{number}/users")}, {one, other})
        louder = {**SOFTER, "params": {"gain_db": -1.0}}
        facts = self.client.put(f"{HERE}/sounds/{one}/chain", json={"chain": [louder]}).json()
        self.assertEqual(facts["follows"], number)
        self.assertEqual(self.facts("brass hit")["chain"][0]["params"], {"gain_db": -1.0})
        shown = next(chain for chain in self.get(f"{HERE}/chains") if chain["id"] == number)
        self.assertEqual((shown["users"], shown["chain"][0]["params"]), (2, {"gain_db": -1.0}))
        self.assertIsNone(self.post(f"{HERE}/sounds/{other}/unlink", {})["follows"])
        self.client.put(f"{HERE}/sounds/{one}/chain", json={"chain": [SOFTER]}).raise_for_status()
        self.assertEqual(self.facts("brass hit")["chain"][0]["params"], {"gain_db": -1.0})
        self.client.delete(f"{HERE}/documents/saved_chain/{number}").raise_for_status()
        after = self.facts("glass hit")
        self.assertEqual((after["follows"], after["chain"][0]["params"]), (None, {"gain_db": -6.0}))

    def test_a_sound_the_chain_cannot_be_rendered_for_is_left_with_the_reason(self) -> None:
        marked = {"kind": "noise_reduction", "id": "n", "params": {"parts": [[3.0, 4.0]]}}
        number = self.post(f"{HERE}/chains", {"name": "Marked", "chain": [marked]})["id"]
        before = self.facts("glass hit")["chain"]
        rows = self.finish(self.client.post(f"{HERE}/chains/{number}/give", json={"ids": [self.named("glass hit")["id"], self.named("gear take")["id"]]}))[
            "rows"
        ]
        self.assertIn("noise profile", rows[0]["reason"])
        self.assertEqual(self.facts("glass hit")["chain"], before)
        self.assertEqual(rows[1]["reason"], "")
        self.assertEqual(self.facts("gear take")["chain"][0]["kind"], "noise_reduction")

    def test_refusals(self) -> None:
        number = self.chained("Refused")
        for address, body, status in (
            (f"{HERE}/chains/4711/give", {"ids": [1]}, 404),
            (f"{HERE}/chains/{number}/give", {"ids": []}, 422),
            (f"{HERE}/chains", {"name": "Empty", "chain": []}, 422),
            (f"{HERE}/chains", {"name": "Strange", "chain": [{"kind": "nothing"}]}, 422),
            (f"{HERE}/sounds/4711/unlink", {}, 404),
        ):
            with self.subTest(address=address):
                self.assertEqual(self.client.post(address, json=body).status_code, status)
        self.assertEqual(self.client.get(f"{HERE}/chains/4711/users").status_code, 404)


class Mending(Running):
    def test_a_step_of_an_unknown_kind_is_kept_and_passed_over(self) -> None:
        from oskren.store import Home

        number = self.named("glass hit")["id"]
        strange = {"kind": "from later", "id": "s", "params": {"depth": 2}, "on": True}
        home = Home(self.folder / "home")
        home.library("test").change(number, {"chain": [strange]})
        facts = self.get(f"{HERE}/sounds/{number}")
        np.testing.assert_array_equal(self.heard(facts["now"]), self.heard(facts["node"]))
        kept = self.client.put(f"{HERE}/sounds/{number}/chain", json={"chain": [SOFTER, *facts["chain"]]})
        self.assertEqual(kept.status_code, 200, kept.text)
        self.assertEqual([step["kind"] for step in kept.json()["chain"]], ["gain", "from later"])
        self.assertEqual(kept.json()["chain"][1]["params"], {"depth": 2})
        levels = self.post(f"{HERE}/mend/levels", {"node": facts["node"], "chain": kept.json()["chain"]})
        self.assertEqual([one["step"] for one in levels], ["", "g"])

    def test_states_are_kept_to_compare_with_four_at_most(self) -> None:
        number = self.named("glass hit")["id"]
        states = [{"name": f"State {letter}", "chain": [SOFTER]} for letter in "ABCDE"]
        address = f"{HERE}/sounds/{number}/states"
        kept = self.client.put(address, json={"states": states[:4]})
        self.assertEqual([one["name"] for one in kept.json()["states"]], [f"State {letter}" for letter in "ABCD"])
        self.assertEqual(self.client.put(address, json={"states": states}).status_code, 422)
        self.assertEqual(self.client.put(address, json={"states": [{"name": "A", "chain": [{"kind": "nothing"}]}]}).status_code, 422)
        self.assertEqual(self.get(f"{HERE}/sounds/{number}")["states"], kept.json()["states"])

    def test_states_are_matched_within_a_fifth_of_a_unit(self) -> None:
        """The loudness each state is played at, by the gain the interface takes from the measures."""
        from oskren.core.measure.loudness import loudness

        facts = self.get(f"{HERE}/sounds/{self.named('gear take')['id']}")
        wanted = self.post(f"{HERE}/mend/levels", {"node": facts["node"], "chain": []})[-1]["lufs"]
        for chain in ([SOFTER], [{"kind": "band", "id": "b", "params": {"kind": "high shelf", "frequency_hz": 2000, "gain_db": 9}}]):
            told = self.post(f"{HERE}/mend/levels", {"node": facts["node"], "chain": chain})[-1]["lufs"]
            samples = self.heard({"kind": "chained", "node": facts["node"], "chain": chain}) * 10 ** ((wanted - told) / 20)
            with self.subTest(chain=chain[0]["kind"]):
                self.assertAlmostEqual(loudness(samples.astype(np.float32), RATE).integrated_lufs, wanted, delta=0.2)

    def test_the_response_is_that_of_the_filters(self) -> None:
        """-3.01 dB at a Butterworth's cut-off; a bell's gain at its centre."""
        chain = [
            {"kind": "high_pass", "id": "h", "params": {"cutoff_hz": 100.0}},
            {"kind": "band", "id": "b", "params": {"frequency_hz": 2000.0, "gain_db": 6.0}},
            {"kind": "band", "id": "off", "on": False},
            {"kind": "gain", "id": "g"},
        ]
        told = self.post(f"{HERE}/mend/response", {"chain": chain, "rate": RATE})
        self.assertEqual(sorted(told["steps"]), ["b", "h"])
        at = {hz: np.interp(np.log(hz), np.log(told["hz"]), told["steps"][step]) for hz, step in ((100.0, "h"), (2000.0, "b"))}
        self.assertAlmostEqual(at[100.0], -3.01, delta=0.05)
        self.assertAlmostEqual(at[2000.0], 6.0, delta=0.02)
        np.testing.assert_allclose(told["db"], np.add(told["steps"]["b"], told["steps"]["h"]), atol=0.02)

    def test_balance_is_measured_before_and_after(self) -> None:
        node = self.get(f"{HERE}/sounds/{self.named('gear take')['id']}")["node"]
        found = self.post(f"{HERE}/mend/levels", {"node": node, "chain": [{"kind": "width", "id": "w", "params": {"balance_db": 2.0}}]})
        self.assertAlmostEqual(found[1]["balance_lu"] - found[0]["balance_lu"], 2.0, delta=0.05)
        mono = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")["node"]
        self.assertIsNone(self.post(f"{HERE}/mend/levels", {"node": mono, "chain": []})[0]["balance_lu"])

    def test_what_was_found_is_listed_in_the_time_of_the_sound(self) -> None:
        take = np.zeros((3 * RATE, 1), np.float32)
        take[:, 0] = 0.05 * np.sin(2 * np.pi * 300 * np.arange(3 * RATE) / RATE)
        take[round(1.5 * RATE)] += 0.6
        files.write(self.folder / "clicked.wav", take, RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "clicked.wav")]}))
        node = self.get(f"{HERE}/sounds/{self.named('clicked')['id']}")["node"]
        clicks = {"kind": "clicks", "id": "c", "params": {}}
        trim = {"kind": "trim", "id": "t", "params": {"start_s": 1.0}}
        for chain in ([clicks], [trim, clicks]):
            [one] = self.post(f"{HERE}/mend/listed", {"node": node, "chain": chain})
            with self.subTest(chain=len(chain)):
                self.assertAlmostEqual(one["at_s"], 1.5, delta=0.002)
                self.assertGreater(one["height_db"], 10)
        self.assertEqual(self.post(f"{HERE}/mend/listed", {"node": node, "chain": [SOFTER]}), [])


if __name__ == "__main__":
    unittest.main()
