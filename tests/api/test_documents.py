"""What every kind of document must keep to, whatever it holds: one revision a save, conflicts, changes as JSON Patch, news to other pages."""

from __future__ import annotations

import unittest
from fractions import Fraction
from typing import Any

from oskren.api.documents.histories import What
from oskren.core.errors import OskrenError
from tests.api.test_api import HERE, Running
from tests.films import write_film
from tests.support import PATIENCE_S

BODY = {"design": None, "chain": ["chain"], "plan": "plan", "reel": "reel", "sheet": "sheet", "recipe": "draft", "spread": "judged", "scene": ["name", "scene"]}
"""Where in what a page is shown the body of a save lies: the name of a field, a list of fields, or None for name and mix."""


def body_of(kind: str, shown: dict[str, Any]) -> dict[str, Any]:
    place = BODY[kind]
    if place is None:
        return {"name": shown["name"], "mix": shown["mix"]}
    return {name: shown[name] for name in place} if isinstance(place, list) else dict(shown[place])


class Documents(Running):
    """Each kind, begun once, with a change of one value of it as a JSON Patch."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        sounds = {row["name"]: row["id"] for row in cls.client.get(f"{HERE}/sounds").json()["rows"]}
        take, hit = sounds["gear take"], sounds["glass hit"]
        layer = cls.client.get(f"{HERE}/stack/layer", params={"sound": hit}).json()
        design = cls.client.post(f"{HERE}/designs", json={"name": "Kept", "mix": {"members": [{**layer, "id": "a"}]}}).json()["id"]
        reel = cls.client.post(f"{HERE}/reels", json={"ids": [take], "name": "Takes"}).json()["id"]
        begun = cls.client.post(f"{HERE}/spreads", json={"design": design, "count": 2, "seed": 1})
        cls.finish(begun)
        spread = begun.json()["id"]
        draw = cls.client.get(f"{HERE}/spreads/{spread}").json()["all"][0]["id"]
        film = cls.client.post(f"{HERE}/films", json={"path": str(write_film(cls.folder / "kept.mp4", Fraction(25), 20))})
        cls.finish(film)
        scene = cls.client.post(f"{HERE}/scenes", json={"name": "Kept", "film": film.json()["id"]}).json()["id"]
        gain = {"kind": "gain", "id": "g", "params": {"gain_db": -2.0}}
        cls.kinds: dict[str, tuple[str, int, list[dict[str, Any]]]] = {
            "design": ("designs/{id}", design, [{"op": "replace", "path": "/mix/members/0/gain_db", "value": -6.0}]),
            "chain": ("sounds/{id}/chain", hit, [{"op": "add", "path": "/chain/0", "value": gain}]),
            "plan": ("plans/{id}", take, [{"op": "replace", "path": "/finish/mono", "value": "mid"}]),
            "reel": ("reels/{id}", reel, [{"op": "replace", "path": "/gap_s", "value": 4.0}]),
            "sheet": ("sheets/{id}", 1, [{"op": "replace", "path": "/name", "value": "Bells"}]),
            "recipe": ("designs/{id}/recipe-draft", design, [{"op": "replace", "path": "/seed", "value": 77}]),
            "spread": ("spreads/{id}/judged", spread, [{"op": "add", "path": f"/states/{draw}", "value": "kept"}]),
            "scene": ("scenes/{id}", scene, [{"op": "replace", "path": "/scene/guide_db", "value": -12.0}]),
        }

    def each(self) -> list[tuple[str, str, int, list[dict[str, Any]]]]:
        return [(kind, f"{HERE}/{address.format(id=id)}", id, patch) for kind, (address, id, patch) in self.kinds.items()]

    def test_every_kind_that_has_steps_of_undo_is_here(self) -> None:
        self.assertEqual(set(self.kinds), set(What.__args__))  # type: ignore[attr-defined]

    def test_a_save_counts_the_revision_and_an_older_one_is_refused(self) -> None:
        for kind, address, _, _ in self.each():
            with self.subTest(kind=kind):
                shown = self.get(address)
                body, revision = body_of(kind, shown), shown["revision"]
                if kind == "plan":  # the first plan is found, not kept
                    revision = self.client.put(address, json=body).json()["revision"]
                kept = self.client.put(f"{address}?based_on={revision}", json=body)
                self.assertEqual((kept.status_code, kept.json()["revision"]), (200, revision + 1), kept.text)
                late = self.client.put(f"{address}?based_on={revision}", json=body)
                self.assertEqual((late.status_code, "was changed somewhere else" in late.json()["sentence"]), (409, True))
                self.assertEqual(body_of(kind, self.get(address)), body)

    def test_a_change_alone_is_kept_and_one_that_does_not_fit_is_refused(self) -> None:
        for kind, address, _, patch in self.each():
            with self.subTest(kind=kind):
                before = self.client.put(address, json=body_of(kind, self.get(address))).json()["revision"]
                kept = self.client.patch(f"{address}?based_on={before}", json={"patch": patch})
                self.assertEqual((kept.status_code, kept.json()["revision"]), (200, before + 1), kept.text)
                now = self.get(address)
                found: Any = body_of(kind, now)
                for part in patch[0]["path"].split("/")[1:]:
                    found = found[int(part)] if isinstance(found, list) else found[part]
                self.assertEqual(found if kind != "chain" else found["id"], patch[0]["value"] if kind != "chain" else "g")
                late = self.client.patch(f"{address}?based_on={before}", json={"patch": patch})
                self.assertEqual(late.status_code, 409, late.text)
                for wrong, words in (([{"op": "remove", "path": "/nowhere"}], "does not fit"), ([{"op": "replace", "path": "", "value": 7}], "")):
                    refused = self.client.patch(f"{address}?based_on={before + 1}", json={"patch": wrong})
                    self.assertEqual((refused.status_code, words in refused.json()["sentence"]), (422, True), refused.text)
                unsaid = self.client.patch(address, json={"patch": patch})
                self.assertEqual((unsaid.status_code, "which revision" in unsaid.json()["sentence"]), (422, True))
                self.assertEqual(self.get(address)["revision"], before + 1)

    def test_other_pages_hear_of_it_and_what_is_not_there_is_said(self) -> None:
        studio = self.client.app.state.studio  # type: ignore[attr-defined]
        for kind, address, id, _ in self.each():
            with self.subTest(kind=kind):
                body = body_of(kind, self.get(address))
                with studio.jobs.listening() as told:
                    self.client.put(address, json=body, headers={"X-Oskren-Page": "one"}).raise_for_status()
                    news = told.get(timeout=PATIENCE_S)
                    while news[0] != "changed":
                        news = told.get(timeout=PATIENCE_S)
                self.assertEqual(news[1], {"library": "test", "what": kind, "id": id, "page": "one"})
                if kind != "sheet":  # every project has one
                    gone = self.client.put(address.replace(f"/{id}", "/99999"), json=body)
                    self.assertEqual((gone.status_code, "There is no" in gone.json()["sentence"]), (404, True), gone.text)

    def test_a_patch_of_something_that_is_no_patch_is_an_error_of_the_core(self) -> None:
        from oskren.api.documents.factory import applied
        from oskren.api.documents.patches import PatchOp
        from oskren.api.slice.plans import PLAN
        from oskren.core.slice.plan import Plan

        with self.assertRaises(OskrenError):
            applied(PLAN, Plan(), [PatchOp(op="move", path="/finish")])


del Running

if __name__ == "__main__":
    unittest.main()
