"""Stack over the API: sources swapped and rolled, newer states taken and prints rebuilt, layers frozen, versions, and what is refused."""

import io
import json
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core import bundle
from oskren.core.audio import files
from oskren.core.errors import NotFound
from oskren.store import Home
from oskren.work.engine.told import Told
from tests.api.test_api import HERE, Running
from tests.support import PATIENCE_S, RATE, noise


class OfLayers(Running):
    def layer(self, name: str, **values: Any) -> dict[str, Any]:
        return self.get(f"{HERE}/stack/layer", sound=self.named(name)["id"]) | {"id": name, **values}

    def mix(self, *layers: dict[str, Any], **values: Any) -> dict[str, Any]:
        return {"kind": "mix", "members": list(layers), **values}

    def design(self, name: str, mix: dict[str, Any]) -> dict[str, Any]:
        return self.post(f"{HERE}/designs", {"name": name, "mix": mix})  # type: ignore[no-any-return]

    def refused(self, address: str, body: Any, words: str, status: int = 422) -> None:
        answer = self.client.post(address, json=body)
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertRegex(answer.json()["sentence"], words)


class Stacking(OfLayers):
    def test_a_swap_keeps_placement_and_if_asked_the_length(self) -> None:
        mix = self.mix(self.layer("brass hit", at_s=0.3, gain_db=-4, pitch_st=-12, chain=[{"kind": "gain", "params": {"gain_db": -1}}]))
        before = self.post(f"{HERE}/stack/layout", mix)["layers"][0]["seconds"]
        wanted = {"mix": mix, "id": "brass hit", "sound": self.named("glass hit")["id"]}
        [plain] = self.post(f"{HERE}/stack/swap", wanted)["members"]
        self.assertEqual((plain["name"], plain["at_s"], plain["gain_db"], plain["pitch_st"], plain["stretch"]), ("glass hit", 0.3, -4, -12, 1))
        kept = self.post(f"{HERE}/stack/swap", wanted | {"keep_length": True})
        self.assertAlmostEqual(self.post(f"{HERE}/stack/layout", kept)["layers"][0]["seconds"], before, places=4)

    def test_a_roll_takes_another_sound_of_the_search_and_leaves_locked_layers(self) -> None:
        mix = self.mix(self.layer("brass hit", search="hit"), self.layer("glass hit", search="hit", locked=True))
        rolled = self.post(f"{HERE}/stack/roll", {"mix": mix, "ids": ["brass hit", "glass hit"], "seed": 3})["mix"]
        self.assertEqual([one["name"] for one in rolled["members"]], ["glass hit", "glass hit"])
        same = self.post(f"{HERE}/stack/roll", {"mix": mix, "ids": ["brass hit"], "seed": 3})["mix"]
        self.assertEqual(rolled["members"][0], same["members"][0])
        self.refused(f"{HERE}/stack/roll", {"mix": mix, "ids": ["glass hit"]}, "Nothing to roll")
        alone = self.mix(self.layer("brass hit", search="brass"))
        self.refused(f"{HERE}/stack/roll", {"mix": alone, "ids": ["brass hit"]}, "finds no other sound")
        # what finds nothing else is said, and the rest is rolled
        both = self.mix(self.layer("brass hit", search="brass"), self.layer("glass hit", search="hit"))
        some = self.post(f"{HERE}/stack/roll", {"mix": both, "ids": ["brass hit", "glass hit"], "seed": 3})
        self.assertEqual([one["name"] for one in some["mix"]["members"]], ["brass hit", "brass hit"])
        self.assertEqual(some["said"], ["brass hit: its search 'brass' finds no other sound; make it wider."])

    def test_another_source_lands_by_an_anchor_of_the_same_kind(self) -> None:
        riser = (np.linspace(0, 0.8, RATE) ** 2)[:, None].astype(np.float32) * noise(1.0, -6, seed=31)
        files.write(self.folder / "rising" / "air riser.wav", np.concatenate([riser, noise(0.4, -70, seed=32)]), RATE, 24)
        self.finish(self.client.post(f"{HERE}/import", json={"paths": [str(self.folder / "rising")]}))
        sound = self.get(f"{HERE}/sounds/{self.named('air riser')['id']}")
        self.assertEqual((sound["anchor_kind"], round(sound["anchor_s"], 1)), ("end", 1.0))
        mix = self.mix(self.layer("air riser"))
        [fresh] = self.post(f"{HERE}/stack/swap", {"mix": mix, "id": "air riser", "sound": self.named("glass hit")["id"]})["members"]
        # a hit by itself lands by its attack; in the place of a riser it lands by where it stops
        self.assertGreater(fresh["anchor_s"], 0.05)
        [back] = self.post(f"{HERE}/stack/swap", {"mix": self.mix(fresh), "id": "air riser", "sound": sound["id"]})["members"]
        self.assertLess(back["anchor_s"], 1.0)  # the glass it was made with lands by its hit, so the riser does by its strongest attack

    def test_words_fill_a_design(self) -> None:
        made = self.post(f"{HERE}/stack/fill", {"mix": self.mix(), "words": "glass; gear where length over 2 s"})
        self.assertEqual(([one["name"] for one in made["mix"]["members"]], made["said"]), (["glass hit", "gear take"], []))
        some = self.post(f"{HERE}/stack/fill", {"mix": self.mix(), "words": "glass; xylophone"})
        self.assertEqual(([one["name"] for one in some["mix"]["members"]], len(some["said"])), (["glass hit"], 1))
        self.refused(f"{HERE}/stack/fill", {"mix": self.mix(), "words": "xylophone"}, "No sound is found for 'xylophone'")
        self.refused(f"{HERE}/stack/fill", {"mix": self.mix(), "words": " ; "}, "Say what the layers are to be")

    def test_what_changed_is_seen_taken_and_rebuilt_all_the_way_up(self) -> None:
        for other in self.get(f"{HERE}/designs"):
            self.client.delete(f"{HERE}/documents/design/{other['id']}")
        sound = self.named("brass hit")["id"]
        inner = self.design("Inner", self.mix(self.layer("brass hit")))
        printed = self.post(f"{HERE}/stack/print", {"mix": inner["mix"], "name": "Inner print", "design": inner["id"]})
        outer = self.design("Outer", self.mix(self.get(f"{HERE}/stack/layer", design=inner["id"]), self.get(f"{HERE}/stack/layer", sound=printed["id"])))
        self.assertEqual(self.get(f"{HERE}/stack/stale"), [])
        self.client.put(f"{HERE}/sounds/{sound}/chain", json={"chain": [{"kind": "gain", "params": {"gain_db": -6}}]})
        try:
            self.assertEqual([one["name"] for one in self.post(f"{HERE}/stack/newer", inner["mix"])], ["brass hit"])
            self.assertEqual([(one["kind"], one["name"]) for one in self.get(f"{HERE}/stack/stale")], [("design", "Inner")])
            before = self.heard(outer["mix"])
            done = self.finish(self.client.post(f"{HERE}/stack/rebuild"))["done"]
            self.assertEqual([words.split(":")[0].split(" printed")[0] for words in done], ["Inner", "Outer", "Inner print", "Outer"])
            self.assertEqual(self.get(f"{HERE}/stack/stale"), [])
            now = next(one for one in self.get(f"{HERE}/designs") if one["id"] == outer["id"])
            after = self.heard(now["mix"])
            np.testing.assert_allclose(after, before * 10 ** (-6 / 20), atol=2e-6)
            self.assertEqual(self.get(f"{HERE}/sounds/{printed['id']}")["name"], "Inner print")  # the same sound, newer audio
        finally:
            self.client.put(f"{HERE}/sounds/{sound}/chain", json={"chain": []})

    def test_newer_is_taken_one_by_one_and_a_source_that_is_gone_goes_on_sounding(self) -> None:
        mix = self.mix(self.layer("brass hit"), self.layer("glass hit"))
        for member in mix["members"]:
            member["origin"]["pinned"] = "0" * 40
        mix["members"][1]["origin"]["id"] = 9999
        self.assertEqual([(one["id"], one["gone"]) for one in self.post(f"{HERE}/stack/newer", mix)], [("brass hit", False), ("glass hit", True)])
        taken = self.post(f"{HERE}/stack/renew", {"mix": mix, "ids": ["brass hit", "glass hit"]})
        self.assertEqual(taken["changed"], ["brass hit"])
        self.assertEqual([one["id"] for one in self.post(f"{HERE}/stack/newer", taken["mix"])], ["glass hit"])

    def test_cycles_are_refused_with_a_sentence_at_any_depth(self) -> None:
        one = self.design("One", self.mix(self.layer("brass hit")))
        two = self.design("Two", self.mix(self.get(f"{HERE}/stack/layer", design=one["id"])))
        three = self.design("Three", self.mix(self.get(f"{HERE}/stack/layer", design=two["id"])))
        for holder in (one, two, three):
            body = {"name": "One", "mix": self.mix(self.get(f"{HERE}/stack/layer", design=holder["id"]))}
            answer = self.client.put(f"{HERE}/designs/{one['id']}", json=body)
            self.assertEqual(answer.status_code, 422)
            self.assertIn("One cannot be a layer of itself", answer.json()["sentence"])

    def test_layers_and_groups_are_frozen_and_thawed(self) -> None:
        grouped = [self.layer("brass hit", group="g"), self.layer("glass hit", group="g", at_s=0.1)]
        mix = self.mix(*grouped, groups=[{"id": "g", "name": "Both", "chain": [{"kind": "gain", "params": {"gain_db": -3}}]}])
        before = self.heard(mix)
        for number in ("brass hit", "g"):
            frozen = self.post(f"{HERE}/stack/freeze", {"mix": mix, "ids": [number]})
            np.testing.assert_allclose(self.heard(frozen), before, atol=1e-6)
            [held] = [one for one in (*frozen["members"], *frozen["groups"]) if one["frozen"]]
            self.assertEqual((held["id"], held["frozen"]["kind"]), (number, "print"))
        stale = json.loads(json.dumps(self.post(f"{HERE}/stack/freeze", {"mix": mix, "ids": ["brass hit"]})))
        stale["members"][0]["pitch_st"] = 3
        self.assertTrue(self.post(f"{HERE}/stack/layout", stale)["layers"][0]["stale"])
        self.refused(f"{HERE}/stack/freeze", {"mix": mix, "ids": ["nobody"]}, "not in the design any more")

    def test_replaced_everywhere_but_in_locked_layers(self) -> None:
        one = self.design("A", self.mix(self.layer("brass hit"), self.layer("brass hit", locked=True) | {"id": "held"}))
        by, old = self.named("gear take")["id"], self.named("brass hit")["id"]
        changed = self.post(f"{HERE}/stack/replace", {"sound": old, "by": by})
        self.assertIn({"kind": "design", "id": one["id"], "name": "A", "layers": 1}, changed)
        now = next(each for each in self.get(f"{HERE}/designs") if each["id"] == one["id"])["mix"]["members"]
        self.assertEqual([member["name"] for member in now], ["gear take", "brass hit"])
        self.post(f"{HERE}/stack/replace", {"sound": by, "by": old})

    def test_versions_are_kept_named_told_apart_and_removed(self) -> None:
        design = self.design("Latch", self.mix(self.layer("brass hit")))
        address = f"{HERE}/designs/{design['id']}/versions"
        first = self.post(address, {"mix": design["mix"]})
        louder = json.loads(json.dumps(design["mix"]))
        louder["members"][0]["gain_db"] = 6.0
        second = self.post(address, {"mix": louder, "name": "louder", "notes": "too much"})
        self.assertAlmostEqual(second["lufs"] - first["lufs"], 6, places=1)
        self.assertEqual((first["name"], second["notes"], bool(first["outline"])), ("Version 1", "too much", True))
        self.assertEqual(self.post(f"{HERE}/stack/difference", {"before": first["mix"], "after": second["mix"]}), ["brass hit: gain 0 to 6 dB"])
        renamed = self.client.patch(f"{HERE}/versions/{first['id']}", json={"name": "start"}).json()
        self.assertEqual((renamed["name"], renamed["mix"]), ("start", first["mix"]))
        self.client.delete(f"{HERE}/documents/version/{first['id']}").raise_for_status()
        self.assertEqual([one["name"] for one in self.client.get(address).json()], ["louder"])
        self.assertEqual(self.client.delete(f"{HERE}/documents/version/{first['id']}").status_code, 404)
        self.client.delete(f"{HERE}/documents/design/{design['id']}")
        self.assertEqual(self.client.get(address).status_code, 404)

    def test_a_print_that_is_shifted_comes_back_as_a_layer_on_the_strike_line(self) -> None:
        mix = self.mix(self.layer("brass hit", anchor_s=0.1))
        design = self.design("Shift", mix)
        made = self.post(f"{HERE}/stack/print-and-shift", {"mix": mix, "name": "Up", "design": design["id"], "semitones": 12, "chain": [{"kind": "gain"}]})
        self.assertEqual((made["sound"]["kind"], made["member"]["pitch_st"], len(made["member"]["chain"])), ("print", 12, 1))
        self.assertAlmostEqual(made["member"]["anchor_s"], 0.1, places=4)
        both = self.mix(mix["members"][0], made["member"])
        layers = self.post(f"{HERE}/stack/layout", both)["layers"]
        self.assertAlmostEqual(layers[1]["start_s"] + layers[1]["anchor_s"], 0, places=4)

    def test_wide_sums_say_where_their_loudspeakers_are_and_are_printed_as_what_they_are(self) -> None:
        layer = self.layer("brass hit", pan=-1.0, back=1.0)
        for layout, speakers in (("stereo", 0), ("quad", 4), ("5.1", 5), ("ambix", 0)):
            mix = self.mix(layer, layout=layout)
            self.assertEqual(len(self.post(f"{HERE}/stack/layout", mix)["speakers"]), speakers)
        made = self.post(f"{HERE}/stack/print", {"mix": self.mix(layer, layout="ambix"), "name": "Round"})
        self.assertEqual((made["layout"], made["channels"]), ("ambix", 4))
        opened = self.post(f"{HERE}/open", {"sound": made["id"]})
        self.assertEqual((opened["layout"], opened["lanes"]), ("ambix", ["W", "Y", "Z", "X"]))
        meters = self.post(f"{HERE}/stack/sum", self.mix(layer, layout="5.1"))
        self.assertAlmostEqual(
            meters["integrated_lufs"] - self.post(f"{HERE}/stack/sum", self.mix({**layer, "back": 0.0}, layout="5.1"))["integrated_lufs"], 1.49, places=1
        )

    def test_a_performance_is_kept_as_a_design(self) -> None:
        layer = self.layer("glass hit")
        slot = {"name": "glass", "node": layer["node"], "anchor_s": layer["anchor_s"], "seconds": 1.0, "origin": layer["origin"], "choke": "g"}
        played = [{"slot": 0, "at_s": at, "velocity": 0.5} for at in (0.0, 0.4, 1.1)]
        made = self.post(f"{HERE}/stack/performances", {"name": "Taps", "performance": {"slots": [slot], "played": played, "grid_s": 0.5}})
        self.assertEqual([one["at_s"] for one in made["mix"]["members"]], [0, 0.5, 1.0])
        self.assertEqual(made["mix"]["members"][0]["origin"], layer["origin"])
        self.refused(f"{HERE}/stack/performances", {"name": "Nothing", "performance": {"slots": [slot], "played": []}}, "Nothing was played yet")

    def test_sentences_not_errors_for_what_cannot_be(self) -> None:
        mix = self.mix(self.layer("brass hit"))
        self.refused(f"{HERE}/stack/tune", {"mix": mix, "id": "brass hit", "to_note": "A2"}, "has no clear pitch")
        self.refused(f"{HERE}/stack/swap", {"mix": mix, "id": "brass hit", "sound": 4711}, "There is no sound 4711", 404)
        self.refused(f"{HERE}/stack/swap", {"mix": mix, "id": "gone", "sound": 1}, "not in the design")
        broken = json.loads(json.dumps(mix))
        broken["members"][0]["envelopes"] = [{"control": "gain_db", "points": [[1, 0], [0, 0]]}]
        self.refused(f"{HERE}/stack/layout", broken, "follow each other in time")
        limiter = {"kind": "limiter", "envelopes": [{"control": "ceiling_dbtp", "points": [[0, -1]]}]}
        self.refused(f"{HERE}/designs", {"name": "x", "mix": mix | {"chain": [limiter]}}, "cannot follow an envelope")
        self.assertEqual(self.client.get(f"{HERE}/stack/layer").status_code, 422)

    def test_a_bundle_with_frozen_nested_and_printed_audio_renders_the_same_elsewhere(self) -> None:
        inner = self.design("Deep", self.mix(self.layer("glass hit", pitch_st=-5)))
        nested = self.get(f"{HERE}/stack/layer", design=inner["id"]) | {"id": "nested"}
        curve = [{"control": "gain_db", "points": [[0.0, 0.0], [0.5, -12.0]]}]
        mix = self.post(f"{HERE}/stack/freeze", {"mix": self.mix(self.layer("brass hit", envelopes=curve), nested), "ids": ["brass hit"]})
        design = self.design("Case", mix)
        saved = self.client.get(f"{HERE}/designs/{design['id']}/bundle").content
        self.assertEqual(json.loads(zipfile.ZipFile(io.BytesIO(saved)).read("design.json"))["version"], bundle.VERSION)
        self.client.post("/api/libraries", json={"name": "Far"})
        loaded = self.client.post("/api/lib/far/bundles", files={"file": ("case.zip", saved)}).json()
        opened = self.client.post("/api/lib/far/open", json={"node": loaded["mix"]}).json()
        raw = self.client.get(f"/api/heard/{opened['digest']}/block", params={"start": 0, "frames": opened["frames"]}).content
        np.testing.assert_array_equal(np.frombuffer(raw, np.float32).reshape(-1, opened["channels"]), self.heard(mix))
        names = sorted(row["name"] for row in self.get("/api/lib/far/sounds")["rows"])
        self.assertEqual(names, ["brass hit", "glass hit"])  # frozen audio is no sound of its own
        self.assertIsNone(loaded["mix"]["members"][1]["origin"])  # that design belongs to the library it came from


