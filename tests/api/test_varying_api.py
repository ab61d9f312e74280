"""Vary over the API: freedoms by path, draws that are matched and guarded, recipes by name, families, copies of a sound, what is learnt of a spread."""

import time
from typing import Any

import numpy as np
import pyloudnorm

from tests.api.test_api import HERE
from tests.api.test_stacking_api import OfLayers
from tests.support import RATE


class Varying(OfLayers):
    def setUp(self) -> None:
        self.number = self.design("Hits", self.mix(self.layer("brass hit", role="attack"), self.layer("glass hit", at_s=0.2, role="tail")))["id"]

    def drawn(self, address: str, body: dict[str, Any]) -> dict[str, Any]:
        answer = self.client.post(address, json=body)
        self.finish(answer)
        return self.get(f"{HERE}/spreads/{answer.json()['id']}")  # type: ignore[no-any-return]

    def spread(self, recipe: dict[str, Any] | None = None, count: int = 6, seed: int = 5) -> dict[str, Any]:
        return self.drawn(f"{HERE}/spreads", {"design": self.number, "recipe": recipe, "seed": seed, "count": count})

    def free(self, path: str, **values: Any) -> dict[str, Any]:
        return {"path": f"layers/{path}", "low": 0, "high": 0, **values}

    def ready(self, address: str) -> list[dict[str, Any]]:
        """The variations of a spread, once all of them are rendered."""
        for _ in range(1200):
            draws: list[dict[str, Any]] = self.get(address)["all"]
            if all(one["ready"] for one in draws):
                return draws
            time.sleep(0.05)
        raise AssertionError("they are not rendered")

    def test_all_that_may_be_freed_is_told_and_its_ends_are_heard(self) -> None:
        known = {one["path"]: one for one in self.get(f"{HERE}/designs/{self.number}/freeable")}
        pitch = known["layers/brass hit/pitch_st"]
        self.assertEqual((pitch["how"], pitch["usual"], pitch["control"]["unit"], pitch["owner"]), ("by", [-1, 1], "st", "layers/brass hit"))
        self.assertEqual(known["layers/glass hit/source"]["how"], "source")
        ends = self.post(f"{HERE}/designs/{self.number}/ends", {"freedom": self.free("brass hit/pitch_st", low=-5, high=7), "amount": 0.5})
        self.assertAlmostEqual(ends["low"]["members"][0]["pitch_st"], -2.5, places=3)
        self.assertAlmostEqual(ends["high"]["members"][0]["pitch_st"], 3.5, places=3)
        self.refused(f"{HERE}/designs/{self.number}/ends", {"freedom": self.free("bass/pan", low=-1, high=1)}, "layers are brass hit, glass hit")

    def test_draws_are_as_loud_as_the_design_by_another_meter(self) -> None:
        """pyloudnorm (BS.1770) on what is heard, of a design of more than three seconds."""
        self.number = self.design("Long", self.mix(self.layer("gear take"), self.layer("glass hit", at_s=1.0, gain_db=-6)))["id"]
        free = [self.free("gear take/gain_db", low=-10, high=0, shape="even"), self.free("glass hit/gain_db", low=-8, high=6, shape="even")]
        made = self.spread({"freedoms": free}, 6)
        meter = pyloudnorm.Meter(RATE)
        base = meter.integrated_loudness(self.heard(made["mix"])[::2])
        loud = [meter.integrated_loudness(self.heard(self.get(f"{HERE}/draws/{one['id']}")["mix"])[::2]) for one in made["all"]]
        self.assertIn("integrated", made["matched"])
        self.assertLess(max(loud) - min(loud), 1.05)
        # a design that comes near full scale is matched to what leaves it 3 dB
        wanted = base - max(0.0, 20 * np.log10(np.abs(self.heard(made["mix"])).max()) + 3)
        self.assertTrue(all(abs(one - wanted) < 0.6 for one in loud), (wanted, loud))
        self.assertTrue(any(one["added_db"] for one in made["all"]))
        free_ = self.spread({"freedoms": free, "match": "as drawn"}, 6)
        self.assertEqual(([one["added_db"] for one in free_["all"]], free_["matched"]), ([0] * 6, ""))

    def test_what_breaks_a_guard_is_replaced_by_the_next_number(self) -> None:
        free = [self.free("glass hit/at_s", low=0, high=3, shape="even")]
        made = self.spread({"freedoms": free, "guards": {"longest_s": 2.6, "apart": 0}}, 8)
        self.assertTrue(all(one["seconds"] <= 2.6 for one in made["all"]))
        later = [one for one in made["all"] if one["number"] > 8]
        self.assertTrue(later and all("it lasts" in one["instead_of"] for one in later))
        again = self.spread({"freedoms": free, "guards": {"longest_s": 2.6, "apart": 0}}, 8)
        self.assertEqual([one["number"] for one in again["all"]], [one["number"] for one in made["all"]])
        # where nothing fits the search ends, and says so
        hopeless = self.spread({"freedoms": free, "guards": {"longest_s": 0.1}}, 2)
        self.assertTrue(all("no better one was found" in one["note"] for one in hopeless["all"]))

    def test_what_repeats_another_is_replaced(self) -> None:
        two = [self.free("brass hit/pitch_st", shape="list", values=[-12, 0, 12])]
        made = self.spread({"freedoms": two, "guards": {"apart": 0.1}}, 3)
        self.assertEqual(len({round(one["brightness"]) for one in made["all"]}), 3)
        self.assertEqual(made["alike"], [])
        repeats = self.spread({"freedoms": two, "guards": {"apart": 0}}, 6)
        self.assertGreaterEqual(len(repeats["alike"]), 3)
        self.assertLess(repeats["alike"][0]["apart"], 0.01)

    def test_sources_are_drawn_from_a_search_and_stay(self) -> None:
        made = self.spread({"freedoms": [self.free("brass hit/source", search="hit", shape="list")]}, 8)
        names = {self.get(f"{HERE}/draws/{one['id']}")["mix"]["members"][0]["name"] for one in made["all"]}
        # what was printed by the other tests is found too
        self.assertGreaterEqual(len(names), 2)
        candidates = [one["name"] for one in made["recipe"]["freedoms"][0]["candidates"]]
        self.assertTrue({"brass hit", "glass hit"} <= set(candidates) and names <= set(candidates))
        nothing = {"design": self.number, "seed": 1, "recipe": {"freedoms": [self.free("brass hit/source", search="whale")]}}
        self.refused(f"{HERE}/spreads", nothing, "'whale' finds no sound")

    def test_recipes_are_kept_fitted_and_come_back_from_the_trash(self) -> None:
        free = [self.free("brass hit/pitch_st", low=-3, high=3), self.free("glass hit/gain_db", low=-6, high=0)]
        body = {"name": "heavy", "design": self.number, "recipe": {"freedoms": free}}
        number = self.post(f"{HERE}/recipes", body)["id"]
        self.assertEqual(self.post(f"{HERE}/recipes", body | {"recipe": {"freedoms": free}})["id"], number)
        other = self.design("Other", self.mix(self.layer("glass hit", role="attack") | {"id": "x"}))["id"]
        fits = self.get(f"{HERE}/designs/{other}/recipes/{number}")
        self.assertEqual(([one["path"] for one in fits["recipe"]["freedoms"]], fits["recipe"]["name"]), (["layers/x/pitch_st"], "heavy"))
        self.assertIn("glass hit: no layer here is for that", fits["said"][0])
        self.client.delete(f"{HERE}/documents/recipe/{number}").raise_for_status()
        self.assertEqual(self.client.get(f"{HERE}/designs/{other}/recipes/{number}").status_code, 404)
        self.post(f"{HERE}/documents/recipe/{number}/back", {})
        self.assertIn((number, "heavy", 2), [tuple(one.values()) for one in self.get(f"{HERE}/recipes")])

    def test_a_family_is_drawn_as_one_job_and_printed_with_its_names(self) -> None:
        made = {}
        for name, low, high in (("light", 4, 7), ("heavy", -7, -4)):
            body = {"name": f"{name} blow", "design": self.number, "recipe": {"freedoms": [self.free("brass hit/pitch_st", low=low, high=high)]}}
            made[name] = self.post(f"{HERE}/recipes", body)["id"]
        parts = [{"recipe": made["light"], "count": 2}, {"recipe": made["heavy"], "count": 3}]
        answer = self.client.post(f"{HERE}/families", json={"design": self.number, "seed": 3, "parts": parts})
        self.assertEqual(self.finish(answer)["rendered"], 5)
        spreads = [self.get(f"{HERE}/spreads/{one}") for one in answer.json()["spreads"]]
        self.assertEqual([one["name"] for one in spreads], ["Hits light blow", "Hits heavy blow"])
        self.assertEqual([len(one["all"]) for one in spreads], [2, 3])
        self.assertEqual(spreads[0]["matched"], spreads[1]["matched"])
        for one in spreads:
            judged = {"states": {str(draw["id"]): "kept" for draw in one["all"]}}
            self.client.put(f"{HERE}/spreads/{one['id']}/judged", json=judged).raise_for_status()
        printed = self.post(f"{HERE}/spreads/{spreads[1]['id']}/print", {})
        sounds = [self.get(f"{HERE}/sounds/{one}") for one in printed]
        names = [one["row"]["name"] if "row" in one else one["name"] for one in sounds]
        self.assertEqual(names, ["Hits light blow 01", "Hits light blow 02", "Hits heavy blow 01", "Hits heavy blow 02", "Hits heavy blow 03"])
        self.assertIn("Variation 1 of Hits light blow by the recipe light blow, seed 3.", str(sounds[0]))
        self.refused(f"{HERE}/families", {"design": self.number, "seed": 3, "parts": [{"recipe": 999, "count": 1}]}, "no recipe 999", 404)

    def test_copies_of_a_sound_need_no_design(self) -> None:
        sound = self.named("glass hit")["id"]
        made = self.drawn(f"{HERE}/quick-spreads", {"sound": sound, "count": 5, "amount": 1.0, "seed": 2})
        self.assertEqual((made["name"], made["sound"], made["design"], len(made["all"])), ("glass hit", sound, None, 5))
        loud = [self.get(f"{HERE}/draws/{one['id']}") for one in made["all"]]
        self.assertEqual(len({str(one) for one in loud}), 5)
        self.assertIn("momentary", made["matched"])
        again = self.drawn(f"{HERE}/spreads", {"spread": made["id"], "recipe": made["recipe"], "seed": 2, "count": 5})
        self.assertEqual([self.get(f"{HERE}/draws/{one['id']}") for one in again["all"]], loud)
        self.assertIn("layers/", self.get(f"{HERE}/spreads/{made['id']}/freeable")[0]["path"])
        # a part as it was heard
        part = self.drawn(f"{HERE}/quick-spreads", {"sound": sound, "heard": {"part": [0.0, 0.25]}, "count": 3, "amount": 0})
        self.assertTrue(all(abs(one["seconds"] - 0.25) < 0.02 for one in part["all"]))

    def test_more_around_one_and_between_two(self) -> None:
        free = [self.free("brass hit/pitch_st", low=-8, high=8, shape="even"), self.free("glass hit/at_s", low=0, high=0.4, shape="even")]
        made = self.spread({"freedoms": free, "guards": {"apart": 0}}, 6)
        pitch = {one["id"]: self.get(f"{HERE}/draws/{one['id']}")["mix"]["members"][0]["pitch_st"] for one in made["all"]}
        low, high = min(pitch, key=pitch.__getitem__), max(pitch, key=pitch.__getitem__)
        around = self.drawn(f"{HERE}/spreads/{made['id']}/near", {"draw": low, "seed": 1, "count": 8})
        found = [self.get(f"{HERE}/draws/{one['id']}")["mix"]["members"][0]["pitch_st"] for one in around["all"]]
        self.assertTrue(all(abs(one - pitch[low]) <= 2.01 for one in found), (pitch[low], found))
        # drawn again it goes on from the variation, not from the design
        self.assertTrue(around["alone"])
        again = self.drawn(f"{HERE}/spreads", {"spread": around["id"], "recipe": around["recipe"], "seed": 9, "count": 4})
        self.assertEqual((again["alone"], again["mix"]), (True, around["mix"]))
        between = self.drawn(f"{HERE}/spreads/{made['id']}/near", {"draw": low, "other": high, "seed": 1, "count": 8})
        found = [self.get(f"{HERE}/draws/{one['id']}")["mix"]["members"][0]["pitch_st"] for one in between["all"]]
        self.assertTrue(all(pitch[low] - 0.01 <= one <= pitch[high] + 0.01 for one in found))
        self.assertGreater(max(found) - min(found), 0.5 * (pitch[high] - pitch[low]))
        self.refused(f"{HERE}/spreads/{made['id']}/near", {"draw": 99999, "seed": 1}, "not there any more", 404)

    def test_what_is_learnt_of_a_spread(self) -> None:
        made = self.spread({"freedoms": [self.free("brass hit/pitch_st", low=-12, high=12, shape="even")], "guards": {"apart": 0}}, 9)
        ids = [one["id"] for one in made["all"]]
        self.assertTrue(all(one["place"] is not None and one["described"]["brightness"] for one in made["all"]))
        few = self.get(f"{HERE}/spreads/{made['id']}/most-different", count=3)["draws"]
        self.assertEqual(len(set(few)), 3)
        pitch = [self.get(f"{HERE}/draws/{one}")["mix"]["members"][0]["pitch_st"] for one in few]
        every = [self.get(f"{HERE}/draws/{one}")["mix"]["members"][0]["pitch_st"] for one in ids]
        self.assertGreater(max(pitch) - min(pitch), 0.45 * (max(every) - min(every)))
        told = self.get(f"{HERE}/spreads/{made['id']}/compared", one=ids[0], other=ids[1])
        self.assertEqual([(one["owner"], one["label"], one["unit"]) for one in told["differs"]], [("brass hit", "Pitch", "st")])
        self.assertGreater(told["apart"], 0)
        self.assertEqual(len(told["one_db"]), len(told["octaves_hz"]))
        played = self.post(f"{HERE}/spreads/{made['id']}/repetition", {"how": {"plays": 20, "interval_s": 0.3}})
        self.assertEqual(len(played["moments"]), 20)
        self.assertTrue(all(one["draw"] != two["draw"] for one, two in zip(played["moments"], played["moments"][1:], strict=False)))
        self.assertEqual(len(played["learnt"][0]["falls"]), 8)
        heard = self.heard(played["mix"])
        self.assertGreater(len(heard), 19 * 0.3 * 0.95 * RATE)
        self.assertGreater(float(np.abs(heard[-RATE // 2 :]).max()), 0)
        said = self.post(f"{HERE}/blind", {"right": 9, "of": 10})
        self.assertEqual(round(said["by_guessing"], 4), 0.0107)
        self.assertIn("You hear the difference", said["sentence"])
        self.assertIn("does not show", self.post(f"{HERE}/blind", {"right": 6, "of": 10})["sentence"])

    def test_what_was_dropped_is_drawn_anew_with_numbers_never_tried(self) -> None:
        made = self.spread({"freedoms": [self.free("glass hit/at_s", low=0, high=3, shape="even")], "guards": {"longest_s": 2.6, "apart": 0}}, 6)
        before = {one["number"] for one in made["all"]}
        self.client.put(f"{HERE}/spreads/{made['id']}/judged", json={"states": {str(made["all"][0]["id"]): "dropped"}}).raise_for_status()
        self.finish(self.client.post(f"{HERE}/spreads/{made['id']}/redraw"))
        after = self.get(f"{HERE}/spreads/{made['id']}")
        fresh = {one["number"] for one in after["all"]} - before
        self.assertEqual(len(fresh), 1)
        self.assertGreater(min(fresh), max(before))
        self.assertTrue(all(one["ready"] and one["seconds"] <= 2.6 for one in after["all"]))

    def test_drawing_anew_is_taken_back_and_done_again_like_any_change(self) -> None:
        address = f"{HERE}/spreads/{self.spread({'freedoms': [self.free('glass hit/at_s', low=0, high=3, shape='even')]}, 3)['id']}"
        first = self.get(address)
        id = first["all"][1]["id"]
        dropped = self.client.put(f"{address}/judged", json={**first["judged"], "states": {str(id): "dropped"}}).json()["judged"]
        begun = self.client.post(f"{address}/redraw")
        self.finish(begun)
        anew = begun.json()
        self.assertEqual((anew["judged"]["states"], anew["judged"]["numbers"][str(id)]), ({}, 4))
        for wanted, number, state in ((dropped, 2, "dropped"), (anew["judged"], 4, "unheard")):
            self.client.put(f"{address}/judged?based_on={self.get(address)['revision']}", json=wanted).raise_for_status()
            after = {one["id"]: one for one in self.ready(address)}
            self.assertEqual({one: after[one]["number"] for one in after}, {one["id"]: number if one["id"] == id else one["number"] for one in first["all"]})
            self.assertEqual((after[id]["state"], after[id]["ready"]), (state, True))
        back = self.client.put(f"{address}/judged", json=dropped).json()
        self.assertEqual(back["judged"], dropped)
        same = next(one for one in self.ready(address) if one["id"] == id)
        self.assertEqual((same["seconds"], same["outline"]), (first["all"][1]["seconds"], first["all"][1]["outline"]))

    def test_a_print_of_a_variation_is_measured_for_all_the_library_asks(self) -> None:
        made = self.spread({"freedoms": [self.free("glass hit/gain_db", low=-6, high=0, shape="even")]}, 2)
        self.client.put(f"{HERE}/spreads/{made['id']}/judged", json={"states": {str(made["all"][0]["id"]): "kept"}}).raise_for_status()
        [printed] = self.post(f"{HERE}/spreads/{made['id']}/print", {})
        measures = self.get(f"{HERE}/sounds/{printed}")["measures"]
        for name in ("true_peak_dbtp", "bandwidth_hz", "brightness_hz", "integrated_lufs"):
            self.assertIsNotNone(measures[name], name)
