"""Gather over the API: search, describing in bulk, what a library keeps, files out, and every refusal in one sentence."""

import io
import json
import time
import unittest

import numpy as np
import soundfile as sf

from oskren.core.audio import files
from oskren.core.measure.levels import db
from tests.api.test_api import HERE, Running
from tests.support import RATE, noise, sine, struck


def wanted(**more: object) -> dict[str, object]:
    return {"q": "", "facets": {}, **more}


class Asking(Running):
    def search(self, q: str = "", **more: object):  # type: ignore[no-untyped-def]
        return self.post(f"{HERE}/search", wanted(q=q, **more))

    def test_the_search_is_given_back_as_it_was_understood(self) -> None:
        page = self.search("hit where rate is 96 kHz and not tag slow")
        self.assertEqual([row["name"] for row in page["rows"]], ["brass hit"])
        self.assertEqual(page["text"], "hit where rate is 96 kHz and not tag is slow")
        self.assertEqual(page["search"]["conditions"][1], {"field": "tag", "how": "is", "values": ["slow"], "inverted": True})
        built = self.post(f"{HERE}/search/text", page["search"])
        self.assertEqual(built["title"], page["text"])

    def test_facets_narrow_and_count(self) -> None:
        page = self.search(facets={"rate": ["48000"]})
        self.assertEqual({row["rate"] for row in page["rows"]}, {48_000})
        self.assertEqual(page["facets"]["rate"]["96000"], 1)
        self.assertTrue(all(count for values in page["facets"].values() for count in values.values()))

    def test_like_another_comes_itself_first(self) -> None:
        number = self.named("glass hit")["id"]
        page = self.search(like=number)
        self.assertEqual(page["rows"][0]["id"], number)
        order = [row["name"] for row in page["rows"]]
        self.assertLess(order.index("brass hit"), order.index("gear take"))

    def test_bulk_edit_undo_and_redo(self) -> None:
        done = self.post(f"{HERE}/edit", {"all_of": wanted(q="hit"), "change": {"add_tags": "struck", "mark": "sky"}})
        self.assertEqual(done["count"], 2)
        self.assertEqual(self.search("where mark sky")["total"], 2)
        self.assertIn("2 sounds", self.post(f"{HERE}/edit/undo", {})["title"])
        self.assertEqual(self.search("where mark sky")["total"], 0)
        self.post(f"{HERE}/edit/redo", {})
        self.assertEqual(self.search("struck")["total"], 2)
        self.post(f"{HERE}/edit/undo", {})

    def test_sets_and_saved_searches(self) -> None:
        first, second = self.named("glass hit")["id"], self.named("brass hit")["id"]
        number = self.post(f"{HERE}/sets", {"name": "pair", "ids": [first, second]})["id"]
        self.client.patch(f"{HERE}/sets/{number}", json={"ids": [second], "before": first, "take_out": []}).raise_for_status()
        page = self.search(facets={"set": [str(number)]}, sort=f"set:{number}")
        self.assertEqual([row["id"] for row in page["rows"]], [second, first])
        self.client.patch(f"{HERE}/sets/{number}", json={"name": "renamed", "take_out": [first]}).raise_for_status()
        self.assertEqual(self.get(f"{HERE}/sets"), [{"id": number, "name": "renamed", "sounds": 1}])
        self.client.delete(f"{HERE}/sets/{number}").raise_for_status()
        kept = self.post(f"{HERE}/searches", {"name": "hits", "asked": {"q": "hit"}})["id"]
        self.post(f"{HERE}/searches", {"name": "hits", "asked": {"q": "hit where length under 2 s"}})
        self.assertEqual([(one["id"], one["asked"]["q"]) for one in self.get(f"{HERE}/searches")], [(kept, "hit where length under 2 s")])
        self.client.delete(f"{HERE}/searches/{kept}").raise_for_status()

    def test_the_tree(self) -> None:
        self.client.put(f"{HERE}/categories", json={"path": "Hand made/Thing", "code": "HMT", "words": ["zorb"]}).raise_for_status()
        paths = {one["path"]: one for one in self.get(f"{HERE}/categories")}
        self.assertEqual((paths["Hand made/Thing"]["code"], paths["Hand made"]["sounds"]), ("HMT", 0))
        self.client.patch(f"{HERE}/sounds/{self.named('gear take')['id']}", json={"category": "Hand made/Thing"}).raise_for_status()
        self.assertEqual(self.post(f"{HERE}/categories/move", {"path": "Hand made", "to": "Made"})["count"], 1)
        self.assertIn("Made,Thing", self.client.get(f"{HERE}/categories.csv").text)
        self.assertEqual(self.post(f"{HERE}/categories.csv", {"csv": "category,code\nMade,MD\nNewer,NW\n"})["count"], 2)
        self.assertEqual(self.post(f"{HERE}/categories/remove", {"path": "Made", "instead": "Mechanism"})["count"], 1)
        self.assertEqual(self.named("gear take")["category"], "Mechanism")

    def test_chains_on_the_audition(self) -> None:
        chain = [{"kind": "gain", "params": {"gain_db": -6.0}, "id": "g"}]
        number = self.post(f"{HERE}/chains", {"name": "softer", "chain": chain})["id"]
        saved = next(one for one in self.get(f"{HERE}/chains") if one["id"] == number)
        sound = self.named("glass hit")["id"]
        plain, through = (self.post(f"{HERE}/open", {"sound": sound, "chain": steps}) for steps in ([], saved["chain"]))
        blocks = [
            np.frombuffer(self.client.get(f"/api/heard/{one['digest']}/block", params={"start": 0, "frames": 4800}).content, np.float32)
            for one in (plain, through)
        ]
        np.testing.assert_allclose(blocks[1], blocks[0] * 10 ** (-6 / 20), atol=1e-6)
        self.client.delete(f"{HERE}/documents/saved_chain/{number}").raise_for_status()

    def test_channels_are_named_and_folded(self) -> None:
        files.write(self.folder / "wide" / "hall ambix.wav", noise(0.5, -20, channels=4), RATE, 24)
        files.write(self.folder / "wide" / "many.wav", noise(0.5, -20, channels=16, seed=2), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "wide")]}))
        opened = self.post(f"{HERE}/open", {"sound": self.named("hall ambix")["id"]})
        self.assertEqual((opened["layout"], opened["lanes"], opened["fold"][1]), ("ambix", ["W", "Y", "Z", "X"], [0.5, -0.5]))
        many = self.post(f"{HERE}/open", {"sound": self.named("many")["id"]})
        self.assertEqual((many["layout"], len(many["lanes"]), len(many["fold"])), ("unknown 16", 16, 16))
        refused = self.client.post(f"{HERE}/open", json={"sound": self.named("many")["id"], "chain": [{"kind": "layout", "params": {"layout": "5.1"}}]})
        if refused.status_code == 200:
            refused = self.client.get(f"/api/heard/{refused.json()['digest']}/block", params={"start": 0, "frames": 100})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("say which layout", refused.json()["sentence"])
        for axis in ("log", "mel", "linear"):
            picture = self.client.get(
                f"/api/heard/{opened['digest']}/spectrogram", params={"start": 0, "end": opened["frames"], "width": 50, "height": 40, "axis": axis}
            )
            self.assertEqual(len(picture.content), 2000)

    def test_many_channels_on_headphones(self) -> None:
        files.write(self.folder / "round" / "corner.wav", np.pad(noise(0.5, -20), ((0, 0), (3, 0))), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "round")]}))
        opened = self.post(f"{HERE}/open", {"sound": self.named("corner")["id"]})
        self.assertEqual((opened["layout"], opened["channels"]), ("quad", 4))

        def heard(**more: object) -> np.ndarray:
            block = self.client.get(f"/api/heard/{opened['digest']}/block", params={"start": 2000, "frames": 8000, **more})
            return np.frombuffer(block.content, np.float32)

        both = heard(ears=True).reshape(-1, 2)
        self.assertEqual((len(heard()), len(both)), (4 * 8000, 8000))
        # the right one behind: louder and sooner on the right
        self.assertGreater(db(float(both[:, 1].std() / both[:, 0].std())), 6.0)
        self.assertEqual(float(np.abs(heard(ears=True, silent=[3])).max()), 0.0)
        np.testing.assert_array_equal(heard(ears=True, silent=[0, 1]).reshape(-1, 2), both)

    def test_a_spectrogram_shows_a_tone_where_its_axis_says(self) -> None:
        files.write(self.folder / "axis" / "tone.wav", sine(5000, 1.0, -6), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "axis")]}))
        opened = self.post(f"{HERE}/open", {"sound": self.named("tone")["id"]})
        places = {
            "linear": 1 - 5000 / 24_000,
            "log": np.log(20_000 / 5000) / np.log(20_000 / 40),
            "mel": 1 - np.log10(1 + 5000 / 700) / np.log10(1 + 20_000 / 700),
        }
        for axis, share in places.items():
            raw = self.client.get(
                f"/api/heard/{opened['digest']}/spectrogram", params={"start": 0, "end": opened["frames"], "width": 20, "height": 200, "axis": axis}
            ).content
            picture = np.frombuffer(raw, np.uint8).reshape(200, 20)
            with self.subTest(axis=axis):
                self.assertAlmostEqual(int(np.argmax(picture[:, 10])) / 200, share, delta=0.02)
                self.assertAlmostEqual(picture[:, 10].max() / 255 * 108 - 108, -6, delta=1.5)

    def test_a_sound_or_its_part_as_a_file(self) -> None:
        number = self.named("gear take")["id"]
        raw = self.client.get(f"{HERE}/sounds/{number}/file", params={"heard": json.dumps({"part": [1.0, 1.5]})})
        samples, rate = sf.read(io.BytesIO(raw.content), dtype="float32", always_2d=True)
        whole, _ = files.read(self.folder / "in" / "gear take.wav")
        np.testing.assert_allclose(samples, whole[RATE : RATE + RATE // 2], atol=2**-22)
        self.assertIn("gear take, 1.00 to 1.50 s.wav", raw.headers["content-disposition"].replace("%20", " ").replace("%2C", ","))
        self.assertEqual(rate, RATE)

    def test_the_hand_over_folder(self) -> None:
        settings = self.get(f"{HERE}/settings")
        target = self.folder / "handed"
        self.client.put(f"{HERE}/settings", json={**settings, "hand_over": str(target), "pinned": ["/a"]}).raise_for_status()
        result = self.finish(self.client.post(f"{HERE}/export", json={"ids": [self.named("glass hit")["id"]]}))
        self.assertEqual([path.name for path in target.iterdir()], ["glass hit.wav"])
        self.assertEqual(result["failed"], [])
        self.assertEqual(self.get(f"{HERE}/settings")["pinned"], ["/a"])

    def test_watching_over_the_api(self) -> None:
        files.write(self.folder / "watched" / "reed snap.wav", struck(0.2, seed=91), RATE, 24)
        found = self.finish(self.client.post(f"{HERE}/watched", json={"path": str(self.folder / "watched")}))
        self.assertEqual((found["new"], found["missing"]), (1, 0))
        (self.folder / "watched" / "reed snap.wav").unlink()
        found = self.finish(self.client.post(f"{HERE}/watched/rescan", params={"path": str(self.folder / "watched")}))
        self.assertEqual(found["missing"], 1)
        self.assertTrue(self.named("reed snap")["missing"])
        self.assertEqual(self.search("where missing yes")["total"], 1)
        self.client.delete(f"{HERE}/watched", params={"path": str(self.folder / "watched")}).raise_for_status()
        self.assertEqual(self.get(f"{HERE}/watched"), [])

    def test_projects_and_where_a_sound_is_used(self) -> None:
        project = self.post(f"{HERE}/projects", {"name": "Second"})["id"]
        facts = self.get(f"{HERE}/sounds/{self.named('brass hit')['id']}")
        mix = {"kind": "mix", "members": [{"node": facts["node"], "name": "brass"}]}
        self.post(f"{HERE}/designs", {"name": "Struck", "mix": mix, "project": project})
        self.assertEqual(self.get(f"{HERE}/sounds/{facts['id']}/uses")[0]["project"], "Second")
        self.assertEqual(self.search("where used elsewhere")["total"], 1)
        self.assertEqual(self.search("where used here", project=project)["total"], 1)
        counted = self.client.put(f"{HERE}/projects/{project}/settings", json={"frame_rate": "59.94 drop"}).json()
        self.assertEqual(counted, {"id": project, "name": "Second", "frame_rate": "59.94 drop"})
        self.assertEqual([one["frame_rate"] for one in self.get(f"{HERE}/projects")], ["25", "59.94 drop"])
        for number, rate, status in ((project, "26", 422), (project + 1, "25", 404)):
            answer = self.client.put(f"{HERE}/projects/{number}/settings", json={"frame_rate": rate})
            self.assertEqual(answer.status_code, status)
            self.assertTrue(answer.json()["sentence"])

    def test_anchors_proposed_anew(self) -> None:
        number = self.named("brass hit")["id"]
        self.client.patch(f"{HERE}/sounds/{number}", json={"anchor_s": 0.4, "anchor_kind": "top"}).raise_for_status()
        self.assertEqual(self.finish(self.client.post(f"{HERE}/anchors", json={"ids": [number]}))["changed"], 1)
        row = self.named("brass hit")
        self.assertEqual((row["anchor_kind"], round(row["anchor_s"], 2)), ("hit", 0.0))

    def test_trash_and_backup(self) -> None:
        files.write(self.folder / "rubbish" / "rubbish.wav", struck(0.2, seed=77), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "rubbish")]}))
        number = self.named("rubbish")["id"]
        self.post(f"{HERE}/edit", {"ids": [number], "change": {"trashed": True}})
        self.assertEqual(self.search("rubbish")["total"], 0)
        self.assertEqual(self.search("rubbish", trash=True)["total"], 1)
        emptied = self.post(f"{HERE}/trash/empty", {})
        self.assertEqual((emptied["gone"], emptied["stays"]), (1, []))
        kept = self.finish(self.client.post(f"{HERE}/backup", json={"folder": str(self.folder / "kept")}))
        restored = self.post("/api/libraries/restore", {"path": kept["path"], "name": "From backup"})
        self.assertEqual(restored["sounds"], self.search()["total"])

    def test_slower_measures_come_by_themselves(self) -> None:
        number = self.named("glass hit")["id"]
        for _ in range(200):
            if self.get(f"{HERE}/sounds/{number}")["measures"]["bandwidth_hz"]:
                return
            time.sleep(0.05)
        self.fail("the bandwidth was never measured")


