"""Several windows, undo by whoever acted, drafts that stay, and refusals of every kind in the one shape; over the real API."""

import base64
import io
import json
import os
import sqlite3
import subprocess
import time
import unittest
import unittest.mock
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import soundfile as sf
from fastapi.testclient import TestClient

from oskren.api.app import make_app
from oskren.core import bundle
from oskren.core.audio import files
from oskren.core.measure.levels import db
from tests.api.test_api import HERE, Running
from tests.support import PATIENCE_S, RATE, noise

ONE, OTHER = {"X-Oskren-Page": "one"}, {"X-Oskren-Page": "other"}


class Together(Running):
    def put(self, address: str, body: object, status: int = 200, **query: object):  # type: ignore[no-untyped-def]
        answer = self.client.put(address, json=body, params=query)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def design(self, name: str):  # type: ignore[no-untyped-def]
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("glass hit")["id"]})
        return self.post(f"{HERE}/designs", {"name": name, "mix": {"kind": "mix", "members": [layer]}})

    def test_a_save_based_on_an_older_state_is_refused(self) -> None:
        design = self.design("Two windows")
        here = f"{HERE}/designs/{design['id']}"
        body = {"name": "Two windows", "mix": design["mix"]}
        first = self.put(here, body, based_on=design["revision"])
        self.assertEqual(first["revision"], design["revision"] + 1)
        refused = self.put(here, {**body, "name": "Lost"}, 409, based_on=design["revision"])
        self.assertIn("was changed somewhere else", refused["sentence"])
        self.assertEqual(self.get(here)["name"], "Two windows")
        sound = self.get(f"{HERE}/sounds/{self.named('brass hit')['id']}")
        chain = f"{HERE}/sounds/{sound['id']}/chain"
        kept = self.put(chain, {"chain": [{"kind": "gain", "id": "g", "params": {"gain_db": -2.0}}]}, based_on=sound["revision"])
        self.put(chain, {"chain": []}, 409, based_on=sound["revision"])
        self.assertEqual(len(self.get(f"{HERE}/sounds/{sound['id']}")["chain"]), 1)
        self.put(chain, {"chain": []}, based_on=kept["revision"])
        number = self.named("gear take")["id"]
        plan = self.get(f"{HERE}/plans/{number}")
        self.put(f"{HERE}/plans/{number}", plan["plan"], based_on=plan["revision"])
        self.put(f"{HERE}/plans/{number}", plan["plan"], 409, based_on=plan["revision"])

    def test_other_windows_hear_of_a_change(self) -> None:
        design = self.design("Heard of")
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        with studio.jobs.listening() as told:
            self.client.put(f"{HERE}/designs/{design['id']}", json={"name": "Now", "mix": design["mix"]}, headers=ONE)
            events = []
            while not any(kind == "changed" for kind, _ in events):
                events.append(told.get(timeout=PATIENCE_S))
        (event,) = [data for kind, data in events if kind == "changed"]
        self.assertEqual(event, {"library": "test", "what": "design", "id": design["id"], "page": "one"})

    def test_nudges_that_come_at_once_add_up(self) -> None:
        number = self.named("gear take")["id"]
        before = self.get(f"{HERE}/plans/{number}")["plan"]["slices"][0]
        body = {"edit": {"do": "move", "id": before["id"], "by_s": 0.001}}
        with ThreadPoolExecutor(5) as pool:
            answers = list(pool.map(lambda _: self.client.post(f"{HERE}/plans/{number}/edit", json=body).status_code, range(10)))
        self.assertEqual(answers, [200] * 10)
        after = self.get(f"{HERE}/plans/{number}")["plan"]["slices"][0]
        self.assertAlmostEqual(after["start_s"], before["start_s"] + 0.010, places=6)

    def test_a_reel_without_takes_is_refused_and_stays_readable(self) -> None:
        reel = self.post(f"{HERE}/reels", {"ids": [self.named("gear take")["id"]]})
        here = f"{HERE}/reels/{reel['id']}"
        self.assertIn("needs a take", self.put(here, {"gap_s": 4}, 422)["sentence"])
        self.assertEqual(self.get(here)["reel"], reel["reel"])
        marks = [{"id": 1, "take": self.named("gear take")["id"], "start_s": 1.0, "end_s": 1.4}]
        kept = self.put(here, {**reel["reel"], "chain": [{"kind": "reverse", "id": "r"}], "marks": marks})
        self.assertEqual((len(kept["reel"]["marks"]), kept["reel"]["chain"]), (1, []))
        self.assertIn("changes when things happen", kept["refused"])
        more = [*marks, {**marks[0], "id": 2, "start_s": 2.0, "end_s": 2.5}]
        self.assertEqual(len(self.put(here, {**kept["reel"], "marks": more})["reel"]["marks"]), 2)
        library = self.client.app.state.studio.home.library("test")  # type: ignore[attr-defined]
        with library.writing() as session:
            from oskren.store.tables import ReelRow

            session.get(ReelRow, reel["id"]).reel = {"takes": []}
        self.assertIn("no takes left", self.client.get(here).json()["sentence"])
        self.assertEqual(self.client.get(f"{HERE}/reels").status_code, 200)
        self.assertEqual(self.client.delete(f"{HERE}/documents/reel/{reel['id']}").status_code, 200)


