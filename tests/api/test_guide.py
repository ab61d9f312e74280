"""The guide as the app shows it: a page of its own, with every picture, naming keys that are there."""

import re
from pathlib import Path

from tests.api.test_api import Running

ROOT = Path(__file__).parents[2]


class Guide(Running):
    def test_it_is_shown_with_every_picture_and_nothing_beside_them_leaves(self) -> None:
        page = self.client.get("/guide")
        self.assertEqual(page.status_code, 200)
        self.assertIn("<h1>One sound, from the beach to the library</h1>", page.text)
        pictures = re.findall(r'<img src="([^"]+)" alt="([^"]+)"', page.text)
        self.assertGreaterEqual(len(pictures), 10)
        for address, told in pictures:
            with self.subTest(picture=told):
                answer = self.client.get(address)
                self.assertEqual((answer.status_code, answer.content[:4]), (200, b"\x89PNG"))
        for wrong in ("/guide/none.png", "/guide/guide.md"):
            self.assertEqual(self.client.get(wrong).status_code, 404, wrong)
        self.assertNotIn("One sound", self.client.get("/guide/..%2Fguide.md").text)

    def test_its_keys_are_those_of_the_app(self) -> None:
        told = set(re.findall(r"`([A-Z]|[?/,.'=-]|\d|Ctrl [A-Z])`", (ROOT / "docs" / "guide.md").read_text()))
        listed = re.findall(r"^\| `(.+?)` \|", (ROOT / "docs" / "keys.md").read_text(), re.M)
        known = {key.upper().replace("CTRL+", "Ctrl ") for key in listed}
        self.assertEqual(told - known, set())
        self.assertGreater(len(told), 15)