class Refusals(Running):
    def test_one_sentence_and_never_a_failure_of_the_server(self) -> None:
        refused = [
            ("post", "search", wanted(q="where colour is red")),
            ("post", "search", wanted(q="where length under")),
            ("post", "search", wanted(facets={"colour": ["red"]})),
            ("post", "search", wanted(limit=0)),
            ("post", "search", wanted(like=9999)),
            ("post", "search/text", {"words": "", "conditions": [{"field": "length", "how": "has", "values": ["2"]}]}),
            ("post", "edit", {"ids": [], "change": {"rating": 3}}),
            ("post", "edit", {"ids": [9999], "change": {"rating": 3}}),
            ("post", "edit", {"ids": [1], "change": {"rating": 9}}),
            ("post", "edit", {"ids": [1], "change": {"colour": "red"}}),
            ("post", "categories/move", {"path": "Nowhere", "to": "Here"}),
            ("post", "categories/move", {"path": "Glass", "to": "Glass/Creak/More"}),
            ("post", "categories/remove", {"path": "Nowhere"}),
            ("put", "categories", {"path": "a//b"}),
            ("post", "categories.csv", {"csv": "colour\nred\n"}),
            ("post", "sets", {"name": "x", "ids": [9999]}),
            ("patch", "sets/99", {"ids": [1]}),
            ("delete", "sets/99", None),
            ("post", "chains", {"name": "empty", "chain": []}),
            ("post", "chains", {"name": "bad", "chain": [{"kind": "nothing"}]}),
            ("post", "chains", {"name": "bad", "chain": [{"kind": "gain", "params": {"gain_db": 999}}]}),
            ("put", "fields", {"name": "name", "kind": "text"}),
            ("put", "fields", {"name": "Mood", "kind": "choice", "options": []}),
            ("delete", "fields?name=none", None),
            ("post", "projects", {"name": "First project"}),
            ("post", "watched", {"path": "relative"}),
            ("post", "watched/rescan?path=/nowhere", None),
            ("put", "settings", {"pinned": [], "hand_over": "relative"}),
            ("post", "backup", {"folder": "relative"}),
            ("post", "export", {"ids": []}),
            ("post", "export", {"ids": [1], "folder": "relative"}),
            ("post", "export", {"ids": [1, 2], "heard": {"part": [0.1, 0.2]}}),
            ("get", 'sounds/1/file?heard={"part":[5,1]}', None),
            ("get", 'sounds/1/file?heard={"part":[900,901]}', None),
            ("get", "sounds/1/file?heard=nothing", None),
            ("get", "files.zip?ids=1,9999", None),
            ("get", "files.zip?ids=none", None),
            ("get", "sounds/9999/uses", None),
            ("post", "edit/redo", None),
            ("get", "history/nothing/1", None),
            ("get", "history/design/0", None),
            ("put", f"history/design/{2**64}", {}),
            ("put", "history/design/1", {"past": [{"back": [{"op": "burn", "path": "/"}], "forth": []}]}),
            ("put", "history/design/1", {"stay": -1}),
        ]
        for method, path, body in refused:
            answer = self.client.request(method, f"{HERE}/{path}", json=body)
            with self.subTest(call=f"{method} {path}", body=body):
                if answer.status_code == 200 and "job" in answer.json():
                    number = answer.json()["job"]
                    for _ in range(400):
                        job = next(one for one in self.client.get("/api/jobs").json() if one["id"] == number)
                        if job["state"] != "running":
                            break
                        time.sleep(0.02)
                    self.assertEqual(job["state"], "failed")
                    self.assertTrue(job["message"].endswith(".") and "inside Oskren" not in job["message"], job["message"])
                else:
                    self.assertIn(answer.status_code, (404, 422), answer.text)
                    self.assertTrue(answer.json()["sentence"])
        for path, name in (("/nowhere.zip", ""), (str(self.folder / "in" / "broken.wav"), "Broken")):
            answer = self.client.post("/api/libraries/restore", json={"path": path, "name": name})
            self.assertEqual(answer.status_code, 422, answer.text)


del Running  # its stories are told in test_api; here it only lends its server


if __name__ == "__main__":
    unittest.main()