class Undoing(Running):
    def act(self, method: str, path: str, body: object = None, page: dict[str, str] = ONE):  # type: ignore[no-untyped-def]
        answer = self.client.request(method, f"{HERE}/{path}", json=body, headers=page)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_undo_takes_back_the_last_thing_this_page_did(self) -> None:
        number = self.named("gear take")["id"]
        self.act("post", "edit", {"ids": [number], "change": {"add_tags": "loud"}}, OTHER)
        made = self.act("post", f"sounds/{number}/excerpts", {"parts": [{"start_s": 1.0, "end_s": 1.3}]})
        self.assertEqual(made["names"], ["gear take part 01"])
        self.act("put", "categories", {"path": "Brass/Latch"})
        self.act("post", "edit", {"ids": [number], "change": {"category": "Brass/Latch"}})
        self.act("post", "categories/remove", {"path": "Brass"})
        self.assertEqual(self.named("gear take")["category"], "")
        kept = self.act("post", "sets", {"name": "Locks", "ids": [number]})["id"]
        self.act("patch", f"sets/{kept}", {"ids": made["ids"]})
        self.act("delete", f"sets/{kept}")
        undone = [self.act("post", "edit/undo")["title"] for _ in range(7)]
        self.assertEqual(
            undone,
            [
                "the set Locks deleted",
                "1 sound put on the set Locks",
                "the set Locks",
                "the category Brass deleted",
                "category of 1 sound",
                "the category Brass/Latch",
                "gear take part 01 made",
            ],
        )
        self.assertEqual(self.client.post(f"{HERE}/edit/undo", headers=ONE).json()["sentence"], "There is nothing to undo here.")
        names = [row["name"] for row in self.get(f"{HERE}/sounds")["rows"]]
        self.assertNotIn("gear take part 01", names)
        self.assertIn("loud", self.named("gear take")["tags"], "what another page did stays")
        # and all of it again
        self.assertEqual([self.act("post", "edit/redo")["title"] for _ in range(7)], undone[::-1])
        self.assertEqual([one["name"] for one in self.act("get", "sets")], [])
        self.act("post", "edit/undo")
        (there,) = self.act("get", "sets")
        self.assertEqual((there["name"], there["sounds"]), ("Locks", 2))
        self.assertEqual(self.act("post", "edit/undo", None, OTHER)["title"], "add tags of 1 sound")
        self.assertNotIn("loud", self.named("gear take")["tags"])

    def test_what_somebody_else_changed_since_is_left_and_said(self) -> None:
        number = self.named("brass hit")["id"]
        self.act("patch", f"sounds/{number}", {"rating": 2})
        self.act("patch", f"sounds/{number}", {"rating": 5}, OTHER)
        self.assertIn("changed by somebody else since, left as it is", self.act("post", "edit/undo")["title"])
        self.assertEqual(self.named("brass hit")["rating"], 5)

    def test_the_trash_says_what_a_sound_is_used_in(self) -> None:
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("glass hit")["id"]})
        for name in ("Lock", "Door", "Gate"):
            self.post(f"{HERE}/designs", {"name": name, "mix": {"kind": "mix", "members": [layer]}})
        done = self.act("post", "edit", {"ids": [layer["origin"]["id"]], "change": {"trashed": True}})
        self.assertEqual(done["used"], {"glass hit": ["design Lock", "design Door", "design Gate"]})
        self.act("post", "edit/undo")

    def test_drafts_of_ship_and_vary_stay(self) -> None:
        first, second = (self.named(name)["id"] for name in ("glass hit", "brass hit"))
        self.act("post", "sheets/1/items", {"sounds": [first]})
        put = self.act("post", "sheets/1/items", {"sounds": [first, second], "heard": {"speed_st": -5.0}})
        self.assertEqual((put["added"], put["sheet"]["sounds"], put["sheet"]["heard"][str(first)]["speed_st"]), (1, [first, second], -5.0))
        sheet = {**put["sheet"], "name": "Locks", "folder": "/tmp/locks", "targets": [{"name": "web", "format": "ogg", "template": "x/{name}"}]}
        self.act("put", f"sheets/1?based_on={put['revision']}", sheet)
        again = self.act("get", "sheets/1")["sheet"]
        self.assertEqual((again["name"], again["folder"], again["targets"][0]["format"]), ("Locks", "/tmp/locks", "ogg"))
        self.assertEqual(self.act("get", "sheets/2")["sheet"]["sounds"], [])
        design = self.post(f"{HERE}/designs", {"name": "D", "mix": {"kind": "mix", "members": []}})["id"]
        recipe = {"name": "soft", "freedoms": [{"layer": "a", "control": "gain_db", "low": -2, "high": 2}]}
        self.act("put", f"designs/{design}/recipe-draft?project=1", {"recipe": recipe, "seed": 77, "count": 9})
        draft = self.act("get", f"designs/{design}/recipe-draft?project=1")["draft"]
        self.assertEqual((draft["seed"], draft["count"], draft["recipe"]["freedoms"][0]["high"]), (77, 9, 2.0))