class ToldOnce(OfLayers):
    def told(self, **body: Any) -> str:
        return str(self.post("/api/stack/told", body)["digest"])

    def test_what_is_asked_by_a_digest_is_what_is_asked_with_all_of_it(self) -> None:
        mix = self.mix(
            self.layer("brass hit", at_s=0.1), self.layer("glass hit", pitch_st=-5.0, chain=[{"id": "s", "kind": "gain", "params": {"gain_db": -3}}])
        )
        digest = self.told(base=self.told(mix=mix), patch=[{"op": "replace", "path": "/members/0/at_s", "value": 0.25}])
        moved = {**mix, "members": [{**mix["members"][0], "at_s": 0.25}, mix["members"][1]]}
        for question in ("layout", "sum", "crowding", "newer"):
            with self.subTest(question=question):
                self.assertEqual(self.post(f"{HERE}/stack/{question}", {"digest": digest}), self.post(f"{HERE}/stack/{question}", moved))
        levels = [self.post(f"{HERE}/stack/levels", {"mix": one, "id": "glass hit"}) for one in ({"digest": digest}, moved)]
        self.assertEqual(*levels)
        self.assertEqual(len(levels[0]), 2)
        self.assertEqual(*(self.post(f"{HERE}/open", one) for one in ({"told": digest}, {"node": moved})))
        design = self.design("Told", mix)
        kept = self.client.put(f"{HERE}/designs/{design['id']}?based_on=0", json={"name": "Told", "mix": {"digest": digest}})
        self.assertEqual((kept.status_code, kept.json()), (200, {"revision": 1}))
        self.assertEqual(self.get(f"{HERE}/designs/{design['id']}")["mix"]["members"][0]["at_s"], 0.25)

    def test_what_sounds_alike_and_is_named_apart_is_kept_apart(self) -> None:
        layer = self.layer("brass hit")
        one, other = (self.told(mix=self.mix({**layer, "name": name})) for name in ("First", "Second"))
        self.assertNotEqual(one, other)
        self.assertEqual(self.told(base=one, patch=[{"op": "replace", "path": "/members/0/name", "value": "Second"}]), other)

    def test_what_cannot_be_told_is_refused_and_what_is_forgotten_says_so(self) -> None:
        digest = self.told(mix=self.mix(self.layer("brass hit")))
        self.refused("/api/stack/told", {"base": "0" * 40, "patch": []}, "not known here any more", 404)
        self.refused(f"{HERE}/stack/layout", {"digest": "0" * 40}, "not known here any more", 404)
        for path, value in (("/members/0/gain_db", 4000), ("/members/7/gain_db", 1), ("/members/0/tone", 1), ("", []), ("/members", 3)):
            with self.subTest(path=path):
                self.refused("/api/stack/told", {"base": digest, "patch": [{"op": "replace", "path": path, "value": value}]}, ".")
        self.refused("/api/stack/told", {"mix": {"kind": "mix", "members": [{"id": "a"}]}}, "node")
        told = Told(most=2)
        first, second, third = (told.whole({"kind": "mix", "rate": rate}) for rate in (44_100, 48_000, 96_000))
        self.assertEqual((told.mix(second).rate, told.mix(third).rate), (48_000, 96_000))
        with self.assertRaises(NotFound):
            told.mix(first)


