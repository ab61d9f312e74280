"""The trash of documents: what is put away keeps all that is its own, and comes back with it."""

from __future__ import annotations

from typing import Any

from tests.api.test_api import HERE, Running


class Trash(Running):
    def design(self, name: str) -> dict[str, Any]:
        mix = {"members": [self.layer("glass hit")]}
        return self.post(f"{HERE}/designs", {"name": name, "mix": mix})  # type: ignore[no-any-return]

    def layer(self, sound: str) -> dict[str, Any]:
        answer = self.client.get(f"{HERE}/stack/layer", params={"sound": self.named(sound)["id"]})
        self.assertEqual(answer.status_code, 200, answer.text)
        return dict(answer.json())

    def away(self, kind: str, id: int, status: int = 200) -> dict[str, Any]:
        answer = self.client.delete(f"{HERE}/documents/{kind}/{id}")
        self.assertEqual(answer.status_code, status, answer.text)
        return dict(answer.json())

    def back(self, kind: str, id: int, status: int = 200) -> dict[str, Any]:
        answer = self.client.post(f"{HERE}/documents/{kind}/{id}/back")
        self.assertEqual(answer.status_code, status, answer.text)
        return dict(answer.json())

    def answers(self, entry: int) -> int:
        return next(len(one["answers"]) for one in self.get(f"{HERE}/wanted")["entries"] if one["id"] == entry)

    def stacks(self) -> list[int]:
        return [one["id"] for one in self.get(f"{HERE}/designs")]

    def test_a_design_comes_back_with_versions_steps_recipe_sheet_and_answers(self) -> None:
        design = self.design("Gate of salt")
        id, here = design["id"], f"{HERE}/designs/{design['id']}"
        self.post(f"{here}/versions", {"name": "first try", "mix": design["mix"]})
        step = {"back": [{"op": "replace", "path": "/name", "value": "a"}], "forth": [{"op": "replace", "path": "/name", "value": "b"}]}
        self.client.put(f"{HERE}/history/design/{id}", json={"past": [step], "future": []}).raise_for_status()
        recipe = self.client.put(f"{here}/recipe-draft", json={"seed": 77})
        self.assertEqual(recipe.status_code, 200, recipe.text)
        entry = self.post(f"{HERE}/wanted", [{"what": "salt gate opens"}])["ids"][0]
        self.post(f"{HERE}/wanted/{entry}/answers", {"kind": "design", "items": [id]})
        self.post(f"{HERE}/sheets/1/items", {"designs": [id]})
        begun = self.client.post(f"{HERE}/spreads", json={"design": id, "seed": 3, "count": 2})
        self.finish(begun)
        spread = f"{HERE}/spreads/{begun.json()['id']}"
        before = (self.get(f"{here}/versions"), self.get(f"{HERE}/history/design/{id}"), self.get(f"{here}/recipe-draft"))
        count = self.get(f"{HERE}/counts")["stack"]

        self.assertEqual(self.away("design", id)["sheets"], [1])
        self.assertNotIn(id, self.stacks())
        self.assertEqual(self.client.get(here).status_code, 404)
        self.assertEqual(self.get(f"{HERE}/counts")["stack"], count - 1)
        self.assertNotIn(id, self.get(f"{HERE}/sheets/1")["sheet"]["designs"])
        self.assertEqual(self.answers(entry), 0)
        self.assertEqual([(one["kind"], one["id"], one["name"]) for one in self.get(f"{HERE}/trash")], [("design", id, "Gate of salt")])
        self.assertIn("may have been removed", self.away("design", id, 404)["sentence"])
        # what was drawn from it stays, of no design for now
        self.assertEqual((self.get(spread)["design"], len(self.get(spread)["all"])), (None, 2))

        self.back("design", id)
        self.assertIn(id, self.stacks())
        self.assertEqual(self.get(spread)["design"], id)
        self.assertEqual((self.get(f"{here}/versions"), self.get(f"{HERE}/history/design/{id}"), self.get(f"{here}/recipe-draft")), before)
        self.assertIn(id, self.get(f"{HERE}/sheets/1")["sheet"]["designs"])
        self.assertEqual(self.answers(entry), 1)
        self.assertIn("taken back", self.back("design", id, 404)["sentence"])
        self.away("design", id)

    def test_sounds_in_a_design_in_the_trash_stay_until_it_is_emptied(self) -> None:
        design = self.design("Held")
        self.away("design", design["id"])
        uses = self.get(f"{HERE}/sounds/{self.named('glass hit')['id']}/uses")
        self.assertIn("Held (in the trash)", [one["name"] for one in uses])
        self.assertGreaterEqual(self.post(f"{HERE}/trash/empty", {})["documents"], 1)
        self.assertEqual(self.get(f"{HERE}/trash"), [])
        self.back("design", design["id"], 404)

    def test_sounds_follow_a_chain_again_that_comes_back_unless_they_went_their_own_way(self) -> None:
        ids = [self.named(name)["id"] for name in ("glass hit", "brass hit")]
        chain = self.post(f"{HERE}/chains", {"name": "Dull", "chain": [{"kind": "low_pass", "id": "l"}]})["id"]
        self.finish(self.client.post(f"{HERE}/chains/{chain}/give", json={"ids": ids, "linked": True}))
        self.away("saved_chain", chain)
        follows = [self.get(f"{HERE}/sounds/{id}")["follows"] for id in ids]
        self.assertEqual(follows, [None, None])
        self.client.put(f"{HERE}/sounds/{ids[1]}/chain", json={"chain": []}).raise_for_status()
        self.back("saved_chain", chain)
        self.assertEqual([self.get(f"{HERE}/sounds/{id}")["follows"] for id in ids], [chain, None])
        self.away("saved_chain", chain)
        self.client.put(f"{HERE}/sounds/{ids[0]}/chain", json={"chain": []}).raise_for_status()

    def test_names_and_copies(self) -> None:
        design = self.design("Tide")
        copies = [self.post(f"{HERE}/documents/design/{design['id']}/copy", {})["id"] for _ in range(2)]
        made = {one["id"]: one for one in self.get(f"{HERE}/designs")}
        self.assertEqual([made[id]["name"] for id in copies], ["Tide copy", "Tide copy 2"])
        self.assertEqual(made[copies[0]]["mix"], design["mix"])
        reel = self.post(f"{HERE}/reels", {"name": "Dawn", "ids": [self.named("gear take")["id"]]})
        copy = self.post(f"{HERE}/documents/reel/{reel['id']}/copy", {})["id"]
        named = self.client.put(f"{HERE}/documents/reel/{copy}/name", json={"name": " Dusk "})
        self.assertEqual((named.json(), self.get(f"{HERE}/reels/{copy}")["name"]), ({"name": "Dusk"}, "Dusk"))
        self.assertEqual(self.get(f"{HERE}/reels/{copy}")["reel"], reel["reel"])
        # a save that was based on the reel before it got its name is told so
        late = self.client.put(f"{HERE}/reels/{copy}", json=reel["reel"], params={"based_on": 0})
        self.assertEqual(late.status_code, 409)
        for kind, id in (("design", design["id"]), *(("design", id) for id in copies), ("reel", reel["id"]), ("reel", copy)):
            self.away(kind, id)
        self.assertEqual(self.client.put(f"{HERE}/documents/reel/{copy}/name", json={"name": "x"}).status_code, 404)
        self.assertEqual(self.client.post(f"{HERE}/documents/version/1/copy").status_code, 422)
