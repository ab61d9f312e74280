"""Describing in bulk with undo, the tree of categories, sets, own fields, uses, the trash."""

from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Member, Mix, NodeAdapter
from oskren.core.words.conditions import parse
from oskren.store.describe import describing, keeping, tree, undoing
from oskren.store.describe.describing import Change
from oskren.store.search.asking import Asked
from oskren.store.tables import Design, Draft, History, Setting, SoundSet
from tests.store.test_library import InLibrary


class Described(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for number, (name, category) in enumerate(
            (("Glass creak 1", "Glass/Creak"), ("Glass shatter 2", "Glass/Shatter"), ("Brass hinge", "Metal/Hinge"), ("Slam door", "Door"), ("Kelp", "")), 1
        ):
            self.add(name, number, category)

    def names(self, text: str = "", **more: object) -> list[str]:
        own = {name: kind for name, kind, _ in keeping.fields(self.library)}
        search = parse(text, own)  # type: ignore[arg-type]
        found = self.library.search(Asked(words=search.words, conditions=search.conditions, **more))  # type: ignore[arg-type]
        return [self.library.sound(number).name for number in found.ids]


class Edits(Described):
    def test_one_edit_of_many_is_taken_back_and_done_again_as_one(self) -> None:
        change = Change(category="Stone/Gravel", add_tags="wet big", remove_tags="dry", rating=4, mark="plum", notes="by hand", rights="ours", strength=5)
        describing.edit(self.library, [1, 2, 3], change)
        for number in (1, 2, 3):
            sound = self.library.sound(number)
            self.assertEqual((sound.category, sound.category_sure, sound.tags), ("Stone/Gravel", 1.0, "wet big"))
            self.assertEqual((sound.rating, sound.mark, sound.rights, sound.strength), (4, "plum", "ours", 5))
        self.assertEqual(self.names("gravel wet"), ["Brass hinge", "Glass creak 1", "Glass shatter 2"])
        self.assertIn("3 sounds", undoing.take_back(self.library))
        self.assertEqual([self.library.sound(n).category for n in (1, 2, 3)], ["Glass/Creak", "Glass/Shatter", "Metal/Hinge"])
        self.assertEqual((self.library.sound(1).tags, self.library.sound(1).category_sure), ("dry", 0.6))
        self.assertEqual(self.names("gravel"), [])
        undoing.take_back(self.library, again=True)
        self.assertEqual(len(self.names("gravel")), 3)

    def test_undo_goes_back_edit_by_edit_and_a_new_one_ends_redo(self) -> None:
        for rating in (1, 2, 3):
            describing.edit(self.library, [1], Change(rating=rating))
        undoing.take_back(self.library)
        undoing.take_back(self.library)
        self.assertEqual(self.library.sound(1).rating, 1)
        describing.edit(self.library, [1], Change(rating=5))
        with self.assertRaisesRegex(OskrenError, "nothing to do again"):
            undoing.take_back(self.library, again=True)
        undoing.take_back(self.library)
        undoing.take_back(self.library)
        with self.assertRaisesRegex(OskrenError, "nothing to undo"):
            undoing.take_back(self.library)
        self.assertEqual(self.library.sound(1).rating, 0)

    def test_a_bad_edit_changes_nothing(self) -> None:
        for change, words in (
            (Change(mark="red"), "no mark"),
            (Change(name="same"), "cannot have one name"),
            (Change(anchor_s=99.0), "must lie inside"),
            (Change(fields={"Take": "1"}), "no field called"),
            (Change(layout="7.1"), "cannot be 7.1"),
        ):
            with self.subTest(change=change), self.assertRaisesRegex(OskrenError, words):
                describing.edit(self.library, [1, 2], change.model_copy(update={"rating": 5}))
        with self.assertRaisesRegex(OskrenError, "no sound 99"):
            describing.edit(self.library, [1, 99], Change(rating=5))
        self.assertEqual([self.library.sound(n).rating for n in (1, 2)], [0, 0])

    def test_confirming_in_bulk_makes_sure_and_teaches(self) -> None:
        self.assertEqual(self.names("where sure under 61 and not category Glass")[:2], ["Brass hinge", "Kelp"])
        describing.edit(self.library, [1, 2, 3, 4, 5], Change(confirm=True))
        self.assertEqual(self.names("where sure under 99"), ["Kelp"])
        describing.edit(self.library, [5], Change(category="Plant/Seaweed"))
        self.assertIn("Plant/Seaweed", tree.vocabulary(self.library).paths)
        self.assertEqual(tree.vocabulary(self.library).propose("kelp 12.wav").category, "Plant/Seaweed")

    def test_own_fields_are_checked_searched_and_come_back(self) -> None:
        keeping.add_field(self.library, "Distance", "choice", ["close", "far"])
        keeping.add_field(self.library, "Take", "number")
        describing.edit(self.library, [1, 2], Change(fields={"Distance": "far", "Take": "7"}))
        describing.edit(self.library, [2], Change(fields={"Distance": ""}))
        self.assertEqual(self.names("where Distance is far"), ["Glass creak 1"])
        self.assertEqual(self.names("where Take at least 7 and not Distance is far"), ["Glass shatter 2"])
        self.assertEqual(self.names("far"), ["Glass creak 1"])
        for values, words in (({"Distance": "near"}, "no choice"), ({"Take": "many"}, "no value")):
            with self.assertRaisesRegex(OskrenError, words):
                describing.edit(self.library, [1], Change(fields=values))  # type: ignore[arg-type]
        for name, kind, options in (("name", "text", []), ("", "text", []), ("Mood", "choice", []), ("Mood", "colour", [])):
            with self.subTest(name=name, kind=kind), self.assertRaises(OskrenError):
                keeping.add_field(self.library, name, kind, options)
        keeping.drop_field(self.library, "Distance")
        self.assertEqual(self.library.sound(1).fields["Distance"], "far")

    def test_anchors_move_as_one_edit(self) -> None:
        self.assertEqual(describing.set_anchors(self.library, {1: (0.01, "hit"), 2: (0.02, "top"), 3: (0.0, "hit")}), 2)
        self.assertEqual(self.names("where anchor top"), ["Glass shatter 2"])
        undoing.take_back(self.library)
        self.assertEqual(self.names("where anchor top"), [])


class Trees(Described):
    def paths(self) -> set[str]:
        return {one.path for one in tree.categories(self.library)}

    def test_rename_and_move_take_sounds_and_what_lies_below_along(self) -> None:
        tree.add(self.library, "Glass/Creak/Slow")
        self.assertEqual(tree.move(self.library, "Glass", "Solids/Vitreous"), 2)
        self.assertEqual(self.library.sound(1).category, "Solids/Vitreous/Creak")
        self.assertTrue({"Solids", "Solids/Vitreous", "Solids/Vitreous/Creak/Slow"} <= self.paths())
        self.assertNotIn("Glass", self.paths())
        self.assertEqual(self.names("vitreous"), ["Glass creak 1", "Glass shatter 2"])
        self.assertEqual(self.names(facets={"category": ["Solids"]}), ["Glass creak 1", "Glass shatter 2"])

    def test_merge_joins_sounds_words_and_lessons(self) -> None:
        tree.add(self.library, "Ironware", words=["clank", "metal"])
        describing.edit(self.library, [3], Change(category="Metal/Hinge"))
        tree.move(self.library, "Metal", "Ironware")
        self.assertEqual(self.library.sound(3).category, "Ironware/Hinge")
        merged = next(one for one in tree.categories(self.library) if one.path == "Ironware")
        self.assertTrue({"clank", "metal", "brass?"} <= set(merged.words))
        self.assertEqual(tree.vocabulary(self.library).propose("Brass hinge 9.wav").category, "Ironware/Hinge")
        with self.assertRaisesRegex(OskrenError, "a part of it"):
            tree.move(self.library, "Ironware", "Ironware/Hinge/More")

    def test_delete_gives_its_sounds_another_category(self) -> None:
        self.assertEqual(tree.remove(self.library, "Glass", "Stone"), 2)
        self.assertEqual([self.library.sound(n).category for n in (1, 2)], ["Stone", "Stone"])
        self.assertEqual(tree.remove(self.library, "Stone"), 2)
        self.assertEqual((self.library.sound(1).category, self.library.sound(1).category_sure), ("", 0.0))
        for path, instead, words in (("Glass", "", "no category Glass"), ("Metal", "Metal/Hinge", "deleted with it")):
            with self.assertRaisesRegex(OskrenError, words):
                tree.remove(self.library, path, instead)

    def test_csv_out_and_in_again(self) -> None:
        table = tree.export_csv(self.library)
        before = tree.categories(self.library)
        for top in ("Glass", "Voice", "Weapon"):
            tree.remove(self.library, top)
        tree.import_csv(self.library, table)
        self.assertEqual(tree.categories(self.library), before)
        # a studio's own list instead of ours: what holds sounds stays
        count = tree.import_csv(self.library, "category,sub category,code\nPROPS,BOLT,PRBT\n", replace=True)
        self.assertEqual((count, self.paths()), (2, {"PROPS".capitalize(), "Props/Bolt", "Metal", "Metal/Hinge", "Door"}))
        self.assertEqual(tree.vocabulary(self.library).propose("PRBT_03.wav").category, "Props/Bolt")


class Kept(Described):
    def test_sets_keep_their_order(self) -> None:
        number = keeping.add_set(self.library, "first", [3, 1])
        keeping.put_in_set(self.library, number, [5, 2])
        self.assertEqual(keeping.set_members(self.library, number), [3, 1, 5, 2])
        keeping.put_in_set(self.library, number, [2], before=3)
        self.assertEqual(self.names(facets={"set": [str(number)]}, sort=f"set:{number}"), ["Glass shatter 2", "Brass hinge", "Glass creak 1", "Kelp"])
        self.assertEqual(self.names("where set is first and length over 0.2 s"), ["Brass hinge", "Kelp"])
        with self.assertRaisesRegex(OskrenError, "no sound 77"):
            keeping.put_in_set(self.library, number, [77])
        keeping.forget(self.library, SoundSet, number)
        self.assertEqual((len(self.names()), keeping.sets(self.library)), (5, []))

    def use(self, number: int, project: int = 1) -> None:
        node = NodeAdapter.validate_python(self.library.sound(number).node)
        mix = Mix(members=(Member(node=node),))
        with self.library.writing() as session:
            row = Design(name="Lock", mix=mix.model_dump(mode="json"), project=project)
            session.add(row)
            session.flush()
            keeping.note_uses(session, "design", row.id, [mix], project)
        self.library.columns.touch_uses()

    def test_used_here_elsewhere_and_nowhere(self) -> None:
        other = keeping.add_project(self.library, "Trailer").id
        self.use(1)
        self.use(2, other)
        self.assertEqual(self.names("where used here"), ["Glass creak 1"])
        self.assertEqual(self.names("where used elsewhere"), ["Glass shatter 2"])
        self.assertEqual(self.names("where used here", project=other), ["Glass shatter 2"])
        self.assertEqual(len(self.names("where used no")), 3)
        self.assertEqual(self.library.search(Asked()).facets["used"], {"here": 1, "elsewhere": 1, "no": 3})
        self.assertEqual(describing.uses_of(self.library, 2), [{"what": "design", "item": 2, "name": "Lock", "project": "Trailer"}])
        with self.assertRaisesRegex(OskrenError, "called Trailer already"):
            keeping.add_project(self.library, "Trailer")

    def test_the_trash_hides_and_gives_back(self) -> None:
        describing.edit(self.library, [1, 4], Change(trashed=True))
        self.assertEqual(len(self.names()), 3)
        self.assertEqual(self.names(trash=True), ["Glass creak 1", "Slam door"])
        self.assertEqual(self.names("glass", facets={"category": ["Glass"]}), ["Glass shatter 2"])
        undoing.take_back(self.library)
        self.assertEqual(len(self.names()), 5)

    def test_emptying_keeps_what_is_used_and_files_that_are_referred_to(self) -> None:
        self.add("Copied bell", 9, "Metal", refer=False)
        self.use(1)
        copied = self.library.media(f"{9:040x}")
        describing.edit(self.library, [1, 4, 6], Change(trashed=True))
        gone, stays = describing.empty_trash(self.library)
        self.assertEqual((gone, len(stays)), (2, 1))
        self.assertIn("Glass creak 1 is used in 1 place", stays[0])
        self.assertFalse(copied.exists())
        self.assertTrue((self.folder / "files" / "Slam door.wav").exists())
        self.assertEqual((len(self.names()), self.names(trash=True)), (3, ["Glass creak 1"]))
        self.assertEqual(self.names("bell"), [])

    def test_audio_that_anything_names_stays_when_its_sound_goes(self) -> None:
        for number in range(6, 10):
            self.add(f"Held {number}", number, "Metal", refer=False)
        audios = [f"{number:040x}" for number in range(6, 10)]
        # what stands before it cannot hide it
        held = [{"name": 'five " pipe', "notes": "long " * 30, "node": {"kind": "source", "audio": audio}} for audio in audios]
        with self.library.writing() as session:
            session.add(Setting(name="heard", value=held[0]))
            session.add(Draft(project=1, name="recipe", body=held[1]))
            session.add(History(what="design", item=99, past=[held[2]], future=[]))
        paths = [self.library.media(audio) for audio in audios]
        describing.edit(self.library, [6, 7, 8, 9], Change(trashed=True))
        self.assertEqual(describing.empty_trash(self.library), (4, []))
        self.assertEqual([path.exists() for path in paths], [True, True, True, False])

    def test_importing_what_lies_in_the_trash_takes_it_out(self) -> None:
        describing.edit(self.library, [1], Change(trashed=True))
        self.assertTrue(self.add("Glass creak 1", 1))
        self.assertIn("Glass creak 1", self.names())
        self.assertEqual(len(self.names()), 5)


class Answers(Described):
    def test_conditions_on_every_field_answer(self) -> None:
        for text, count in (
            ("where length under 0.25 s", 2),
            ("where length between 200 ms and 0.3 s", 2),
            ("where channels 2", 0),
            ("where channels is 2", 3),
            ("where layout mono", 2),
            ("where loudness over -23", 2),
            ("where peak at most -4", 2),
            ("where brightness at least 4 kHz", 2),
            ("where name begins with Glass", 2),
            ("where name has hinge", 1),
            ("where folder has files", 5),
            ("where format WAV and rate is 48 kHz and bits is 24", 5),
            ("where arrival is first", 5),
            ("where kind original and missing no and mended no", 5),
            ("where added after 2000 and not added before 2001", 5),
            ("where recorded after 2000", 0),
            ("where tag dry and not category Glass or Metal", 2),
            ("where notes has nothing", 0),
            ("where clipped yes", 0),
            ("where anchor hit", 5),
        ):
            with self.subTest(text=text):
                if text == "where channels 2":
                    with self.assertRaises(OskrenError):
                        self.names(text)
                    continue
                self.assertEqual(len(self.names(text)), count)

    def test_two_tags_together_narrow(self) -> None:
        describing.edit(self.library, [1, 2], Change(add_tags="wet"))
        describing.edit(self.library, [2, 3], Change(add_tags="slow"))
        self.assertEqual(self.names(facets={"tag": ["wet", "slow"]}), ["Glass shatter 2"])
        self.assertEqual(self.library.search(Asked(facets={"tag": ["wet"]})).facets["tag"], {"dry": 5, "slow": 2, "wet": 2})

    def test_orders_are_mended_as_rows_change(self) -> None:
        for number in range(6, 60):
            self.add(f"Row {number * 37 % 100:02d}", number)
        self.names()
        for number, name in ((7, "Zz top"), (9, "Aa first"), (11, "Middle")):
            self.library.change(number, {"name": name})
        mended = self.names(limit=100)
        self.assertEqual(mended, sorted(mended, key=str.lower))
        self.assertEqual((mended[0], mended[-1], len(mended)), ("Aa first", "Zz top", 59))

    def test_the_next_page_of_the_same_question(self) -> None:
        first = self.library.search(Asked(limit=2))
        second = self.library.search(Asked(limit=2, offset=2))
        self.assertEqual(first.facets, second.facets)
        self.assertFalse(set(first.ids) & set(second.ids))
        describing.edit(self.library, first.ids, Change(trashed=True))
        self.assertEqual(self.library.search(Asked(limit=2)).total, 3)