SAVING = """
import sys
from pathlib import Path
from oskren.core.nodes.model import Member, Mix, Source
from oskren.store import Home
from oskren.store.documents import designs
library = Home(Path(sys.argv[1])).library("Crash", create=True)
source = Source(audio="0" * 40, rate=48000, channels=1, frames=48000)
number = designs.add(library, "Latch", Mix()).id
for count in range(1, 100_000):
    layers = tuple(Member(id=str(k), node=source, gain_db=-(count % 90)) for k in range(40))
    designs.save(library, number, f"Latch {count}", Mix(members=layers))
    print(count, flush=True)
"""


class Crash(Running):
    def test_a_crash_while_saving_loses_nothing_that_was_kept(self) -> None:
        """The process is killed in the midst of saves, again and again: the design is a whole one, and never older than the last save that was answered."""
        for attempt in range(3):
            home = Path(self.folder) / f"crash {attempt}"
            saver = subprocess.Popen([sys.executable, "-c", SAVING, str(home)], stdout=subprocess.PIPE, text=True)
            assert saver.stdout is not None
            answered = 0
            deadline = time.monotonic() + PATIENCE_S
            while answered < 20 + attempt and time.monotonic() < deadline:
                answered = int(saver.stdout.readline())
            saver.send_signal(signal.SIGKILL)
            rest = [int(line) for line in saver.stdout.read().split()]
            saver.wait(PATIENCE_S)
            saver.stdout.close()
            from oskren.store.documents import designs

            [row] = designs.designs(Home(home).library("Crash"))
            count = int(row.name.split()[1])
            _, mix = designs.design(Home(home).library("Crash"), row.id)
            self.assertGreaterEqual(count, max([answered, *rest]))
            self.assertEqual({member.gain_db for member in mix.members}, {-(count % 90)})
            self.assertEqual(len(mix.members), 40)
