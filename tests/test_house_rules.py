"""Rules of the house that a reader would otherwise have to check by eye: keys, colours, contrast, links, demo, structure."""

import ast
import itertools
import re
import subprocess
import unittest
from pathlib import Path

import numpy as np

from oskren.core.measure import spectrum
from oskren.core.nodes.model import Source, active, check_chain
from oskren.core.steps import describe
from oskren.core.steps.base import checked
from oskren.core.steps.finding import find
from oskren.core.words import conditions
from oskren.demo.chains import chains
from oskren.demo.scenario import RECORDINGS
from oskren.demo.takes import PERFORMANCE

ROOT = Path(__file__).parents[1]
WEB = ROOT / "web" / "src"


def sources() -> list[Path]:
    return [path for path in WEB.rglob("*.ts*") if path.name != "schema.d.ts"]


class Interface(unittest.TestCase):
    def keys(self) -> dict[str, tuple[str, str]]:
        text = (WEB / "ui" / "keys.ts").read_text()
        return {act: (key.replace("\\\\", "\\"), says) for act, key, says in re.findall(r'^\s+(\w+): \["([^"]+)", "([^"]+)"\]', text, re.M)}

    def test_no_key_has_two_meanings(self) -> None:
        keys = [key for key, _ in self.keys().values()]
        self.assertEqual(len(keys), len(set(keys)))
        self.assertGreater(len(keys), 35)

    def test_the_key_list_in_docs_is_the_one_in_the_app(self) -> None:
        listed = re.findall(r"^\| `(.+)` \| (.+) \|$", (ROOT / "docs" / "keys.md").read_text(), re.M)
        self.assertEqual(listed, list(self.keys().values()))

    def test_every_key_stands_in_a_section_of_the_list(self) -> None:
        text = (WEB / "ui" / "keys.ts").read_text()
        sections = text[text.index("export const SECTIONS") : text.index("as const satisfies Record<string, readonly Act[]>")]
        listed = set(re.findall(r'"(\w+)"', sections))
        self.assertEqual(set(self.keys()) - listed, set())

    def test_colours_stand_in_the_theme_alone(self) -> None:
        for path in sources():
            if path.name != "theme.ts":
                self.assertEqual(re.findall(r"#[0-9a-fA-F]{3,8}\b|rgba?\(", path.read_text()), [], path.name)

    def test_text_has_contrast_in_both_looks(self) -> None:
        """WCAG 2.2, success criterion 1.4.3: at least 4.5 to 1."""
        rows = re.findall(r'^  (\w+): \["(#\w{6})", "(#\w{6})"\]', (WEB / "ui" / "theme.ts").read_text(), re.M)
        colours = {name: looks for name, *looks in rows}

        def luminance(colour: str) -> float:
            parts = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
            linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
            return float(linear @ [0.2126, 0.7152, 0.0722])

        for look in (0, 1):
            for text, ground in [
                *itertools.product(("chalk", "dim", "amber", "coral", "glass"), ("ground", "sheet")),
                ("onAmber", "amber"),
                ("chalk", "raised"),
                ("dim", "raised"),
                ("amber", "amberSoft"),
            ]:
                light, dark = sorted((luminance(colours[text][look]), luminance(colours[ground][look])), reverse=True)
                with self.subTest(look=look, text=text, ground=ground):
                    self.assertGreaterEqual((light + 0.05) / (dark + 0.05), 4.5)

    def test_nothing_comes_from_another_site(self) -> None:
        for path in [*sources(), ROOT / "web" / "index.html"]:
            self.assertEqual(re.findall(r"https?://(?!www\.w3\.org)[\w.]+", path.read_text()), [], path.name)

    def test_no_any_in_typescript(self) -> None:
        for path in sources():
            self.assertIsNone(re.search(r":\s*any\b|as any\b|<any>", path.read_text()), path.name)


class Documents(unittest.TestCase):
    def test_links_lead_somewhere(self) -> None:
        for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
            for link in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
                with self.subTest(page=page.name, link=link):
                    self.assertTrue((page.parent / link).exists())

    def test_every_screenshot_is_shown(self) -> None:
        readme = (ROOT / "README.md").read_text()
        for picture in (ROOT / "docs" / "screenshots").glob("*.png"):
            self.assertIn(picture.name, readme)

    def test_every_make_target_of_the_readme_exists(self) -> None:
        makefile = (ROOT / "Makefile").read_text()
        for target in set(re.findall(r"(?m)(?:`|^)make (\w+)", (ROOT / "README.md").read_text())):
            self.assertRegex(makefile, rf"(?m)^{target}:")

    def test_no_registry_is_named(self) -> None:
        listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True).stdout.split()
        for name in ("requirements.lock", "web/package-lock.json", "web/.npmrc"):
            self.assertIn(name, listed)
            text = (ROOT / name).read_text()
            for word in ('"' + "resolved" + '"', "index" + "-url", "find-links", ".tgz"):
                self.assertNotIn(word, text)


