"""The table's answers beside plain SQL on the same library, and a library of an older version brought up to date."""

import itertools
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from alembic import command
from alembic.config import Config
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, text

import oskren.store
from bench.gather import FOLDERS, big_library
from oskren.core.measure import likeness, timbre
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Excerpt, Member, Mix, Source, Step
from oskren.core.words.conditions import parse
from oskren.store import Home
from oskren.store.describe import describing, tree, undoing
from oskren.store.describe.describing import Change
from oskren.store.search.asking import SHARED_WORD, Asked
from oskren.store.search.vector import BEFORE, table_of, vector_of

ROWS = 3000


class BesideSql(unittest.TestCase):
    """The bench's invented library, small: what the arrays answer must be what SQL answers."""

    @classmethod
    def setUpClass(cls) -> None:
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.home = big_library(Path(holder.name), ROWS)
        cls.addClassCleanup(cls.home.close)
        cls.library = cls.home.library("Big")

    def sql(self, where: str = "1", **values: object) -> set[int]:
        with self.library.reading() as session:
            return set(session.execute(text(f"SELECT id FROM sounds WHERE {where}"), values).scalars())

    def ids(self, q: str = "", **more: Any) -> list[int]:
        search = parse(q)
        found = self.library.search(Asked(words=search.words, conditions=search.conditions, limit=ROWS, **more))
        self.assertEqual(found.total, len(found.ids))
        return found.ids

    def test_conditions(self) -> None:
        for q, where in (
            ("where length under 5 s", "frames * 1.0 / rate < 5"),
            ("where length between 5 and 10 s", "frames * 1.0 / rate BETWEEN 5 AND 10"),
            ("where rate is 96 kHz and rating at least 3", "rate = 96000 AND rating >= 3"),
            ("where not category Glass", "NOT (category = 'Glass' OR category LIKE 'Glass/%')"),
            ("where category Glass or Metal/Hinge", "category = 'Glass' OR category LIKE 'Glass/%' OR category = 'Metal/Hinge'"),
            ("where format MP3 and kind print", "format = 'MP3' AND kind = 'print'"),
            ("where mark amber or glass", "mark IN ('amber', 'glass')"),
            ("where sure under 50 %", "category_sure < 0.5"),
            ("where folder has props", "folder LIKE '%props%'"),
            ("where name begins with Glass", "name LIKE 'Glass%'"),
            ("where anchor top", "json_extract(measures, '$.anchor_kind') = 'top'"),
            ("where channels is 2", "channels = 2"),
            ("where peak over -3 dBFS", "json_extract(measures, '$.sample_peak_dbfs') > -3"),
            ("where brightness at most 1 kHz", "json_extract(measures, '$.brightness_hz') <= 1000"),
            ("where key is A minor", "json_extract(measures, '$.key') = 'A minor'"),
        ):
            with self.subTest(q=q):
                wanted = self.sql(where)
                self.assertTrue(wanted)
                self.assertEqual(set(self.ids(q)), wanted)

    @settings(deadline=None, max_examples=40)
    @given(
        st.lists(
            st.tuples(st.sampled_from(["", "-"]), st.lists(st.sampled_from(["glass", "brass", "creak", "door", "ring"]), min_size=1, max_size=3, unique=True)),
            max_size=4,
        )
    )
    def test_words_left_out_and_words_of_which_one_will_do(self, asked: list[tuple[str, list[str]]]) -> None:
        """Beside sets of Python: every group of alternatives, and none of what is left out."""
        plain = {word: set(self.ids(word)) for word in ("glass", "brass", "creak", "door", "ring")}
        wanted, typed = set(self.ids()), []
        for minus, words in asked:
            if minus:
                typed.append(f"-{words[0]}")
                wanted -= plain[words[0]]
            else:
                typed.append(" or ".join(words))
                wanted &= set.union(*(plain[word] for word in words))
        self.assertEqual(set(self.ids(" ".join(typed))), wanted)

    def test_tags_are_whole_words(self) -> None:
        for tag in ("ring", "bell", "step"):
            wanted = self.sql("' ' || tags || ' ' LIKE :tag", tag=f"% {tag} %")
            self.assertEqual(set(self.ids(facets={"tag": [tag]})), wanted)

    @settings(max_examples=40, deadline=None)
    @given(
        st.sampled_from(["", "gl", "st", "creak", "wing ca"]),
        st.sampled_from([{}, {"format": ["WAV"]}, {"rate": ["48000"], "rating": ["5", "4"]}, {"category": ["Water"]}, {"tag": ["glass", "slow"]}]),
        st.sampled_from(["category", "format", "rate", "rating", "mark", "kind", "channels"]),
    )
    def test_a_facet_counts_within_all_others(self, words: str, facets: dict[str, list[str]], name: str) -> None:
        found = self.library.search(Asked(words=words, facets=facets, limit=1))
        others = {key: values for key, values in facets.items() if key != name}
        inside = self.ids(words, facets=others)
        with self.library.reading() as session:
            rows = dict(session.execute(text(f"SELECT id, {name} FROM sounds")).all())
        counts: dict[str, int] = {}
        for number in inside:
            counts[str(rows[number])] = counts.get(str(rows[number]), 0) + 1
        self.assertEqual(found.facets[name], counts)

    def test_pages_join_to_the_whole(self) -> None:
        whole = self.ids(sort="brightness")
        parts: list[int] = []
        for at in range(0, ROWS, 700):
            parts += self.library.search(Asked(sort="brightness", offset=at, limit=700)).ids
        self.assertEqual(parts, whole)
        self.assertEqual(len(set(whole)), ROWS)

    def test_every_order_is_one(self) -> None:
        with self.library.reading() as session:
            rows = {row[0]: row for row in session.execute(text("SELECT id, lower(name), frames * 1.0 / rate, rating, rate, category, folder FROM sounds"))}
        for place, sort in enumerate(("name", "duration_s", "rating", "rate", "category", "folder"), 1):
            values = [rows[number][place] for number in self.ids(sort=sort)]
            with self.subTest(sort=sort):
                self.assertEqual(values, sorted(values))
                backwards = [rows[number][place] for number in self.ids(sort=sort, descending=True)]
                self.assertEqual(backwards, sorted(values, reverse=True))

    def test_likeness_ranks_as_the_distances_do(self) -> None:
        with self.library.reading() as session:
            rows = session.execute(text("SELECT id, name, measures, frames * 1.0 / rate FROM sounds ORDER BY id")).all()
        table = likeness.scaled(np.array([likeness.describe(json.loads(measures), seconds) for _, _, measures, seconds in rows], np.float32))
        apart = likeness.distances(table, table[41])
        order = self.ids(like=42)
        self.assertEqual(order[0], 42)
        far = [float(apart[number - 1]) for number in order]
        # none of these has a timbre, so the descriptors alone speak, ten to one; a name has at most four words
        self.assertTrue(all(later > earlier - 4 * SHARED_WORD * likeness.BESIDE**-1 - 1e-3 for earlier, later in itertools.pairwise(far[1:])))

    def test_rows_of_before_timbre_keep_what_they_held(self) -> None:
        measures = {"brightness_hz": 900.0, "bands_db": [-9.0] * 8, "integrated_lufs": -20.0, "timbre": [0.2] * timbre.NUMBERS}
        now = vector_of(measures, 1.0)
        table = table_of([now, now[: 4 * BEFORE], b""])
        np.testing.assert_array_equal(table[1, :BEFORE], table[0, :BEFORE])
        self.assertTrue(np.isfinite(table[0, BEFORE:]).all() and np.isnan(table[1, BEFORE:]).all() and np.isnan(table[2]).all())

    def test_after_bulk_edits_everything_still_agrees(self) -> None:
        chosen = self.ids("where rating is 5")[:700]
        describing.edit(self.library, chosen, Change(category="Stone/Edited", add_tags="zebra", rating=1))
        self.assertEqual(set(self.ids("where category Stone/Edited")), set(chosen))
        self.assertEqual(set(self.ids("zebra")), set(chosen))
        self.assertEqual(self.library.search(Asked()).facets["tag"]["zebra"], len(chosen))
        self.assertEqual(set(self.ids("where rating is 1")), self.sql("rating = 1"))
        undoing.take_back(self.library)
        self.assertEqual(self.ids("zebra"), [])
        self.assertEqual(set(self.ids("where rating is 5")), self.sql("rating = 5"))

    def test_folders_take_what_lies_below_along(self) -> None:
        self.assertEqual(set(self.ids(facets={"folder": ["/sounds/props"]})), self.sql("folder LIKE '/sounds/props/%'"))
        self.assertEqual(set(self.ids(facets={"folder": [FOLDERS[0]]})), self.sql("folder = :folder", folder=FOLDERS[0]))


