"""Recording, the recorder, cards, arrivals, excerpts and the wanted list over the API; every refusal in one sentence."""

import base64
import time
import unittest

import numpy as np

from oskren.core.audio import files
from oskren.demo.field import picture
from tests.api.test_api import HERE, Running
from tests.support import PATIENCE_S, RATE, noise, struck


class Sessions(Running):
    def test_takes_of_a_session_share_its_notes(self) -> None:
        arrival = self.post(f"{HERE}/arrivals", {"name": "Morning", "notes": {"place": "Reed beds", "weather": "drizzle"}})["id"]
        for number in (1, 2):
            body = {"name": f"Reeds {number}", "rate": RATE, "channels": 1, "number": number, "arrival": arrival, "note": "wet"}
            take = self.post(f"{HERE}/takes", body)["take"]
            self.client.post(f"/api/takes/{take}/blocks", params={"position": 0}, content=noise(0.3, seed=number).tobytes()).raise_for_status()
            self.client.patch(f"/api/takes/{take}", json={"good": number == 2, "marks": [0.1]}).raise_for_status()
            done = self.post(f"/api/takes/{take}/finish", {})
            self.assertEqual((done["arrival"], done["good"]), (arrival, number == 2))
        self.assertEqual(self.post(f"{HERE}/search", {"q": "drizzle where tag good"})["total"], 1)
        [shown] = self.get(f"{HERE}/arrivals", only=arrival)
        self.assertEqual((shown["name"], shown["sounds"], shown["notes"]["place"]), ("Morning", 2, "Reed beds"))
        facts = self.get(f"{HERE}/sounds/{done['sound']}")
        self.assertEqual((facts["arrival"], facts["noted"]["weather"], facts["notes"]), (arrival, "drizzle", "wet"))
        kept = self.client.patch(f"{HERE}/arrivals/{arrival}", json={"name": "Noon", "notes": {"place": "Harbour", "weather": ""}}).json()
        self.assertEqual(kept["sounds"], 2)
        self.assertEqual(self.post(f"{HERE}/search", {"q": "drizzle"})["total"], 0)

    def test_photos_are_shown_and_nothing_else_of_the_folder(self) -> None:
        arrival = self.get(f"{HERE}/arrivals")[0]["id"]
        data = picture(20, 12)
        [photo] = self.client.post(f"{HERE}/arrivals/{arrival}/photos", files=[("files", ("shore.png", data, "image/png"))]).json()
        answer = self.client.get(f"{HERE}/photos/{photo['file']}")
        self.assertEqual((answer.content, answer.headers["content-type"]), (data, "image/png"))
        for name in ("..%2Flibrary.db", "%2E%2E%2Ftitle", "none.png"):
            self.assertEqual(self.client.get(f"{HERE}/photos/{name}").status_code, 404)
        self.client.delete(f"{HERE}/arrivals/{arrival}/photos", params={"file": photo["file"]}).raise_for_status()
        self.assertEqual(self.client.get(f"{HERE}/photos/{photo['file']}").status_code, 404)

    def test_an_excerpt_is_heard_and_exported_like_any_sound(self) -> None:
        sound = self.named("gear take")
        [number] = self.post(f"{HERE}/sounds/{sound['id']}/excerpts", {"parts": [{"start_s": 1.0, "end_s": 1.5}], "tags": "select"})["ids"]
        [listed] = self.get(f"{HERE}/sounds/{sound['id']}/excerpts")
        self.assertEqual((listed["id"], listed["start_s"], listed["end_s"]), (number, 1.0, 1.5))
        facts = self.get(f"{HERE}/sounds/{number}")
        self.assertEqual((facts["kind"], facts["cut_from"], facts["tags"].split()[-1]), ("excerpt", sound["id"], "select"))
        whole = self.heard(self.get(f"{HERE}/sounds/{sound['id']}")["now"])
        np.testing.assert_array_equal(self.heard(facts["now"]), whole[RATE : RATE + RATE // 2])
        out = self.folder / "excerpts out"
        result = self.finish(self.client.post(f"{HERE}/export", json={"ids": [number], "folder": str(out)}))
        self.assertEqual(files.probe(out / result["files"][0].split("/")[-1]).frames, RATE // 2)


class Recorder(Running):
    def test_a_morning_with_the_recorder(self) -> None:
        kit = self.get("/api/recorder/kit")
        self.assertGreaterEqual(len(kit["props"]), 5)
        self.assertFalse(self.get("/api/recorder")["on"])
        on = self.client.patch("/api/recorder", json={"on": True, "place": "glasshouse", "gain_db": 30, "distance_m": 0.5, "low_cut": True}).json()
        self.assertEqual((on["on"], on["place"], on["gain_db"], on["low_cut"], on["shield"]), (True, "glasshouse", 30.0, True, False))
        begun = self.post("/api/recorder/start", {})
        self.assertEqual((begun["recording"], begun["files"]), ("T0001.WAV", []))
        self.post("/api/recorder/play", {"prop": "glass", "effort": 0.8})
        self.until(lambda view: view["seconds"] > 0.5 and max(view["held"]) > 0.02)
        heard = self.get("/api/recorder/heard", since=0)
        samples = np.frombuffer(base64.b64decode(heard["samples"]), np.float32)
        self.assertGreater(np.abs(samples).max(), 0.02)
        done = self.post("/api/recorder/stop", {})
        [file] = done["files"]
        self.assertGreater(file["seconds"], 0.5)
        cleared = self.client.patch("/api/recorder", json={"clear_meter": True}).json()
        self.assertLess(max(cleared["held"]), max(done["held"]))
        look = self.post(f"{HERE}/card", {"template": "{place} {number:2}", "place": "Glasshouse"})
        self.assertEqual([take["name"] for take in look["takes"]], ["Glasshouse 01"])
        result = self.finish(self.client.post(f"{HERE}/offload", json={"template": "{place} {number:2}", "notes": {"place": "Glasshouse"}}))
        self.assertEqual((result["copied"], result["verified"], result["failed"]), (1, 1, []))
        self.assertEqual(self.named("Glasshouse 01")["seconds"], file["seconds"])
        self.assertTrue(self.post(f"{HERE}/card", {})["takes"][0]["known"])
        self.assertEqual(self.post("/api/recorder/erase", {})["files"], [])
        self.client.patch("/api/recorder", json={"on": False}).raise_for_status()
        self.assertFalse(self.get("/api/recorder")["on"])

    def until(self, ready) -> None:  # type: ignore[no-untyped-def]
        deadline = time.monotonic() + PATIENCE_S
        while not ready(self.get("/api/recorder", files=False)):
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.02)


class Wanting(Running):
    def test_a_list_is_written_answered_and_saved(self) -> None:
        ids = self.post(f"{HERE}/wanted", [{"what": "glass hits", "how_many": 2, "priority": 1}, {"what": "thunder"}])["ids"]
        listed = self.get(f"{HERE}/wanted")
        self.assertEqual([entry["what"] for entry in listed["entries"]], ["glass hits", "thunder"])
        self.assertEqual(listed["entries"][0]["search"], "glass hit")
        best = self.get(f"{HERE}/wanted/{ids[0]}/suggestions")[0]
        self.assertEqual(best["sound"]["name"], "glass hit")
        self.post(f"{HERE}/wanted/{ids[0]}/answers", {"items": [best["sound"]["id"]]})
        self.client.patch(f"{HERE}/wanted/{ids[1]}", json={"state": "to record", "notes": "from the tower"}).raise_for_status()
        listed = self.get(f"{HERE}/wanted")
        self.assertEqual([entry["state"] for entry in listed["entries"]], ["found", "to record"])
        self.assertEqual(listed["progress"]["found"], 1)
        table = self.client.get(f"{HERE}/wanted.csv").text
        self.assertIn("glass hits,2,must,found,,glass hit", table)
        project = self.post(f"{HERE}/projects", {"name": "Trailer"})["id"]
        self.assertEqual(len(self.client.post(f"{HERE}/wanted.csv", params={"project": project}, json={"csv": table}).json()["ids"]), 2)
        self.client.delete(f"{HERE}/wanted/{ids[1]}").raise_for_status()
        self.client.delete(f"{HERE}/wanted/{ids[0]}/answers", params={"kind": "sound", "item": best["sound"]["id"]}).raise_for_status()
        self.assertEqual([len(entry["answers"]) for entry in self.get(f"{HERE}/wanted")["entries"]], [0])


class RefusedThere(Running):
    def test_every_refusal_is_one_sentence(self) -> None:
        take = self.post(f"{HERE}/takes", {"name": "x", "rate": RATE, "channels": 1})["take"]
        self.client.patch("/api/recorder", json={"on": True}).raise_for_status()
        refused = [
            ("post", f"{HERE}/takes", {"name": "", "rate": RATE, "channels": 1}),
            ("post", f"{HERE}/takes", {"name": "x", "rate": 5, "channels": 1}),
            ("post", f"{HERE}/takes", {"name": "x", "rate": RATE, "channels": 40}),
            ("post", f"{HERE}/takes", {"name": "x", "rate": RATE, "channels": 1, "bits": 8}),
            ("post", f"{HERE}/takes", {"name": "x", "rate": RATE, "channels": 1, "started": "../../elsewhere"}),
            ("post", "/api/takes/take-9999/blocks?position=0", None),
            ("post", f"/api/takes/{take}/blocks?position=5", None),
            ("post", f"/api/takes/{take}/blocks?position=-1", None),
            ("patch", "/api/takes/take-9999", {"note": "x"}),
            ("patch", f"/api/takes/{take}", {"colour": "red"}),
            ("post", "/api/takes/take-9999/finish", {}),
            ("post", f"/api/takes/{take}/finish", {}),
            ("patch", "/api/recorder", {"gain_db": 500}),
            ("patch", "/api/recorder", {"place": "moon"}),
            ("patch", "/api/recorder", {"volume": 3}),
            ("post", "/api/recorder/play", {"prop": "kazoo"}),
            ("post", "/api/recorder/play", {"prop": "glass", "effort": 7}),
            ("post", "/api/recorder/stop", {}),
            ("get", "/api/recorder/heard?since=-1", None),
            ("post", f"{HERE}/card", {"folder": "/no/such/card"}),
            ("post", f"{HERE}/card", {"folder": "relative"}),
            ("post", f"{HERE}/card", {"template": "{colour}"}),
            ("post", f"{HERE}/offload", {"folder": "/no/such/card"}),
            ("post", f"{HERE}/offload", {"template": "{"}),
            ("patch", f"{HERE}/arrivals/999", {"notes": {"place": "x"}}),
            ("patch", f"{HERE}/arrivals/1", {"notes": {"mood": "x"}}),
            ("delete", f"{HERE}/arrivals/1/photos?file=none.png", None),
            ("post", f"{HERE}/sounds/1/excerpts", {"parts": []}),
            ("post", f"{HERE}/sounds/1/excerpts", {"parts": [{"start_s": 2, "end_s": 1}]}),
            ("post", f"{HERE}/sounds/999/excerpts", {"parts": [{"start_s": 0, "end_s": 1}]}),
            ("get", f"{HERE}/sounds/999/excerpts", None),
            ("post", f"{HERE}/wanted", []),
            ("post", f"{HERE}/wanted", [{"what": ""}]),
            ("post", f"{HERE}/wanted", [{"what": "x", "state": "nearly"}]),
            ("post", f"{HERE}/wanted", [{"what": "x", "how_many": 0}]),
            ("patch", f"{HERE}/wanted/999", {"state": "done"}),
            ("post", f"{HERE}/wanted/999/answers", {"items": [1]}),
            ("get", f"{HERE}/wanted/999/suggestions", None),
            ("delete", f"{HERE}/wanted/999", None),
            ("post", f"{HERE}/wanted.csv", {"csv": "name\nglass\n"}),
            ("post", f"{HERE}/edit", {"ids": [1], "change": {"naming": "{colour}"}}),
        ]
        for method, path, body in refused:
            answer = self.client.request(method, path, json=body)
            with self.subTest(call=f"{method} {path}", body=body):
                self.assertIn(answer.status_code, (404, 422), answer.text)
                self.assertTrue(answer.json()["sentence"].endswith("."), answer.text)
        answer = self.client.post(f"{HERE}/arrivals/1/photos", files=[("files", ("song.mp3", b"ID3....", "audio/mpeg"))])
        self.assertEqual(answer.status_code, 422)
        self.assertIn("song.mp3", answer.json()["sentence"])

    def test_an_empty_card_and_one_of_notes_alone(self) -> None:
        card = self.folder / "paper card"
        card.mkdir()
        (card / "notes.txt").write_text("nothing recorded")
        look = self.post(f"{HERE}/card", {"folder": str(card)})
        self.assertEqual((look["takes"], len(look["skipped"])), ([], 1))
        result = self.finish(self.client.post(f"{HERE}/offload", json={"folder": str(card)}))
        self.assertEqual((result["copied"], result["arrival"]), (0, 0))
        files.write(card / "one.wav", struck(0.2), RATE, 24)
        self.assertEqual(self.finish(self.client.post(f"{HERE}/offload", json={"folder": str(card)}))["copied"], 1)


del Running  # its stories are told in test_api; here it only lends its server


if __name__ == "__main__":
    unittest.main()