class Out(Running):
    def test_several_rows_go_out_each_as_itself(self) -> None:
        wanted = {name: self.named(name)["id"] for name in ("glass hit", "brass hit", "gear take")}
        answer = self.client.get(f"{HERE}/files.zip", params={"ids": ",".join(map(str, wanted.values()))})
        with zipfile.ZipFile(io.BytesIO(answer.content)) as stored:
            self.assertEqual(sorted(stored.namelist()), ["brass hit.wav", "gear take.wav", "glass hit.wav"])
            for name in wanted:
                samples, _ = sf.read(io.BytesIO(stored.read(f"{name}.wav")), dtype="float32", always_2d=True)
                np.testing.assert_allclose(samples, files.read(self.folder / "in" / f"{name}.wav")[0], atol=2**-23)

    def test_what_is_dragged_out_and_put_on_the_sheet_is_what_was_heard(self) -> None:
        number = self.named("gear take")["id"]
        heard = {"chain": [{"kind": "low_pass", "params": {"cutoff_hz": 2000.0}}], "part": [1.0, 2.0], "speed_st": -5.0, "gain_db": -3.0}
        dragged = self.client.get(f"{HERE}/sounds/{number}/file", params={"heard": json.dumps(heard)}).content
        folder = self.folder / "as heard"
        self.finish(self.client.post(f"{HERE}/export", json={"ids": [number], "heard": heard, "folder": str(folder / "exported")}))
        handed = self.finish(self.client.post(f"{HERE}/export", json={"ids": [number], "heard": heard}))
        sheet = {"sounds": [number], "heard": {str(number): heard}, "targets": [{}], "folder": str(folder / "shipped")}
        self.finish(self.client.post(f"{HERE}/ship", json=sheet))
        paths = [next((folder / "exported").glob("*.wav")), Path(handed["files"][0]), next((folder / "shipped").glob("*.wav"))]
        one, _ = sf.read(io.BytesIO(dragged), dtype="float32", always_2d=True)
        self.assertEqual(len(one), round(RATE * 2 ** (5 / 12)))
        for path in paths:
            np.testing.assert_array_equal(files.read(path)[0], one)

    def test_an_upload_whose_page_is_gone_is_taken_in(self) -> None:
        app = self.client.app.state  # type: ignore[attr-defined]
        app.uploads.quiet_s = 0.4
        files.write(self.folder / "d.wav", noise(0.5, -30, seed=78), RATE, 24)
        upload = self.post(f"{HERE}/uploads", {"name": "9 dropped files", "files": 9})["upload"]
        here = f"{HERE}/uploads/{upload}"
        self.client.post(f"{here}/file", params={"path": "left alone.wav"}, content=(self.folder / "d.wav").read_bytes())
        deadline = time.monotonic() + PATIENCE_S
        while not any(row["name"] == "left alone" for row in self.get(f"{HERE}/sounds")["rows"]):
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.05)
        (arrival,) = [one for one in self.get(f"{HERE}/arrivals") if "dropped" in one["name"]]
        self.assertEqual(arrival["name"], "9 dropped files, the page was left: 1 of 9 files had arrived")
        self.assertIn("no such upload", self.client.post(f"{here}/end").json()["sentence"])
        empty = self.post(f"{HERE}/uploads", {"name": "a folder"})["upload"]
        self.assertIn("holds no files", self.client.post(f"{HERE}/uploads/{empty}/end").json()["sentence"])


