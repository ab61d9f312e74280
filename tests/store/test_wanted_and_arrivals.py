"""The wanted list of a project, notes and photos of arrivals, names in bulk."""

from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Mix
from oskren.core.words.conditions import parse
from oskren.core.words.wanting import Entry
from oskren.demo.field import picture
from oskren.store.describe import arrivals, describing, keeping, undoing, wanted
from oskren.store.describe.arrivals import ArrivalNotes, NotesChange
from oskren.store.describe.describing import Change
from oskren.store.search.asking import Asked
from oskren.store.tables import Design
from oskren.work.gather import backup
from tests.store.test_library import InLibrary


class Wanting(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        for number, (name, category) in enumerate(
            (("Glass creak 1", "Glass/Creak"), ("Glass shatter", "Glass/Shatter"), ("Brass hinge creak", "Metal/Hinge"), ("Kelp torn", "Plant")), 1
        ):
            self.add(name, number, category)

    def want(self, what: str, **values: object) -> int:
        return wanted.add(self.library, 1, [Entry(what=what, **values)])[0]  # type: ignore[arg-type]

    def state(self, number: int) -> str:
        return next(kept.entry.state for kept in wanted.listed(self.library, 1) if kept.id == number)

    def test_the_most_important_stands_first_and_projects_are_apart(self) -> None:
        other = keeping.add_project(self.library, "Trailer").id
        self.want("wind", priority=3)
        self.want("glass", priority=1)
        self.want("kelp")
        wanted.add(self.library, other, [Entry(what="glass")])
        self.assertEqual([kept.entry.what for kept in wanted.listed(self.library, 1)], ["glass", "kelp", "wind"])
        self.assertEqual([kept.entry.what for kept in wanted.listed(self.library, other)], ["glass"])

    def test_an_entry_written_again_is_brought_up_to_date(self) -> None:
        first = self.want("Glass creaks", how_many=2)
        self.assertEqual(self.want("glass CREAKS", how_many=5, state="done"), first)
        [kept] = wanted.listed(self.library, 1)
        self.assertEqual((kept.entry.how_many, kept.entry.state), (5, "done"))

    def test_answers_move_the_state_on_and_never_back(self) -> None:
        number = self.want("glass creak")
        wanted.answer(self.library, number, "sound", [1])
        self.assertEqual(self.state(number), "found")
        wanted.answer(self.library, number, "sound", [2], recorded=True)
        self.assertEqual(self.state(number), "recorded")
        wanted.answer(self.library, number, "sound", [3])
        self.assertEqual(self.state(number), "recorded")
        with self.library.writing() as session:
            session.add(Design(id=7, name="Unlock", mix=Mix().model_dump(mode="json")))
        wanted.answer(self.library, number, "design", [7])
        [kept] = wanted.listed(self.library, 1)
        self.assertEqual(kept.entry.state, "designed")
        self.assertEqual([(one.kind, one.name) for one in kept.answers[-1:]], [("design", "Unlock")])
        wanted.unlink(self.library, number, "sound", 1)
        self.assertEqual([one.item for one in wanted.listed(self.library, 1)[0].answers], [2, 3, 7])
        wanted.change(self.library, number, {"state": "to record"})  # by hand it goes anywhere
        self.assertEqual(self.state(number), "to record")

    def test_a_trashed_sound_answers_nothing_until_it_is_back(self) -> None:
        number = self.want("glass creak")
        wanted.answer(self.library, number, "sound", [1])
        describing.edit(self.library, [1], Change(trashed=True))
        self.assertEqual(wanted.listed(self.library, 1)[0].answers, [])
        describing.edit(self.library, [1], Change(trashed=False))
        self.assertEqual(len(wanted.listed(self.library, 1)[0].answers), 1)

    def test_suggestions_are_what_fits_best_and_is_not_linked(self) -> None:
        number = self.want("glass creaking, slow")
        found = wanted.suggest(self.library, number)
        self.assertEqual([one for one, _ in found][:1], [1])
        self.assertEqual(sorted(found, key=lambda one: -one[1]), found)
        self.assertNotIn(4, [one for one, _ in found])
        wanted.answer(self.library, number, "sound", [1])
        self.assertNotIn(1, [one for one, _ in wanted.suggest(self.library, number)])
        self.assertEqual(wanted.suggest(self.library, self.want("42")), [])
        self.assertEqual(wanted.suggest(self.library, self.want("thunder")), [])

    def test_odd_words_do_no_harm_to_the_search(self) -> None:
        for what in ('"quoted" AND (glass', "glass*creak:OR", "ガラス", "NEAR(glass)"):
            with self.subTest(what=what):
                wanted.suggest(self.library, self.want(what))

    def test_progress_counts_every_state(self) -> None:
        for state in ("wanted", "wanted", "to record", "done"):
            self.want(f"thing {self.library.arrival('x')}", state=state)
        self.assertEqual(wanted.progress(self.library, 1), {"wanted": 2, "found": 0, "to record": 1, "recorded": 0, "designed": 0, "done": 1})

    def test_csv_there_and_back(self) -> None:
        wanted.answer(self.library, self.want("glass creak", how_many=3, priority=1, notes="slow, wet"), "sound", [1, 2])
        self.want("wind")
        table = wanted.export_csv(self.library, 1)
        self.assertIn('glass creak,3,must,found,"slow, wet",Glass creak 1; Glass shatter', table)
        other = keeping.add_project(self.library, "Other").id
        self.assertEqual(len(wanted.import_csv(self.library, other, table)), 2)
        self.assertEqual([kept.entry for kept in wanted.listed(self.library, other)], [kept.entry for kept in wanted.listed(self.library, 1)])

    def test_what_is_not_there_is_refused(self) -> None:
        number = self.want("glass")
        for call, words in (
            (lambda: wanted.answer(self.library, number, "sound", [99]), "no sound 99"),
            (lambda: wanted.answer(self.library, 99, "sound", [1]), "no entry 99"),
            (lambda: wanted.change(self.library, number, {"state": "nearly"}), "no state 'nearly'"),
            (lambda: wanted.remove(self.library, 99), "no entry 99"),
            (lambda: wanted.suggest(self.library, 99), "no entry 99"),
            (lambda: self.want("   "), "Say what is wanted"),
        ):
            with self.assertRaisesRegex(OskrenError, words):
                call()
        self.assertEqual(wanted.listed(self.library, 1)[0].answers, [])

    def test_taking_an_entry_off_leaves_its_sounds(self) -> None:
        number = self.want("glass")
        wanted.answer(self.library, number, "sound", [1])
        wanted.remove(self.library, number)
        self.assertEqual((wanted.listed(self.library, 1), self.library.sound(1).name), ([], "Glass creak 1"))


class Arrivals(InLibrary):
    def setUp(self) -> None:
        super().setUp()
        self.add("Kelp", 1)
        self.add("Reeds", 2)
        self.other = self.library.arrival("second")
        self.first, self.arrival = self.arrival, self.other
        self.add("Bell", 3)

    def names(self, text: str) -> list[str]:
        search = parse(text)
        found = self.library.search(Asked(words=search.words, conditions=search.conditions))
        return [self.library.sound(number).name for number in found.ids]

    def test_its_sounds_are_found_by_its_notes(self) -> None:
        notes = ArrivalNotes(
            place="Causeway, low tide", microphone="spaced pair", props="kelp", weather="drizzle", permission="keeper asked", notes="gulls far off"
        )
        self.assertEqual(arrivals.describe(self.library, self.first, notes), 2)
        for words in (
            "causeway tide",
            "spaced",
            "drizzle",
            "keeper",
            "gulls",
            "where place has causeway",
            "where weather is drizzle and not microphone has mono",
        ):
            with self.subTest(words=words):
                self.assertEqual(self.names(words), ["Kelp", "Reeds"])
        self.assertEqual(self.names("where place has harbour"), [])
        arrivals.describe(self.library, self.first, ArrivalNotes(place="Harbour"))
        self.assertEqual((self.names("causeway"), self.names("harbour")), ([], ["Kelp", "Reeds"]))
        self.assertEqual(arrivals.notes_of(self.library, self.first).place, "Harbour")
        self.assertEqual(arrivals.notes_of(self.library, None), ArrivalNotes())

    def test_two_fields_noted_at_once_are_both_kept(self) -> None:
        """Each change says what it changes: neither page nor second field writes over what it has not read yet."""
        arrivals.describe(self.library, self.first, NotesChange(place="Causeway"))
        arrivals.describe(self.library, self.first, NotesChange(weather="drizzle"))
        self.assertEqual(arrivals.notes_of(self.library, self.first), ArrivalNotes(place="Causeway", weather="drizzle"))
        self.assertEqual(self.names("causeway drizzle"), ["Kelp", "Reeds"])
        arrivals.describe(self.library, self.first, NotesChange(place=""))
        self.assertEqual((self.names("causeway"), self.names("drizzle")), ([], ["Kelp", "Reeds"]))

    def test_notes_stay_found_after_a_sound_was_edited(self) -> None:
        arrivals.describe(self.library, self.first, ArrivalNotes(place="Causeway"))
        describing.edit(self.library, [1], Change(notes="torn", rating=3))
        self.assertEqual(self.names("causeway torn"), ["Kelp"])

    def test_what_comes_in_later_has_the_notes_too(self) -> None:
        arrivals.describe(self.library, self.first, ArrivalNotes(place="Causeway"))
        self.arrival = self.first
        self.add("Sluice", 9)
        self.assertEqual(self.names("causeway"), ["Kelp", "Reeds", "Sluice"])

    def test_photos_are_kept_once_and_go_with_their_last_arrival(self) -> None:
        data = picture(40, 30)
        file = arrivals.add_photo(self.library, self.first, "shore.png", data)
        self.assertEqual(arrivals.add_photo(self.library, self.other, "again.png", data), file)
        path = self.library.folder / "photos" / file
        self.assertEqual(path.read_bytes(), data)
        arrivals.drop_photo(self.library, self.first, file)
        self.assertTrue(path.exists())
        arrivals.drop_photo(self.library, self.other, file)
        self.assertFalse(path.exists())

    def test_what_is_no_photo_is_refused(self) -> None:
        for name, data, words in (
            ("notes.txt", b"hello", "is no picture"),
            ("sound.wav", b"RIFF\0\0\0\0WAVE", "is no picture"),
            ("empty.png", b"", "is no picture"),
            ("huge.jpg", b"\xff\xd8\xff" + bytes(26 << 20), "larger than 25 MB"),
        ):
            with self.subTest(name=name), self.assertRaisesRegex(OskrenError, f"{name}: .*{words}"):
                arrivals.add_photo(self.library, self.first, name, data)
        with self.assertRaisesRegex(OskrenError, "no arrival 99"):
            arrivals.add_photo(self.library, 99, "x.png", picture(4, 4))
        with self.assertRaisesRegex(OskrenError, "no photo"):
            arrivals.drop_photo(self.library, self.first, "none.png")
        self.assertFalse((self.library.folder / "photos").exists())

    def test_a_backup_holds_notes_photos_and_the_wanted_list(self) -> None:
        arrivals.describe(self.library, self.first, ArrivalNotes(place="Causeway"))
        file = arrivals.add_photo(self.library, self.first, "shore.png", picture(8, 6))
        wanted.add(self.library, 1, [Entry(what="glass")])
        opened = backup.restore(self.home, backup.write(self.library, self.folder / "kept"), "Elsewhere")
        self.assertEqual((opened.folder / "photos" / file).read_bytes(), picture(8, 6))
        self.assertEqual(arrivals.notes_of(opened, self.first).place, "Causeway")
        self.assertEqual(wanted.listed(opened, 1)[0].entry.what, "glass")

    def test_names_in_bulk_are_numbered_and_taken_back_as_one(self) -> None:
        arrivals.describe(self.library, self.first, ArrivalNotes(place="Causeway"))
        describing.edit(self.library, [2, 1, 3], Change(naming="{place} {number:2}, {name}", numbered_from=8))
        self.assertEqual([self.library.sound(number).name for number in (1, 2, 3)], ["Causeway 09, Kelp", "Causeway 08, Reeds", "10, Bell"])
        self.assertEqual(self.names('"Causeway 09"'), ["Causeway 09, Kelp"])
        undoing.take_back(self.library)
        self.assertEqual([self.library.sound(number).name for number in (1, 2, 3)], ["Kelp", "Reeds", "Bell"])
        with self.assertRaisesRegex(OskrenError, "does not exist"):
            describing.edit(self.library, [1, 2], Change(naming="{colour}"))
        self.assertEqual(self.library.sound(1).name, "Kelp")
