"""Steps over the API: what is told, drawn and found, levels in a design, crowding, chains in words, and what is refused."""

from typing import Any

from oskren.core.steps import REGISTRY
from tests.api.test_api import HERE, Running


class Steps(Running):
    def refused(self, method: str, address: str, words: str, status: int = 422, **more: Any) -> None:
        answer = self.client.request(method, address, **more)
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertRegex(answer.json()["sentence"], words)

    def mix(self, *members: dict[str, Any], **values: Any) -> dict[str, Any]:
        return {"kind": "mix", "members": list(members), **values}

    def layer(self, name: str, **values: Any) -> dict[str, Any]:
        return self.get(f"{HERE}/stack/layer", sound=self.named(name)["id"]) | {"id": name, **values}

    def test_every_step_is_told_and_those_that_say_so_are_drawn(self) -> None:
        told = self.get("/api/steps")
        self.assertEqual({one["key"] for one in told}, {key for key, kind in REGISTRY.items() if kind.offered})
        for one in told:
            picture = self.post("/api/steps/picture", {"kind": one["key"]})
            with self.subTest(step=one["key"]):
                if picture is None:
                    continue
                self.assertTrue(one["drawn"])
                self.assertLess(picture["low"], picture["high"])
                for line in picture["lines"]:
                    self.assertEqual(len(line["x"]), len(line["y"]))
                    self.assertTrue(2 <= len(line["x"]) <= 1000)

    def test_pictures_that_cannot_be_drawn(self) -> None:
        self.refused("POST", "/api/steps/picture", "There is no step called 'nonsense'", 422, json={"kind": "nonsense"})
        self.refused("POST", "/api/steps/picture", "Drive: drive_db", json={"kind": "drive", "params": {"drive_db": 900}})
        self.refused("POST", "/api/steps/picture", "rate", json={"kind": "drive", "rate": 0})

    def test_a_wish_and_chains_that_answer_it(self) -> None:
        chain = [{"kind": "low_pass", "params": {"cutoff_hz": 900.0}}]
        number = self.post(f"{HERE}/chains", {"name": "Muffled", "told": "Behind the kiln wall", "chain": chain})["id"]
        found = self.get(f"{HERE}/steps/find", wish="behind a wall")
        self.assertEqual(found["steps"][0]["kind"], "low_pass")
        self.assertIn({"id": number, "name": "Muffled", "told": "Behind the kiln wall"}, found["chains"])
        self.assertEqual(self.get(f"{HERE}/steps/find", wish="xyzzy"), {"steps": [], "chains": []})
        self.assertIn("Muffled", [one["name"] for one in self.get(f"{HERE}/steps/find")["chains"]])
        # kept anew without a word, it says what it said; with one, that
        self.post(f"{HERE}/chains", {"name": "Muffled", "chain": chain})
        self.assertEqual(next(one["told"] for one in self.get(f"{HERE}/chains") if one["id"] == number), "Behind the kiln wall")
        self.assertEqual(self.post(f"{HERE}/chains", {"name": "Muffled", "told": "In the next room", "chain": chain})["id"], number)
        self.assertEqual(next(one["told"] for one in self.get(f"{HERE}/chains") if one["id"] == number), "In the next room")

    def test_levels_at_every_step_of_a_layer_a_group_and_the_sum(self) -> None:
        gain = {"kind": "gain", "id": "up", "params": {"gain_db": 3.0}}
        mix = self.mix(self.layer("brass hit", chain=[gain], group="g"), chain=[gain | {"id": "sum"}], groups=[{"id": "g", "chain": [gain | {"id": "all"}]}])
        for of, step in (("brass hit", "up"), ("g", "all"), ("", "sum")):
            before, after = self.post(f"{HERE}/stack/levels", {"mix": mix, "id": of})
            with self.subTest(of=of):
                self.assertEqual((before["step"], after["step"]), ("", step))
                self.assertAlmostEqual(after["peak_dbfs"] - before["peak_dbfs"], 3.0, delta=0.02)
        self.assertEqual(self.post(f"{HERE}/stack/levels", {"mix": self.mix(), "id": ""}), [])
        self.refused("POST", f"{HERE}/stack/levels", "not in the design any more", json={"mix": mix, "id": "gone"})

    def test_crowding_of_a_design(self) -> None:
        self.assertEqual(self.post(f"{HERE}/stack/crowding", self.mix())["pairs"], [])
        two = self.mix(self.layer("brass hit"), self.layer("brass hit") | {"id": "again"})
        found = self.post(f"{HERE}/stack/crowding", two)
        self.assertEqual([one["id"] for one in found["strips"]], ["brass hit", "again"])
        self.assertEqual(found["pairs"][0]["over_db"], 0.0)
        self.assertEqual(found["pairs"][0]["dip"]["step"]["kind"], "band")

    def test_sounds_behind_a_node(self) -> None:
        node = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")["node"]
        self.assertEqual(self.post(f"{HERE}/steps/behind", {"node": node}), ["glass hit"])
        self.assertEqual(self.post(f"{HERE}/steps/behind", {"node": node | {"audio": "f" * 40}}), [])

    def test_plug_ins_that_cannot_be_had(self) -> None:
        self.assertEqual(self.get("/api/plugins"), [])
        self.refused("POST", "/api/plugins", "there is nothing there", json={"path": "/nothing/here.vst3"})
        self.refused("POST", "/api/plugins", r"is no \.vst3", json={"path": "/etc/hostname"})
        self.refused("POST", "/api/plugins/0123456789abcdef/retry", "not on the shelf")
        self.refused("DELETE", "/api/plugins/0123456789abcdef", "not on the shelf")
        node = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}")["node"]
        step = {"kind": "plugin", "params": {"plugin": "0123456789abcdef"}}
        opened = self.post(f"{HERE}/open", {"node": {"kind": "chained", "node": node, "chain": [step]}})
        self.assertEqual(opened["passed_over"], ["Plug-in is not on this machine's shelf; open its file, and it takes its place."])
        self.assertEqual(opened["digest"], self.post(f"{HERE}/open", {"node": node})["digest"])