class OneShape(Running):
    """Whatever is asked is answered by a sentence, never by a 5xx."""

    def sentence(self, answer) -> str:  # type: ignore[no-untyped-def]
        self.assertTrue(400 <= answer.status_code < 500, f"{answer.status_code} {answer.text[:300]}")
        said = answer.json()["sentence"]
        self.assertNotIn("SELECT", said)
        self.assertNotIn("Traceback", said)
        return str(said)

    def test_numbers_paths_and_texts_that_cannot_be(self) -> None:
        huge = 2**70
        long = "/" + "x" * 300
        calls = [
            ("get", f"{HERE}/sounds/{huge}", None),
            ("get", f"{HERE}/designs/{huge}/versions", None),
            ("post", f"{HERE}/search", {"q": "", "project": huge, "like": huge}),
            ("post", f"{HERE}/edit", {"ids": [huge], "change": {"rating": 1}}),
            ("patch", f"{HERE}/sets/{huge}", {"ids": []}),
            ("post", f"{HERE}/import", {"paths": ["~nosuch/x"]}),
            ("post", f"{HERE}/import", {"paths": ["/a\0b"]}),
            ("post", f"{HERE}/import", {"paths": [long]}),
            ("post", f"{HERE}/import", {"paths": ["/" + "y/" * 3000]}),
            ("post", f"{HERE}/watched", {"path": "~nosuch/x"}),
            ("post", f"{HERE}/watched", {"path": long}),
            ("post", f"{HERE}/backup", {"folder": "~nosuch"}),
            ("post", f"{HERE}/export", {"ids": [1], "folder": "/a\0b"}),
            ("post", f"{HERE}/ship", {"sounds": [1], "targets": [{}], "folder": long}),
            ("post", f"{HERE}/card", {"folder": "/\0"}),
            ("post", "/api/libraries/restore", {"path": "~nosuch/x"}),
            ("post", "/api/plugins", {"path": long}),
            ("put", f"{HERE}/settings", {"pinned": [], "hand_over": "~nosuch"}),
            ("post", f"{HERE}/categories.csv", {"csv": "category\n" + "x" * 400 + "\n"}),
            ("post", f"{HERE}/categories.csv", {"csv": 'category\n"' + "x" * 200_000 + "\n"}),
            ("put", f"{HERE}/categories", {"path": "a/" + "x" * 299}),
            ("get", f"{HERE}/find?q=" + "+".join(["a"] * 150), None),
            ("post", f"{HERE}/search", {"q": " ".join("abc"[k % 3] for k in range(1900))}),
        ]
        for method, address, body in calls:
            with self.subTest(address=address[:80], body=str(body)[:80]):
                self.sentence(self.client.request(method, address, json=body))

    def test_bundles_with_bad_names(self) -> None:
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("glass hit")["id"]})
        design = self.post(f"{HERE}/designs", {"name": "Good", "mix": {"kind": "mix", "members": [layer]}})
        good = self.client.get(f"{HERE}/designs/{design['id']}/bundle").content
        with zipfile.ZipFile(io.BytesIO(good)) as stored:
            document = json.loads(stored.read("design.json"))
            (inside,) = [name for name in stored.namelist() if name.startswith("audio/")]
            audio = stored.read(inside)

        def packed(name: str, where: str) -> bytes:
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as made:
                made.writestr(where, audio)
                key = next(iter(document["audio"]))
                made.writestr("design.json", json.dumps({**document, "name": name, "audio": {key: where}}))
            return out.getvalue()

        for name, where in (("x" * 5000, inside), ("\ud800 lone", inside), ("a\0b", inside), ("Good", "audio/" + "n" * 250 + ".wav")):
            answer = self.client.post(f"{HERE}/bundles", files={"file": ("b.zip", packed(name, where))})
            with self.subTest(name=name[:20].encode(errors="replace"), where=where[:20]):
                self.assertEqual(answer.status_code, 200, answer.text[:200])
                self.assertLessEqual(len(answer.json()["name"]), bundle.LONGEST_NAME)
        many = {**document, "mix": {**document["mix"], "members": document["mix"]["members"] * 20_000}}
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
            made.writestr(inside, audio)
            made.writestr("design.json", json.dumps(many))
        began = time.monotonic()
        self.sentence(self.client.post(f"{HERE}/bundles", files={"file": ("b.zip", out.getvalue())}))
        self.assertLess(time.monotonic() - began, 20)

    def test_a_photo_is_a_picture_and_nothing_else(self) -> None:
        photos = self.folder / "home" / "libraries" / "test" / "photos"
        photos.mkdir(exist_ok=True)
        (photos / "x.html").write_text("<script>1</script>")
        (photos / "x.svg").write_text("<svg/>")
        (photos / f"{'0' * 32}.png").write_text("<script>1</script>")
        for name in ("x.html", "x.svg", f"{'0' * 32}.png", "..%2Flibrary.db", "x" * 400):
            with self.subTest(name=name):
                self.sentence(self.client.get(f"{HERE}/photos/{name}"))
        arrival = self.post(f"{HERE}/arrivals", {"name": "With a photo"})["id"]
        dot = base64.b64decode("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAQAAAC1HAwCAAAAC0lEQVR42mNk+A8AAQUBAScY42YAAAAASUVORK5CYII=")
        kept = self.client.post(f"{HERE}/arrivals/{arrival}/photos", files=[("files", ("a.png", dot, "image/png"))]).json()[0]["file"]
        self.assertEqual(self.client.get(f"{HERE}/photos/{kept}").headers["content-type"], "image/png")

    def test_a_token_may_hold_any_letter(self) -> None:
        with TestClient(make_app(self.folder / "other home", token="secret"), raise_server_exceptions=False) as client:
            for given in ({"params": {"token": "schlüssel"}}, {"headers": {"cookie": "oskren=schl\xfcssel".encode("latin-1")}}):
                answer = client.get("/api/state", **given)  # type: ignore[arg-type]
                self.assertEqual((answer.status_code, "needs the token" in answer.json()["sentence"]), (401, True))
            self.assertEqual(client.get("/api/state", params={"token": "secret"}).status_code, 200)

    def test_a_locked_a_full_and_a_read_only_disk_are_told(self) -> None:
        library = self.client.app.state.studio.home.library("test")  # type: ignore[attr-defined]
        number = self.named("glass hit")["id"]
        lock = sqlite3.connect(library.folder / "library.db", isolation_level=None)
        lock.execute("BEGIN IMMEDIATE")
        try:
            with library.engine.connect() as connection:
                connection.exec_driver_sql("PRAGMA busy_timeout=50")
            said = self.sentence(self.client.patch(f"{HERE}/sounds/{number}", json={"rating": 3}))
        finally:
            lock.execute("ROLLBACK")
            lock.close()
        self.assertIn("Another program holds this library's database", said)
        full = unittest.mock.patch("oskren.store.library.Library.writing", side_effect=OSError(28, "No space left on device", "/x/library.db"))
        with full:
            self.assertIn("the disk is full", self.sentence(self.client.patch(f"{HERE}/sounds/{number}", json={"rating": 3})))
        with unittest.mock.patch("oskren.store.home.Home.names", side_effect=OSError(28, "No space left on device")):
            self.assertIn("the disk is full", self.sentence(self.client.get("/api/state")))
        media = library.folder / "media"
        if os.getuid() != 0:
            media.chmod(0o500)
        read_only = unittest.mock.patch("oskren.work.gather.uploads.replacing", side_effect=OSError(30, "Read-only file system", str(media)))
        with read_only:
            self.assertIn("with the rights Oskren has", self.sentence(self.client.post(f"{HERE}/uploads", json={"name": "x"})))
        media.chmod(0o755)

    def test_an_unexpected_fault_says_truly_what_was_done(self) -> None:
        quiet = TestClient(self.client.app, raise_server_exceptions=False)
        with unittest.mock.patch("oskren.store.describe.keeping.projects", side_effect=ZeroDivisionError("inside")):
            answer = quiet.get(f"{HERE}/projects")
        self.assertEqual((answer.status_code, "whether this one change was made" in answer.json()["sentence"]), (500, True))

    def test_edits_of_a_design_by_many_at_once_all_stay(self) -> None:
        layer = self.get(f"{HERE}/stack/layer", sound=self.get(f"{HERE}/sounds")["rows"][0]["id"])
        design = self.post(f"{HERE}/designs", {"name": "Many hands", "mix": {"members": [{**layer, "id": "first"}]}})
        address = f"{HERE}/designs/{design['id']}/edit"
        with ThreadPoolExecutor(4) as pool:
            added = list(
                pool.map(lambda k: self.client.post(address, json={"edit": {"do": "add", "member": {**layer, "id": f"new{k}"}}}).status_code, range(4))
            )
        self.assertEqual(added, [200] * 4)
        kept = self.get(f"{HERE}/designs/{design['id']}")
        self.assertEqual((kept["revision"], {one["id"] for one in kept["mix"]["members"]}), (4, {"first", "new0", "new1", "new2", "new3"}))
        grouped = self.post(address, {"edit": {"do": "group", "ids": ["first", "new2"], "id": "pair"}})
        self.assertEqual([one["id"] for one in grouped["mix"]["members"] if one["group"] == "pair"], ["first", "new2"])
        gone = self.client.post(address, json={"edit": {"do": "remove", "ids": ["nobody"]}})
        self.assertEqual((gone.status_code, "no layer 'nobody'" in gone.json()["sentence"]), (404, True))

    def test_a_superseded_question_ends_on_the_server(self) -> None:
        from oskren.api.asking import Question, Superseded
        from oskren.core.nodes.model import Mix
        from oskren.work.stack import tasks as summing

        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        library = studio.home.library("test")
        files.write(self.folder / "long.wav", noise(60.0, -30, seed=9), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "long.wav")]}))
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("long")["id"]})
        mix = Mix.model_validate({"members": [{**layer, "pitch_st": -12.0, "keep_length": True, "id": str(k)} for k in range(4)]})

        class Gone:
            async def is_disconnected(self) -> bool:
                return True

        began = time.monotonic()
        with self.assertRaises(Superseded):
            self.client.portal.call(Question(Gone(), studio, library).answered, summing.crowding, mix)  # type: ignore[union-attr, arg-type]
        self.assertLess(time.monotonic() - began, 2.0)
        # the workers are free again long before the question would have been answered
        for free in [studio.workers.submit("question", os.getpid) for _ in range(2)]:
            free.result(PATIENCE_S)

    def test_designs_have_pictures(self) -> None:
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("glass hit")["id"]})
        design = self.post(f"{HERE}/designs", {"name": "Pictured", "mix": {"kind": "mix", "members": [layer]}})
        picture = self.client.get(f"{HERE}/designs/{design['id']}/picture").json()
        self.assertGreater(picture["seconds"], 0.1)
        self.assertGreater(len(set(base64.b64decode(picture["outline"]))), 20)
        empty = self.post(f"{HERE}/designs", {"name": "Nothing yet"})
        self.assertEqual(self.client.get(f"{HERE}/designs/{empty['id']}/picture").json(), {"seconds": 0.0, "outline": ""})
        self.assertEqual(self.client.get(f"{HERE}/designs/4711/picture").status_code, 404)

    def test_meters_do_not_wait_behind_jobs(self) -> None:
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        busy = [studio.workers.submit("batch", time.sleep, 3) for _ in range(4 * studio.workers.size)]
        layer = self.post(f"{HERE}/stack/layer", {"sound": self.named("glass hit")["id"]})
        self.assertLessEqual(self.post(f"{HERE}/stack/sum", {"members": [layer]})["sample_peak_dbfs"], 0)
        self.assertFalse(all(one.done() for one in busy))
        for one in busy:
            one.cancel()

    def test_a_long_sound_is_heard_by_estimates_until_it_is_measured(self) -> None:
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        files.write(self.folder / "long take.wav", noise(26.0, -30, RATE, 2, seed=4) * np.array([1.0, 0.5], np.float32), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "long take.wav")]}))
        facts = self.named("long take")
        wanted = {"sound": facts["id"], "chain": [{"kind": "even"}], "estimate": True}
        busy = [studio.workers.submit("question", time.sleep, 4) for _ in range(2)]
        about = self.post(f"{HERE}/open", wanted)
        self.assertTrue(about["estimated"])
        self.assertFalse(any(one.done() for one in busy))
        block = self.client.get(f"/api/heard/{about['digest']}/block", params={"start": RATE, "frames": RATE})
        heard = np.frombuffer(block.content, np.float32).reshape(-1, 2)
        self.assertAlmostEqual(db(float(heard[:, 0].std() / heard[:, 1].std())), 0.0, delta=0.3)
        picture = self.client.get(f"/api/heard/{about['digest']}/peaks", params={"start": 0, "end": 26 * RATE, "width": 100})
        self.assertEqual((picture.status_code, "once all of the sound is measured" in picture.json()["sentence"]), (425, True))
        self.assertTrue(self.post(f"{HERE}/open", wanted)["estimated"])
        deadline = time.monotonic() + PATIENCE_S
        while (now := self.post(f"{HERE}/open", wanted))["estimated"]:
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.1)
        self.assertEqual(now["digest"], self.post(f"{HERE}/open", {**wanted, "estimate": False})["digest"])
        exact = self.client.get(f"/api/heard/{now['digest']}/block", params={"start": RATE, "frames": RATE})
        np.testing.assert_allclose(np.frombuffer(exact.content, np.float32).reshape(-1, 2), heard, rtol=0.05)
        # levels behind the steps likewise: about, then measured; a short sound is measured at once
        node = self.client.get(f"{HERE}/sounds/{facts['id']}").json()["node"]
        body = {"node": node, "chain": [{"kind": "even", "id": "e"}]}
        pairs = zip(self.post(f"{HERE}/mend/levels/estimated", body), self.post(f"{HERE}/mend/levels", body), strict=True)
        for rough, measured in pairs:
            self.assertEqual((rough["step"], rough["seconds"]), (measured["step"], measured["seconds"]))
            self.assertAlmostEqual(rough["lufs"], measured["lufs"], delta=0.3)
        short = self.client.get(f"{HERE}/sounds/{self.named('glass hit')['id']}").json()["node"]
        self.assertEqual(self.post(f"{HERE}/mend/levels/estimated", {"node": short, "chain": []}), [])

    def test_what_nobody_asks_about_is_measured_no_further(self) -> None:
        from oskren.work.engine import glancing

        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        files.write(self.folder / "left take.wav", noise(26.0, -30, RATE, 2, seed=5), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "left take.wav")]}))
        sound = self.named("left take")["id"]
        done = self.folder / "looked at"
        waiting = ["sh", "-c", 'until [ -e "$0" ]; do sleep 0.05; done', str(done)]
        busy = [studio.workers.submit("question", subprocess.check_call, waiting) for _ in range(2)]
        self.addCleanup(done.touch)
        self.assertTrue(self.post(f"{HERE}/open", {"sound": sound, "chain": [{"kind": "even"}], "estimate": True})["estimated"])
        [first] = studio.glancing._going.values()
        with unittest.mock.patch.object(glancing, "LEFT_S", 0.0):
            self.post(f"{HERE}/open", {"sound": sound, "chain": [{"kind": "normalise"}], "estimate": True})
        self.assertTrue(first.future.cancelled() or first.flag.exists())
        done.touch()
        for one in busy:
            one.result(PATIENCE_S)


del Running  # its stories are told in test_api; here it only lends its server


if __name__ == "__main__":
    unittest.main()
