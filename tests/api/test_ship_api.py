"""Ship over HTTP: what a sheet is heard as, numbers that stay, ready sheets, where a file comes from, work that rests, clusters that are not there."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files, metadata
from oskren.core.ship.manifest import NAME
from tests.api.test_api import HERE, Running


class Ship(Running):
    @property
    def out(self) -> Path:
        return Path(self.folder / self._testMethodName)

    def sheet(self, **values: Any) -> dict[str, Any]:
        sounds = [self.named(name)["id"] for name in ("glass hit", "brass hit")]
        return {"name": "s", "sounds": sounds, "targets": [{"template": "{number:2} {name}"}], "folder": str(self.out), **values}

    def shipped(self, sheet: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
        started = self.client.post(f"{HERE}/ship", json=sheet)
        self.finish(started)
        return started.json(), self.get(f"{HERE}/shipments/{started.json()['id']}")

    def test_a_file_is_heard_before_and_after_it_is_written(self) -> None:
        sheet = self.sheet(targets=[{"template": "{name}", "peak_dbfs": -6.0}, {"name": "small", "format": "ogg", "template": "small/{name}"}])
        before = self.post(f"{HERE}/ship/heard", {**sheet, "show": 1})
        meant = self.heard(before["meant"])
        self.assertAlmostEqual(float(np.abs(meant).max()), 10 ** (-6 / 20), delta=1e-4)
        started, _ = self.shipped(sheet)
        for path in ("brass hit.wav", "small/brass hit.ogg"):
            after = self.post(f"{HERE}/shipments/{started['id']}/heard", {"path": path})
            written = self.heard(after["written"])
            on_disk, _ = files.read(self.out / path)
            np.testing.assert_array_equal(written, on_disk)
            self.assertEqual(len(self.heard(after["meant"])), len(written))
        self.assertEqual(self.client.post(f"{HERE}/shipments/{started['id']}/heard", json={"path": "other.wav"}).status_code, 404)
        self.assertEqual(self.client.post(f"{HERE}/ship/heard", json={**sheet, "show": 99}).status_code, 404)
        # what is only listened to is no sound of the library
        self.assertEqual(len(self.get(f"{HERE}/sounds")["rows"]), self.get(f"{HERE}/sounds")["total"])

    def test_numbers_stay_and_each_token_says_what_it_gives(self) -> None:
        sheet = self.sheet()
        given = self.post(f"{HERE}/ship/tokens", {**sheet, "show": 1})
        self.assertEqual((given["number"], given["name"], given["place"]), ("2", "brass hit", "1"))
        placed = {**sheet, "targets": [{"template": "x/{place}"}], "show": 1}
        self.assertEqual(self.post(f"{HERE}/ship/tokens", placed)["place"], "2")
        shown = self.post(f"{HERE}/ship/preview", sheet)
        self.assertEqual([one["name"] for one in shown["items"]], ["glass hit", "brass hit"])
        started, view = self.shipped(sheet)
        self.assertEqual(started["counted"], {f"sounds/{id}": {"number": place} for place, id in enumerate(sheet["sounds"])})
        self.assertEqual({one["why"] for one in view["reports"]}, {"it is new"})
        left = {**sheet, "sounds": sheet["sounds"][1:], "counted": started["counted"]}
        _, again = self.shipped(left)
        self.assertEqual((again["unchanged"], again["reports"][0]["why"]), (["02 brass hit.wav"], "nothing of it changed"))
        _, changed = self.shipped({**left, "targets": [{"template": "{number:2} {name}", "peak_dbfs": -3.0}]})
        self.assertEqual(changed["reports"][0]["why"], "its target changed")

    def test_the_manifest_says_where_files_come_from_and_how_they_were_made(self) -> None:
        glass = self.named("glass hit")
        self.client.patch(f"{HERE}/sounds/{glass['id']}", json={"rights": "recorded by us"})
        layer = self.client.get(f"{HERE}/stack/layer", params={"sound": glass["id"]}).json()
        design = self.post(f"{HERE}/designs", {"name": "Bench", "mix": {"members": [layer]}})
        version = self.post(f"{HERE}/designs/{design['id']}/versions", {"name": "first", "notes": "with the rim", "mix": {"members": [layer]}})
        sheet = self.sheet(sounds=[], designs=[design["id"]], versions=[version["id"]], given={"rights": "ours", "artist": "The glassworks"})
        preview = self.post(f"{HERE}/ship/preview", sheet)
        self.assertEqual([one["path"] for one in preview["files"]], ["01 Bench.wav", "02 Bench, first.wav"])
        self.assertNotIn("rights", [one["what"] for one in preview["noted"]])
        self.shipped(sheet)
        told = {one["path"]: one for one in json.loads((self.out / NAME).read_text())["files"]}
        self.assertEqual(told["01 Bench.wav"]["made"], {"design": "Bench"})
        self.assertEqual(told["02 Bench, first.wav"]["made"], {"design": "Bench", "version": "first"})
        (source,) = told["01 Bench.wav"]["sources"]
        self.assertEqual((source["name"], source["rights"], Path(source["file"]).name), ("glass hit", "recorded by us", "glass hit.wav"))
        says = metadata.read(self.out / "02 Bench, first.wav", 48_000)
        self.assertEqual((says.rights, says.artist, says.description), ("ours", "The glassworks", "with the rim"))
        # with its design a version leaves every sheet, and comes back
        self.client.put(f"{HERE}/sheets/1", json={"versions": [version["id"]], "targets": sheet["targets"]})
        self.client.delete(f"{HERE}/documents/design/{design['id']}")
        self.assertEqual(self.get(f"{HERE}/sheets/1")["sheet"]["versions"], [])
        self.client.post(f"{HERE}/documents/design/{design['id']}/back")
        self.assertEqual(self.get(f"{HERE}/sheets/1")["sheet"]["versions"], [version["id"]])

    def test_ready_sheets_are_kept_used_and_handed_on(self) -> None:
        ready = {"name": "Engine / small", "targets": [{"name": "game", "format": "ogg", "rules": {"strict": True}}], "given": {"rights": "ours"}}
        kept = self.post(f"{HERE}/ready-sheets", ready)
        self.assertEqual(kept["targets"], ["game"])
        got = self.get(f"{HERE}/ready-sheets/{kept['id']}")
        self.assertTrue(got["targets"][0]["rules"]["strict"])
        file = self.client.get(f"{HERE}/ready-sheets/{kept['id']}/file")
        self.assertIn("Engine%20_%20small.oskren-sheet.json", file.headers["content-disposition"])
        self.assertEqual(self.client.delete(f"{HERE}/documents/ready_sheet/{kept['id']}").status_code, 200)
        self.assertEqual(self.get(f"{HERE}/ready-sheets"), [])
        sent = {"content": file.text, "headers": {"Content-Type": "text/plain"}}
        loaded = self.client.post(f"{HERE}/ready-sheets/file", **sent)
        self.assertEqual(loaded.json()["name"], "Engine / small")
        self.assertEqual(self.get(f"{HERE}/ready-sheets/{loaded.json()['id']}"), got)
        for wrong in ("{", '{"format": "other", "name": "x", "targets": [{}]}', '{"name": "x", "targets": [{"rate": 3}]}'):
            answer = self.client.post(f"{HERE}/ready-sheets/file", content=wrong, headers={"Content-Type": "text/plain"})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertIn("no ready sheet", answer.json()["sentence"])

    def test_a_shipment_rests_and_goes_on(self) -> None:
        sheet = self.sheet(sounds=[self.named("glass hit")["id"]] * 150)
        started = self.client.post(f"{HERE}/ship", json=sheet)
        number = started.json()["job"]
        paused = self.post(f"/api/jobs/{number}/pause", {"on": True})
        self.assertTrue(paused["paused"])
        done = -1
        while done != self.job(number)["done"]:  # what was begun is finished
            done = self.job(number)["done"]
            time.sleep(1.0)
        self.assertEqual((self.job(number)["state"], self.job(number)["left_s"]), ("running", None))
        self.assertLess(done, 150)
        self.assertEqual(len(list(self.out.glob("*.wav"))), done)
        self.assertFalse(self.post(f"/api/jobs/{number}/pause", {"on": False})["paused"])
        self.assertEqual(self.finish(started)["files"], 150)
        self.assertEqual(sum(one["done"] for one in self.job(number)["workers"]), 150)
        refused = self.client.post(f"/api/jobs/{number}/pause", json={"on": True})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("does not run any more", refused.json()["sentence"])

    def job(self, number: int) -> dict[str, Any]:
        return next(one for one in self.get("/api/jobs") if one["id"] == number)

    def test_a_cluster_that_is_not_there_is_not_chosen(self) -> None:
        answer = self.client.put("/api/cluster", json={"address": "tcp://127.0.0.1:9"})
        self.assertEqual(answer.status_code, 422, answer.text)
        self.assertIn("there is no Dask scheduler", answer.json()["sentence"])
        self.assertEqual(self.get("/api/cluster"), {"address": "", "workers": None})