class Structure(unittest.TestCase):
    def test_public_functions_of_the_core_say_what_they_do(self) -> None:
        missing = []
        for path in (ROOT / "oskren" / "core").rglob("*.py"):
            tree = ast.parse(path.read_text())
            self.assertTrue(ast.get_docstring(tree), f"{path.name} has no docstring")
            for node in tree.body:
                if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_") and not ast.get_docstring(node):
                    missing.append(f"{path.name}: {node.name}")
        allowed = [name for name in missing if name.endswith(("Params", "Frozen"))]
        self.assertEqual(sorted(set(missing) - set(allowed)), [])

    def test_ranges_and_units_of_controls_come_from_the_models(self) -> None:
        """Plug-ins state their own, a curve is drawn over the range of what it moves, a freedom steps in its unit; all else is a published control."""
        own = {path.name for path in sources() if re.search(r"<Num\b", path.read_text()) and path.parent.name != "ui"}
        self.assertEqual(own, {"plugins.tsx", "CurvePanel.tsx", "FreedomRow.tsx"})

    def test_imports_of_the_front_end_run_one_way(self) -> None:
        from tools import web_order

        self.assertEqual(web_order.wrong(), [])
        self.assertEqual(web_order.against(Path("ui/keys.ts"), Path("session/store")), "upwards")
        self.assertEqual(web_order.against(Path("stages/vary/Vary.tsx"), Path("stages/ship/Ship")), "one stage from another")

    def test_the_builder_offers_what_the_search_language_knows(self) -> None:
        text = (ROOT / "web" / "src" / "stages" / "gather" / "Conditions.tsx").read_text()
        offered = dict(re.findall(r'^  (\w+): \["(\w+)", "[^"]*"\],$', text, re.M))
        self.assertEqual(offered, {name: kind for name, (kind, _) in conditions.FIELDS.items()})

    def test_what_is_dull_is_so_in_the_audition_and_in_layers(self) -> None:
        told = (ROOT / "web" / "src" / "stages" / "gather" / "HeardNow.tsx").read_text()
        self.assertIn(f"const DULL_HZ = {spectrum.DULL_HZ:.0f};", told)

    def test_examples_in_docstrings_run(self) -> None:
        import doctest
        import importlib

        shown = [path for path in sorted((ROOT / "oskren").rglob("*.py")) if ">>> " in path.read_text(encoding="utf-8")]
        self.assertGreater(len(shown), 25)
        for path in shown:
            name = ".".join(path.relative_to(ROOT).with_suffix("").parts)
            result = doctest.testmod(importlib.import_module(name), verbose=False)
            with self.subTest(module=name):
                self.assertGreater(result.attempted, 0)
                self.assertEqual(result.failed, 0)

    def test_the_guide_to_adding_a_step_shows_the_code_that_runs(self) -> None:
        (shown,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "steps.md").read_text(), re.S)
        self.assertIn(shown.strip(), (ROOT / "oskren" / "core" / "steps" / "tilt.py").read_text())

    def test_every_step_says_what_it_does_and_is_found_by_it(self) -> None:
        for kind in describe():
            with self.subTest(step=kind["key"]):
                self.assertTrue(kind["told"].endswith(".") and kind["words"])
                self.assertIn(kind["key"], [match.key for match in find(kind["words"].split()[0])])
                for name, params in kind["settings"].items():
                    checked(kind["key"], params)
                    self.assertIn(kind["key"], [match.key for match in find(name)][:8])

    def test_modules_fit_in_the_head(self) -> None:
        for path in (ROOT / "oskren").rglob("*.py"):
            self.assertLess(len(path.read_text().splitlines()), 500, path.name)


class Demo(unittest.TestCase):
    def test_chains_a_designer_would_reach_for(self) -> None:
        response = Source(audio="0" * 40, rate=48_000, channels=1, frames=4800)
        made = chains(response, response)
        self.assertGreaterEqual(len(made), 12)
        self.assertEqual(len({name for name, _, _ in made}), len(made))
        used = {step.kind for _, _, chain in made for step in chain}
        self.assertGreaterEqual(len(used), 18)
        for name, told, chain in made:
            with self.subTest(chain=name):
                self.assertGreater(len(told.split()), 6)
                check_chain(chain)
                self.assertEqual(active(chain), chain)

    def test_about_sixty_sounds_of_believable_variety(self) -> None:
        self.assertTrue(55 <= len(RECORDINGS) <= 70)
        self.assertEqual(len({one.name for one in RECORDINGS}), len(RECORDINGS))
        self.assertEqual({one.rate for one in RECORDINGS}, {44_100, 48_000, 96_000})
        self.assertEqual({one.bits for one in RECORDINGS}, {16, 24})
        self.assertGreaterEqual(len({one.category.split("/")[0] for one in RECORDINGS}), 12)
        self.assertGreaterEqual(len({one.folder for one in RECORDINGS}), 6)
        self.assertTrue(all(one.tags and one.category for one in RECORDINGS))

    def test_the_same_every_time_and_each_its_own(self) -> None:
        some = [RECORDINGS[k] for k in (0, 5, 19, 34, 42)]
        first = [one.render(100 + k) for k, one in enumerate(some)]
        again = [one.render(100 + k) for k, one in enumerate(some)]
        for one, same, recording in zip(first, again, some, strict=True):
            np.testing.assert_array_equal(one, same)
            self.assertTrue(np.isfinite(one).all())
            self.assertAlmostEqual(20 * np.log10(np.abs(one).max()), recording.peak_db, places=3)

    def test_the_performance_is_three_minutes_long(self) -> None:
        self.assertEqual((PERFORMANCE.name, PERFORMANCE.rate), ("Gear room performance", 96_000))