class Older(unittest.TestCase):
    """A library as the first version left it."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        library = self.folder / "libraries" / "old"
        library.mkdir(parents=True)
        engine = create_engine(f"sqlite:///{library / 'library.db'}")
        config = Config()
        config.set_main_option("script_location", str(Path(oskren.store.__file__).parent / "migrations"))
        source = Source(audio="a" * 40, rate=48_000, channels=1, frames=96_000)
        shot = Chained(node=Excerpt(node=source, start_s=0.5, end_s=1.0), chain=(Step(kind="gain", params={"gain_db": -3.0}),))
        mix = Mix(members=(Member(node=shot),))
        measures = {"sample_peak_dbfs": -6.0, "integrated_lufs": -20.0, "brightness_hz": 900.0, "anchor_s": 0.1, "anchor_kind": "top"}
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0001")
            other = source.model_copy(update={"audio": "b" * 40})
            rows = (("Old glass", "original", source), ("Old shot", "one-shot", shot), ("Unused", "original", other))
            for number, (name, kind, node) in enumerate(rows, 1):
                connection.execute(
                    text(
                        "INSERT INTO sounds (id, name, kind, created, key, node, chain, rate, channels, bits, format, frames, category, category_sure, tags, "
                        "rating, notes, measures, row) VALUES (:id, :name, :kind, '2026-01-01T00:00:00Z', :key, :node, '[]', 48000, 1, 24, 'WAV', 96000, "
                        "'Glass/Own', 1.0, 'dry', 3, '', :measures, x'00')"
                    ),
                    {"id": number, "name": name, "kind": kind, "key": node_hash(node), "node": node.model_dump_json(), "measures": json.dumps(measures)},
                )
                connection.execute(text("INSERT INTO sound_words(rowid, words) VALUES (:id, :words)"), {"id": number, "words": name})
            connection.execute(
                text("INSERT INTO designs (id, name, mix, created) VALUES (1, 'Old design', :mix, '2026-01-01T00:00:00Z')"), {"mix": mix.model_dump_json()}
            )
        engine.dispose()
        self.home = Home(self.folder)
        self.addCleanup(self.home.close)
        self.library = self.home.library("old")

    def test_its_sounds_are_searched_by_everything_that_is_new(self) -> None:
        found = self.library.search(Asked(words="old"))
        self.assertEqual(found.total, 2)
        search = parse("where brightness under 1 kHz and anchor top and loudness is -20")
        self.assertEqual(self.library.search(Asked(conditions=search.conditions)).total, 3)
        self.assertIn("Glass/Own", [one.path for one in tree.categories(self.library)])
        self.assertGreater(len(tree.categories(self.library)), 20)

    def test_uses_are_known(self) -> None:
        used = parse("where used here").conditions
        self.assertEqual({self.library.sound(n).name for n in self.library.search(Asked(conditions=used)).ids}, {"Old glass", "Old shot"})
        self.assertEqual(describing.uses_of(self.library, 2)[0]["name"], "Old design")

    def test_it_is_described_on(self) -> None:
        describing.edit(self.library, [1, 2, 3], Change(category="Metal", mark="sky"))
        self.assertEqual(self.library.search(Asked(words="metal")).total, 3)
        undoing.take_back(self.library)
        self.assertEqual(self.library.sound(1).category, "Glass/Own")
