"""One running Oskren: a home, its workers and its jobs; what the API and the command line are built on."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

import numpy as np

from oskren.core.audio import files
from oskren.core.errors import OskrenError
from oskren.core.measure.peaks import Peaks, of_samples
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.missing import lacking, renderable, without_missing
from oskren.core.nodes.model import Chained, Mix, Node, NodeAdapter, Print, Row, Source, Step
from oskren.core.nodes.render import Renderer
from oskren.core.nodes.voices import Shape
from oskren.core.plugins import shelf
from oskren.core.types import AnyArray, Samples
from oskren.store import Home, Library
from oskren.work.engine import tasks
from oskren.work.engine.cluster import Cluster, address_at
from oskren.work.engine.glancing import ESTIMATED, Glancing
from oskren.work.engine.jobs import Jobs
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.told import Told
from oskren.work.engine.workers import TooLong, Workers

HELD_S = 0.1
"""How often work that rests looks whether it is to go on."""

BEHIND_S = 900.0
"""How long work that nobody can wait for may go on behind."""

BEHIND = (
    "This takes longer to render than listening can wait; it is being rendered behind what you do. Choose it again in a while; "
    "freezing or printing what it is made of makes it quick."
)
NodeT = TypeVar("NodeT", bound=Node)


@dataclass(frozen=True)
class Ears:
    """Listening on headphones; channels that are ``silent`` (from 0) are left out."""

    silent: tuple[int, ...] = ()


class Studio:
    """Ties a home to its workers. Nodes that are listened to are known by their hash."""

    def __init__(self, home: Home, workers: Workers | None = None):
        self.home = home
        self.workers = workers or Workers()
        self.jobs = Jobs(self, home.jobs, home.folder / "run")
        self.peaks_folder = home.folder / "peaks"
        self._nodes: OrderedDict[str, tuple[Node, Library, Shape]] = OrderedDict()
        self._peaks: OrderedDict[str, Peaks] = OrderedDict()
        self.told = Told()
        self.glancing = Glancing(self.workers, home.folder / "run")
        self._completing: set[str] = set()
        self._cluster: Cluster | None = None
        self.cluster_at = address_at(home.folder)
        """The address of the cluster that ships; empty for this machine."""
        self._lock, self._connecting = threading.Lock(), threading.Lock()
        self.taking_up: threading.Thread | None = None

    def close(self) -> None:
        if self.taking_up is not None:
            self.taking_up.join(10)
        self.jobs.end_behind(within_s=2)
        self.workers.close()
        self.jobs.wait(within_s=5)
        if self._cluster is not None:
            self._cluster.close()
        self.home.close()

    def place(self, library: Library | None = None, *nodes: Node, flag: str = "") -> Workplace:
        """What a worker needs to render nodes of a library."""
        media, gone = library.media_found(*nodes) if library else ({}, {})
        return Workplace(str(self.home.cache.folder), str(self.peaks_folder), media, flag, gone)

    def present(self, library: Library, node: NodeT) -> tuple[NodeT, list[str]]:
        """A node as it can be heard now, and the names of layers that are passed over because their file is missing.

        Raises
        ------
        OskrenError
            When the file of what is not a layer of a design is missing: nothing can be heard then.
        """
        gone = library.media_found(node)[1]
        fresh, names = without_missing(node, gone)
        if not renderable(fresh, gone):
            raise OskrenError(gone[lacking(node, gone)[0]])
        return fresh, names  # type: ignore[return-value]

    def renderer(self, library: Library) -> Renderer:
        """A renderer for this process: lengths, originals and what is cached; heavy work goes to workers."""
        return Renderer(library.media, self.home.cache)

    # ---- batches

    def cluster(self) -> Cluster | None:
        """The cluster that ships, connected to; None when this machine does. OskrenError when it cannot be had."""
        if not self.cluster_at:
            return None
        with self._connecting:
            if self._cluster is not None and (self._cluster.address != self.cluster_at or not self._cluster.alive):
                self._cluster.close()
                self._cluster = None
            if self._cluster is None:
                self._cluster = Cluster(self.cluster_at, self.home.folder)
            return self._cluster

    def batch(
        self, calls: Sequence[tuple[Any, ...]], progress: Progress = ALONE, *, counts: bool = True, asked: bool = False, far: Cluster | None = None
    ) -> Iterator[tuple[int, Any]]:
        """Run (function, *arguments) in the pool, a few ahead of what is taken; gives (position, result) as they end.

        With ``counts`` each of them is one of the progress; without, whoever takes the results counts. With ``asked`` they are the few somebody
        waits for, and do not step back behind other work of the machine. With ``far`` they are run by the workers of a cluster.
        """
        pool = "asked" if asked else "batch"
        size = self.workers.size if far is None else far.size
        waiting: dict[Future[Any], int] = {}
        todo = iter(enumerate(calls))
        done = 0
        try:
            while True:
                while len(waiting) < size * 3 and not progress.held and (entry := next(todo, None)) is not None and progress.wanted:
                    waiting[self.workers.submit(pool, *entry[1]) if far is None else far.submit(*entry[1])] = entry[0]
                if not waiting:
                    if progress.held:
                        time.sleep(HELD_S)
                        continue
                    return
                for future in wait(waiting, return_when=FIRST_COMPLETED).done:
                    position = waiting.pop(future)
                    done += 1
                    result = future.result()
                    if counts:
                        progress.at(done, len(calls))
                    yield position, result
        finally:
            # what is not begun is not done; what is being written is waited for, so that nothing lands after the end
            for future in waiting:
                future.cancel()
            wait(waiting)

    # ---- listening

    def open(self, library: Library, node: Node, *, estimate: bool = False) -> tuple[str, Shape]:
        """Make a node ready to be heard: whole-file steps are rendered (by the live worker), the rest comes block by block.

        With ``estimate`` a long sound whose steps must measure all of it is answered at once, under a hash of its own (``ESTIMATED``), by which
        it is heard with estimates; asked again, it is answered by its own hash once it is measured.
        """
        node, _ = self.present(library, node)
        digest = node_hash(node)
        with self._lock:
            if digest in self._nodes:
                self._nodes.move_to_end(digest)
                return digest, self._nodes[digest][2]
        place = self.place(library, node)
        if isinstance(node, Source | Print):
            shape = Shape(node.frames, node.rate, node.channels, layout=node.layout or "")
        else:
            dumped = node.model_dump(mode="json")
            # a design renders its layers whole: nothing of it is estimated
            if estimate and not isinstance(node, Mix) and (about := self.glancing.shape(digest, place, dumped)) is not None:
                self._know(f"{ESTIMATED}{digest}", node, library, about)
                return f"{ESTIMATED}{digest}", about
            shape = self._shape(digest, place, dumped)
            if shelf.plugins():
                with shelf.as_it_is():  # one that failed meanwhile is passed over now
                    node = NodeAdapter.validate_python(dumped)
                    digest = node_hash(node)
        self._know(digest, node, library, shape)
        return digest, shape

    def _know(self, digest: str, node: Node, library: Library, shape: Shape) -> None:
        with self._lock:
            self._nodes[digest] = (node, library, shape)
            while len(self._nodes) > 2000:
                self._nodes.popitem(last=False)

    def _shape(self, digest: str, place: Workplace, dumped: dict[str, Any]) -> Shape:
        """Shape of a node, once its first block can be heard. What takes too long to wait for goes on behind."""
        with self._lock:
            if digest in self._completing:
                raise TooLong(BEHIND)
        try:
            found: Shape = self.workers.live(tasks.shape, place, dumped)
            return found
        except TooLong as error:
            with self._lock:
                self._completing.add(digest)
            until = replace(place, until=time.time() + BEHIND_S)
            self.workers.submit("batch", tasks.shape, until, dumped).add_done_callback(lambda _: self._completing.discard(digest))
            raise TooLong(BEHIND) from error

    def note(self, library: Library, node: Node, shape: Shape) -> None:
        """Know a node by its hash without rendering anything yet; its picture is made when asked for."""
        with self._lock:
            self._nodes[node_hash(node)] = (node, library, shape)

    def known(self, digest: str) -> tuple[Node, Library, Shape]:
        """The node, library and shape behind a hash; OskrenError when it was not opened since the last start."""
        with self._lock:
            if digest in self._nodes:
                return self._nodes[digest]
        raise OskrenError("This sound is no longer open; select it again.")

    def block(self, digest: str, start: int, frames: int, *, ears: Ears | None = None) -> bytes:
        """Raw float32 of an opened node. Originals and cached renders are read here, the rest by the live worker.

        With ``ears``, two channels: what both ears hear on headphones.
        """
        node, library, shape = self.known(digest)
        start = max(0, start)
        frames = max(0, min(frames, shape.frames - start))
        if not frames:
            return b""
        estimated = digest.startswith(ESTIMATED)
        if ears is not None:
            heard = Chained(node=node, chain=(Step(kind="headphones", params={"silent": ears.silent}),)).model_dump(mode="json")
            both: bytes = self.workers.live(tasks.block, self.place(library, node), heard, start, frames, estimated)
            if not estimated and not isinstance(node, Source | Print):
                self.complete(digest)
            return both
        cached = None if isinstance(node, Source | Print) else self.home.cache.open(digest)
        if cached is not None:
            return np.ascontiguousarray(cached[0][start : start + frames]).tobytes()
        if isinstance(node, Source | Print):
            return b"".join(np.ascontiguousarray(part).tobytes() for part in files.blocks(library.media(node.audio), start, start + frames))
        data: bytes = self.workers.live(tasks.block, self.place(library, node), node.model_dump(mode="json"), start, frames, estimated)
        if not estimated:
            self.complete(digest)
        return data

    @contextmanager
    def reader(self, digest: str) -> Iterator[Callable[[int, int], Samples]]:
        """A function (start, frames) that reads an opened node; an original's file is opened once for many looks at it."""
        node, library, shape = self.known(digest)
        if isinstance(node, Source | Print):
            with files.reading(library.media(node.audio)) as stream:

                def look(start: int, frames: int) -> Samples:
                    stream.seek(start)
                    found: Samples = stream.read(max(0, min(frames, shape.frames - start)), dtype="float32", always_2d=True)
                    return found

                yield look
        else:
            yield lambda start, frames: np.frombuffer(self.block(digest, start, frames), np.float32).reshape(-1, shape.channels)

    def complete(self, digest: str) -> None:
        """Have the whole of an opened node rendered into the cache, behind what is being heard."""
        node, library, _ = self.known(digest)
        if isinstance(node, Row):  # hours of takes are not written out a second time
            return
        with self._lock:
            if digest in self._completing or self.home.cache.has(digest):
                return
            self._completing.add(digest)
        future = self.workers.submit("batch", tasks.whole, self.place(library, node), node.model_dump(mode="json"))
        future.add_done_callback(lambda _: self._completing.discard(digest))

    # ---- pictures of sound

    def peaks(self, digest: str) -> Peaks:
        """The waveform of an opened node, made now if there is none yet."""
        with self._lock:
            if digest in self._peaks:
                self._peaks.move_to_end(digest)
                return self._peaks[digest]
        node, library, _ = self.known(digest)
        if digest.startswith(ESTIMATED):
            raise TooLong("The waveform is drawn once all of the sound is measured.")
        path = Workplace("", str(self.peaks_folder)).peaks_path(digest)
        found = Peaks.load(path)
        if found is None:
            # an hour of takes takes a while: what is being heard must not wait for its picture
            if isinstance(node, Row):
                self.workers.submit("question", tasks.waveform, self.place(library, node), node.model_dump(mode="json")).result()
            else:
                self.workers.live(tasks.waveform, self.place(library, node), node.model_dump(mode="json"))
            found = Peaks.load(path)
        if found is None and shelf.plugins():
            with shelf.as_it_is():  # a plug-in that failed over it is passed over now: the waveform is that of what is left
                left = node_hash(NodeAdapter.validate_python(node.model_dump()))
            found = Peaks.load(Workplace("", str(self.peaks_folder)).peaks_path(left))
        if found is None:
            raise OskrenError("The waveform could not be kept; check the disk Oskren writes to.")
        with self._lock:
            # those of hours are tens of megabytes: zooming through one must not read it each time
            self._peaks[digest] = found
            while len(self._peaks) > 12:
                self._peaks.popitem(last=False)
        return found

    def view(self, digest: str, start: int, end: int, width: int) -> AnyArray:
        """Waveform values (width, channels, 3) of a stretch in frames; close up from the samples themselves."""
        _, _, shape = self.known(digest)
        start, end = max(0, start), min(shape.frames, end)
        if end <= start:
            raise OskrenError("The stretch to draw lies outside the sound.")
        view = self.peaks(digest).view(start, end, width)
        if view is None:
            samples = np.frombuffer(self.block(digest, start, end - start), np.float32).reshape(-1, shape.channels)
            view = of_samples(samples, width)
        return view

    # ---- facts and prints

    def facts(self, library: Library, node: Node) -> dict[str, Any]:
        """Render and measure a node: shape, measures, row. It is no work for listening: others go on hearing meanwhile."""
        node, _ = self.present(library, node)
        found: dict[str, Any] = self.workers.submit("asked", tasks.facts, self.place(library, node), node.model_dump(mode="json")).result()
        return found

    def printed(self, library: Library, node: Node) -> tuple[Print, dict[str, Any]]:
        """Audio of its own for a node, kept with the library's media, with its lineage; and its facts."""
        node, _ = self.present(library, node)
        place, dumped = self.place(library, node), node.model_dump(mode="json")
        facts = self.workers.submit("asked", tasks.facts, place, dumped).result()
        audio, path = self.workers.submit("asked", tasks.render_print, place, dumped, str(library.folder / "media")).result()
        library.adopt_media(audio, Path(path))
        made = Print(audio=audio, rate=facts["rate"], channels=facts["channels"], frames=facts["frames"], layout=facts["layout"] or None, of=node)
        found = Peaks.load(place.peaks_path(node_hash(node)))
        if found is not None:
            found.save(place.peaks_path(node_hash(made)))
        return made, facts

    def print_node(self, library: Library, node: Node, name: str, category: str = "") -> int:
        """Print a node as a sound of the library; the new sound's id."""
        made, facts = self.printed(library, node)
        arrival = library.arrival(f"Print of {name}")
        shape = (facts["rate"], facts["channels"], facts["frames"])
        return library.add_made(name, "print", made, *shape, Measures(**facts["measures"]), facts["outline"], arrival, category, layout=facts["layout"])
