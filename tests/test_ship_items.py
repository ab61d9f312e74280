"""Items: one question for a batch, and names in the preview that are those of the files."""

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import event

from oskren.core.errors import OskrenError
from oskren.core.nodes import Step
from oskren.core.nodes.heard import Heard
from oskren.core.ship.sheet import Sheet
from oskren.core.ship.target import Target
from oskren.work.gather.importing import import_paths
from oskren.work.ship.items import items_of, titled_of
from oskren.work.ship.sheets import planned_files, ship, titled_items
from tests.support import noise, struck
from tests.test_gathering import InStudio

MONO = (Step(kind="mono"),)


class Asking(InStudio):
    @contextmanager
    def counted(self) -> Iterator[list[str]]:
        """The questions the library is asked."""
        asked: list[str] = []

        def note(connection: object, cursor: object, statement: str, *_: object) -> None:
            asked.append(statement)

        event.listen(self.library.engine, "before_cursor_execute", note)
        yield asked
        event.remove(self.library.engine, "before_cursor_execute", note)

    def bring(self, count: int) -> list[int]:
        for k in range(count):
            self.write(f"in/hit {k:02d}.wav", struck(0.2, 0.05, seed=k))
        return import_paths(self.studio, self.library, [self.folder / "in"], "in").sounds

    def test_a_batch_asks_the_library_once(self) -> None:
        ids = self.bring(40)
        for ask in (titled_of, items_of):
            with self.subTest(ask=ask.__name__), self.counted() as asked:
                self.assertEqual(len(ask(self.studio, self.library, ids)), 40)
            self.assertLessEqual(len(asked), 2, asked)
        with self.counted() as asked:
            self.assertEqual({one.channels for one in titled_of(self.studio, self.library, ids, {id: Heard(chain=MONO) for id in ids})}, {1})
        self.assertLessEqual(len(asked), 3, asked)

    def test_the_preview_names_the_files_that_are_written(self) -> None:
        self.write("in/wide.wav", noise(0.4, -20, channels=2))
        self.write("in/narrowed.wav", noise(0.4, -20, channels=2, seed=2))
        self.write("in/plain.wav", struck(0.4))
        import_paths(self.studio, self.library, [self.folder / "in"], "in")
        ids = [self.number(name) for name in ("wide", "narrowed", "plain")]
        self.library.change(ids[1], {"chain": [step.model_dump(mode="json") for step in MONO]})
        target = Target(template="{name} {channels} {rate}")
        for heard in ({}, {ids[0]: Heard(chain=MONO)}, {ids[0]: Heard(part=(0.1, 0.2), speed_st=-3)}):
            with self.subTest(heard=heard):
                titled = titled_of(self.studio, self.library, ids, heard)
                items = items_of(self.studio, self.library, ids, heard)
                looked_at = {"peak_dbfs": None, "bandwidth_hz": None, "correlation": None}
                self.assertEqual([one._replace(**looked_at) for one in titled], titled_items(self.studio, self.library, items))
                out = self.folder / f"out {len(heard)} {'part' if heard and heard[ids[0]].part else ''}"
                planned = [one.path for one in planned_files(self.studio, "s", titled, [target], out)[0]]
                done = ship(self.studio, self.library, Sheet(items=tuple(items), targets=(target,)), out)
                self.assertEqual(sorted(planned), sorted(report.path for report in done.reports))
        self.assertEqual(planned, ["wide, 0.10 to 0.20 s stereo 48k.wav", "narrowed mono 48k.wav", "plain mono 48k.wav"])

    def test_what_is_not_there_and_a_part_of_many_are_refused(self) -> None:
        ids = self.bring(2)
        for ask in (titled_of, items_of):
            with self.assertRaisesRegex(OskrenError, "There is no sound 99 in this library"):
                ask(self.studio, self.library, [*ids, 99])
            with self.assertRaisesRegex(OskrenError, "A marked part belongs to one sound"):
                ask(self.studio, self.library, ids, Heard(part=(0.0, 0.1)))
