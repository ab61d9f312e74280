"""Gather as it is used all day: an import with trouble in it, refiling in bulk, search and facets, audition carried into a layer,
many channels, sets by drag, a tree edited where it is shown, and files out."""

import re
import time
from pathlib import Path

import httpx
import numpy as np
import soundfile as sf

from oskren.core.audio import files
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.nodes import Step
from oskren.store import Home
from oskren.store.describe import following
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import follow_up, import_paths
from tests.browser.support import InBrowser, expect
from tests.support import PATIENCE_S, RATE, noise, sine, struck

HERE = "lib/workshop"


def fill(home: Path, folder: Path) -> None:
    """A small library with enough in it to search, file and hear."""
    random = np.random.default_rng(8)
    for k in range(24):
        kind = ("glass pane tap", "iron bolt drop", "water splash", "xylo zort")[k % 4]
        wave = struck(0.4 + 0.1 * (k % 5), 0.08, seed=k) * np.float32(0.2 + 0.7 * random.random())
        files.write(folder / ("props" if k % 2 else "field") / f"{kind} {k:02d}.wav", wave, RATE, 24)
    t = np.arange(3 * RATE) / RATE
    tone = (0.3 * np.sin(2 * np.pi * 220 * t) * np.exp(-t))[:, None].astype(np.float32)
    files.write(folder / "field" / "long tone.wav", tone, RATE, 24, said=Metadata(description="bowed brass", markers=(Marker(at_s=1.0, label="second bow"),)))
    files.write(folder / "field" / "gallery 5.1.wav", noise(2.0, -30, channels=6), RATE, 24)
    files.write(folder / "field" / "dome ambix.wav", noise(2.0, -30, channels=4, seed=3), RATE, 24)
    studio = Studio(Home(home))
    library = studio.home.library("Workshop", create=True)
    (library.folder / "title").write_text("Workshop")
    import_paths(studio, library, [folder], "first arrival")
    follow_up(studio, library)
    following.keep(library, "Softer", (Step(kind="gain", params={"gain_db": -9.0}, id="soft"),))
    studio.close()


class Gathering(InBrowser):
    @classmethod
    def prepare(cls, home: Path) -> None:
        fill(home, cls.folder / "sounds")

    def setUp(self) -> None:
        super().setUp()
        expect(self.page.locator("[data-sound]").first).to_be_visible()

    def search(self, text: str, total: int) -> None:
        self.page.get_by_label("Search the sounds").fill(text)
        expect(self.page.get_by_test_id("total")).to_have_text(f"{total} sound{'' if total == 1 else 's'}")

    def row(self, name: str):  # type: ignore[no-untyped-def]
        return self.page.locator("[data-sound]", has_text=name).first

    def rows(self, query: str):  # type: ignore[no-untyped-def]
        return self.api(f"{HERE}/sounds?limit=200&q={query}")["rows"]

    def test_what_a_long_import_has_brought_is_shown_while_it_runs(self) -> None:
        page, folder = self.page, self.folder / "many"
        self.new_library("Zz many")
        for number in range(60):
            files.write(folder / f"shard {number:02d}.wav", struck(0.3, seed=300 + number), RATE, 24)
        studio = self.app.state.studio
        page.get_by_role("button", name=re.compile("^Import")).first.click()
        page.get_by_label("Folder or file of this machine").fill(str(folder))
        page.get_by_label("Folder or file of this machine").press("Enter")
        # both workers have something else to do once the first files are in
        deadline = time.monotonic() + PATIENCE_S
        while not self.api("lib/zz-many/counts")["gather"]:
            self.assertLess(time.monotonic(), deadline)
        asleep = [studio.workers.submit("batch", time.sleep, 8) for _ in range(2)]
        expect(page.get_by_test_id("total")).to_have_text(re.compile(r"^([1-9]|[1-5]\d) sounds?$"))
        self.assertFalse(all(one.done() for one in asleep))
        expect(page.get_by_test_id("total")).to_have_text("60 sounds")

    def test_an_import_with_trouble_in_it(self) -> None:
        page, folder = self.page, self.folder / "trouble"
        self.new_library("Zz trouble")
        files.write(folder / "kelp squelch.wav", struck(0.4, seed=201), RATE, 24)
        files.write(folder / "copy" / "kelp again.wav", struck(0.4, seed=201), RATE, 24)
        (folder / "empty.wav").touch()
        (folder / "page.wav").write_text("<html>not a sound</html>")
        (folder / "notes.txt").write_text("kelp")
        whole = (folder / "kelp squelch.wav").read_bytes()
        (folder / "cut.wav").write_bytes(whole[: len(whole) // 2])
        t = np.arange(2 * RATE) / RATE
        ring = (0.2 * np.sin(2 * np.pi * 523 * t) * np.exp(-t * 2))[:, None].astype(np.float32) + noise(2.0, -42)
        files.write(folder / "bell ring.wav", ring, RATE, 24)
        sf.write(folder / "bell ring.mp3", ring, RATE)
        self.press("i")
        page.get_by_label("Folder or file of this machine").fill(str(folder))
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="2 imported, 1 already there, 1 another format")).to_be_visible()
        expect(page.get_by_test_id("total")).to_have_text("2 sounds")
        page.get_by_role("button", name="4 skipped").click()
        listed = page.get_by_test_id("skipped")
        why = {
            "empty.wav": "is empty",
            "page.wav": "holds none that can be read",
            "notes.txt": "not an audio file",
            "cut.wav": "is truncated",
        }
        for name, reason in why.items():
            expect(listed).to_contain_text(name)
            expect(listed).to_contain_text(reason)
        self.row("bell ring").click()
        page.get_by_role("button", name=re.compile(r"2 files")).click()
        expect(page.get_by_text("(MP3 48 kHz)")).to_be_visible()
        self.assertEqual((folder / "cut.wav").read_bytes(), whole[: len(whole) // 2])

    def test_refiling_many_is_two_gestures_and_undone_by_one(self) -> None:
        page = self.page
        self.search("zort", 6)
        page.locator("[data-sound]").first.click()
        self.press("Shift+ArrowDown", "Shift+ArrowDown", "Shift+ArrowDown", "Shift+ArrowDown", "Shift+ArrowDown")
        bulk = page.get_by_role("region", name="Chosen sounds")
        expect(bulk).to_contain_text("6 chosen")
        bulk.get_by_label("Category of all chosen").fill("Music/Mallets")
        self.press("Enter")
        self.kept(f"{HERE}/sounds?q=zort", "it.rows.every((row) => row.category === 'Music/Mallets' && row.category_sure === 1)")
        # what was decided teaches: the next import of such a name is proposed there
        files.write(self.folder / "later" / "xylo zort again.wav", struck(0.3, seed=321), RATE, 24)
        self.press("Escape", "i")
        page.get_by_label("Folder or file of this machine").fill(str(self.folder / "later"))
        self.press("Enter")
        self.kept(f"{HERE}/sounds?q=again", "it.rows.length === 1 && it.rows[0].category === 'Music/Mallets' && it.rows[0].category_sure < 1")
        expect(page.get_by_role("status").filter(has_text="1 imported")).to_be_visible()
        page.get_by_label("Search the sounds").press("Escape")
        self.press("Control+z")
        expect(page.get_by_role("status").filter(has_text="Taken back: category of 6 sounds")).to_be_visible()
        self.kept(f"{HERE}/sounds?q=zort", "it.rows.filter((row) => row.category === 'Music/Mallets').length === 1")
        self.press("Control+Shift+z")
        self.kept(f"{HERE}/sounds?q=zort", "it.rows.every((row) => row.category === 'Music/Mallets')")

    def test_rows_are_filed_where_nothing_was_found_and_the_chosen_sound_is_gone_to(self) -> None:
        page = self.page
        tree = page.get_by_role("tree", name="Categories")
        # how many there are depends on what the other stories made
        search, total = page.get_by_label("Search the sounds"), page.get_by_test_id("total")
        search.fill("zort")
        # the newest sound of all may be one of them: the rows of before are gone when there is no other
        expect(page.locator("[data-sound]").filter(has_not_text="zort")).to_have_count(0)
        expect(page.locator("[data-sound]").first).to_be_visible()
        few = total.inner_text()
        expect(tree.get_by_role("treeitem").filter(has_text="Animal")).to_have_count(0)
        row = page.locator("[data-sound]").nth(1)
        number = int(row.get_attribute("data-sound") or 0)
        row.hover()
        page.mouse.down()
        # one near the top: those that other stories made may have pushed the last ones out of sight
        target = tree.get_by_role("treeitem").filter(has_text="Animal").first
        # a page that is late takes only a later movement for the begin of a drag
        for step in range(100):
            page.mouse.move(400 + step % 9, 500, steps=2)
            if target.is_visible():
                break
        expect(target).to_be_visible()
        box = target.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 40, box["y"] + 8, steps=6)
        page.mouse.up()
        self.kept(f"{HERE}/sounds/{number}", "it.category.startsWith('Animal')")
        # what is chosen is found again in a longer list, and said to be missing in one without it
        page.locator(f"[data-sound='{number}']").click()
        search.fill("")
        expect(total).not_to_have_text(few)
        expect(page.locator(f"[data-sound='{number}']")).to_be_in_viewport()
        expect(page.locator(f"[data-sound='{number}']")).to_have_attribute("aria-selected", "true")
        search.fill("bolt")
        expect(page.get_by_text("This sound is not among the rows found.")).to_be_visible()

    def test_rows_are_dragged_onto_a_category_and_into_a_set(self) -> None:
        page = self.page
        self.search("bolt", 6)
        page.locator("[data-sound]").nth(0).click()
        page.locator("[data-sound]").nth(1).click(modifiers=["Shift"])
        page.get_by_role("button", name="Edit", exact=True).click()
        page.locator("[data-sound]").nth(1).drag_to(page.locator("[data-value=Stone][draggable]"))
        self.kept(f"{HERE}/sounds?q=bolt", "it.rows.filter((row) => row.category === 'Stone').length === 2")
        page.get_by_role("button", name="Done", exact=True).click()
        page.get_by_role("button", name="New", exact=True).click()
        page.get_by_label("Name of the new set").fill("Locks")
        self.press("Enter")
        made = page.get_by_role("button", name=re.compile("^Locks"))
        expect(made).to_contain_text("2")
        page.locator("[data-sound]").nth(4).drag_to(made)
        expect(made).to_contain_text("3")
        page.get_by_role("button", name="Clear", exact=True).click()
        made.click()
        expect(page.get_by_test_id("total")).to_have_text("3 sounds")
        third = page.locator("[data-sound]").nth(2).get_attribute("data-sound")
        page.locator("[data-sound]").nth(2).drag_to(page.locator("[data-sound]").nth(0))
        expect(page.locator("[data-sound]").nth(0)).to_have_attribute("data-sound", third or "")

    def test_the_tree_is_edited_where_it_is_shown(self) -> None:
        page = self.page
        page.get_by_role("button", name="Edit", exact=True).click()
        page.get_by_role("button", name="New category").click()
        page.get_by_label("Name of the new category").fill("Clockwork/Herons")
        self.press("Enter")
        self.kept(f"{HERE}/categories", "it.some((one) => one.path === 'Clockwork/Herons')")

        def ask(path: str, act: str) -> None:
            page.locator(f"[data-acts='{path}']").click()
            page.get_by_role("menuitem", name=act).click()

        ask("Clockwork", "Rename …")
        page.get_by_label("New name of Clockwork").fill("Automata")
        self.press("Enter")
        self.kept(f"{HERE}/categories", "it.some((one) => one.path === 'Automata/Herons') && !it.some((one) => one.path === 'Clockwork')")
        source, target = (page.locator(f"[data-value='{path}'][draggable]") for path in ("Automata", "Mechanism"))
        source.drag_to(target)
        self.kept(f"{HERE}/categories", "it.some((one) => one.path === 'Mechanism/Automata/Herons')")
        page.get_by_label("Table of categories").set_input_files(
            {"name": "list.csv", "mimeType": "text/csv", "buffer": b"Category,SubCategory,Code\nOBSERVATORY,DOME,OBDM\n"}
        )
        self.kept(f"{HERE}/categories", "it.some((one) => one.path === 'Observatory/Dome' && one.code === 'OBDM')")
        ask("Observatory", "Delete it …")
        page.get_by_role("option", name="no category", exact=True).click()
        self.kept(f"{HERE}/categories", "!it.some((one) => one.path.startsWith('Observatory'))")

    def test_the_tree_is_walked_and_edited_by_keys(self) -> None:
        page = self.page
        for path in ("Tide/Sluice", "Tide/Weir"):
            httpx.put(f"http://127.0.0.1:{self.port}/api/{HERE}/categories", json={"path": path, "code": "", "words": []}).raise_for_status()
        page.reload()
        page.get_by_role("button", name="Edit", exact=True).click()
        page.locator("[data-value=Tide][draggable]").focus()
        # opened, into it, chosen and let go again
        self.press("ArrowRight", "ArrowDown", "Enter")
        sluice = page.get_by_role("treeitem", name="Sluice")
        expect(sluice).to_have_attribute("aria-selected", "true")
        expect(page.get_by_test_id("total")).to_have_text("0 sounds")
        self.press("Enter")
        expect(sluice).to_have_attribute("aria-selected", "false")
        self.press("ArrowDown")
        expect(page.get_by_role("treeitem", name="Weir")).to_be_focused()
        self.press("Shift+F10")
        expect(page.get_by_role("menu", name="Acts on Tide/Weir")).to_be_focused()
        self.press("ArrowDown", "ArrowDown", "ArrowDown", "Enter")
        page.get_by_role("option", name="the top", exact=True).click()
        self.kept(f"{HERE}/categories", "it.some((one) => one.path === 'Weir') && !it.some((one) => one.path === 'Tide/Weir')")

    def test_words_conditions_facets_and_a_kept_search(self) -> None:
        page = self.page
        self.search("glass", 6)
        page.get_by_role("button", name="Condition").click()
        value = page.get_by_label("Value 1 of length")
        expect(value).to_be_visible()
        value.fill("0.55 s")
        value.press("Enter")
        expect(page.get_by_label("Search the sounds")).to_have_value("glass where length under 0.55 s")
        few = len(self.rows("glass where length under 0.55 s"))
        self.assertTrue(0 < few < 6)
        expect(page.get_by_test_id("total")).to_have_text(f"{few} sounds")
        page.get_by_label("not length").click()
        expect(page.get_by_label("Search the sounds")).to_have_value("glass where not length under 0.55 s")
        expect(page.get_by_test_id("total")).to_have_text(f"{6 - few} sounds")
        self.pick("Saved searches", "Keep this search …")
        page.get_by_label("Name of the search").fill("Long glass")
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Long glass is kept")).to_be_visible()
        self.search("where colour is red", 6 - few)
        expect(page.get_by_role("alert").filter(has_text="no field called 'colour'")).to_be_visible()
        expect(page.get_by_test_id("total")).to_have_text(f"{6 - few} sounds")
        expect(page.locator("[data-sound]")).to_have_count(6 - few)
        page.get_by_role("button", name="Clear", exact=True).click()
        filters = page.get_by_role("region", name="Filters")
        filters.get_by_role("button", name=re.compile("^5.1")).click()
        expect(page.get_by_test_id("total")).to_have_text("1 sound")
        expect(filters.get_by_role("button", name=re.compile("^mono"))).to_be_visible()  # counted within all other filters
        page.get_by_role("button", name="Clear filters").click()
        self.pick("Saved searches", "Long glass")
        expect(page.get_by_test_id("total")).to_have_text(f"{6 - few} sounds")
        page.locator("[data-sound]").first.click()
        self.press("q")
        expect(page.get_by_role("button", name=re.compile("^like glass"))).to_be_visible()
        expect(page.locator("[data-sound]").first).to_contain_text("glass pane tap")

    def test_what_was_heard_goes_into_a_layer_with_its_chain(self) -> None:
        page = self.page
        self.search("long tone", 1)
        self.row("long tone").click()
        self.sounding()
        wave = page.get_by_role("img", name=re.compile("^Waveform and spectrogram of long tone"))
        self.drag(wave, 0.2, 0.6)
        self.pick("Heard through", "through Softer")
        page.get_by_role("slider", name="Speed").press("Shift+ArrowLeft")
        page.get_by_role("slider", name="Gain").press("Shift+ArrowRight")
        along = page.get_by_test_id("along")
        for said in (re.compile(r"part 0\.\d\d to 1\.\d\d s"), "-5 st", "+5 dB", "through Softer"):
            expect(along).to_contain_text(said)
        self.sounding()
        page.get_by_role("slider", name="Gain").blur()
        self.press("y")
        expect(page.get_by_role("status").filter(has_text=", as heard (through")).to_be_visible()
        layer = self.api(f"{HERE}/designs")[0]["mix"]["members"][0]
        # one channel is heard at its level on both sides: panning takes 3 dB from it, which the layer gives back
        self.assertEqual((layer["pitch_st"], [step["params"] for step in layer["chain"]], layer["chain_first"]), (-5, [{"gain_db": -9.0}], True))
        self.assertAlmostEqual(layer["gain_db"], 5 + 3.0103, places=4)
        self.assertAlmostEqual(layer["start_s"], 0.6, delta=0.05)
        self.assertAlmostEqual(layer["end_s"], 1.8, delta=0.05)
        self.kept(f"{HERE}/sounds/{self.rows('long tone')[0]['id']}/uses", "it.length === 1 && it[0].what === 'design'")
        # the next sound is heard plainly again once the chain is taken off, and the file never changed
        self.pick("Heard through", "through no chain")
        expect(along).not_to_contain_text("through")

    def test_a_sound_heard_backwards_and_faded_leaves_so(self) -> None:
        page = self.page
        self.search("pane tap 16", 1)
        page.locator("[data-sound]").first.click()
        name = page.get_by_label("Name", exact=True).input_value()
        backwards = page.get_by_role("button", name="Backwards", exact=True)
        backwards.click()
        along = page.get_by_test_id("along")
        expect(along).to_have_text("backwards")
        page.get_by_role("button", name="Fades").click()
        page.get_by_role("button", name=re.compile("^Fade out: .*type a value")).click()
        page.keyboard.type("0.1 s")
        self.press("Enter")
        page.get_by_role("button", name="Fades").click()
        expect(along).to_have_text("backwards, faded")
        self.press("w")
        expect(page.get_by_role("status").filter(has_text="1 file written")).to_be_visible()
        [original] = (self.folder / "sounds").rglob(f"{name}.wav")
        [handed] = (self.folder / "home" / "hand-over" / "workshop").glob(f"{name}*.wav")
        samples, written = files.read(original)[0][::-1], files.read(handed)[0]
        self.assertEqual(written.shape, samples.shape)
        fall = RATE // 10
        np.testing.assert_allclose(written[:-fall], samples[:-fall], atol=2**-15)
        # equal power: 3 dB down half way
        half = slice(-fall // 2 - 40, -fall // 2 + 40)
        np.testing.assert_allclose(written[half], samples[half] * 0.5**0.5, atol=0.02 * np.abs(samples[half]).max() + 2**-15)
        # the ends of a marked part are faded, by the handle on the waveform too
        backwards.click()
        expect(along).to_have_text("faded")
        wave = page.get_by_role("img", name=re.compile("^Waveform and spectrogram of"))
        self.drag(wave, 0.2, 0.6)
        expect(along).to_contain_text("part")
        self.drag(wave, 0.2, 0.4, height=0.1)
        expect(page.get_by_role("status").filter(has_text="1 file written")).to_have_count(0)
        page.get_by_role("button", name="Part to hand-over").click()
        expect(page.get_by_role("status").filter(has_text="1 file written")).to_be_visible()
        [part] = (self.folder / "home" / "hand-over" / "workshop").glob(f"{name}, *.wav")
        written, samples = files.read(part)[0][:, 0], files.read(original)[0][:, 0]
        start = int(np.argmax(np.correlate(samples, written, "valid")))
        # it rises over half of the part, since its handle was dragged over half of it, and falls over 0.1 s as before
        rise = len(written) // 2
        for place, gain in ((rise // 2, 0.5**0.5), (len(written) - fall // 2, 0.5**0.5), (rise // 4, np.sin(np.pi / 8))):
            here = slice(place - 40, place + 40)
            np.testing.assert_allclose(written[here], samples[start:][here] * gain, atol=0.04 * np.abs(samples[start:][here]).max() + 2**-15)
        backwards.click()
        # its part lies elsewhere in the sound itself: that is said, and nothing is kept
        self.drag(page.get_by_role("img", name=re.compile("^Waveform and spectrogram of")), 0.2, 0.6)
        self.press("k")
        expect(page.get_by_text("listen to it as it is and mark it again")).to_be_visible()
        backwards.click()
        expect(along).not_to_contain_text("backwards")

    def test_channels_have_lanes_names_mute_and_solo(self) -> None:
        page = self.page
        self.search("gallery", 1)
        self.row("gallery 5.1").click()
        self.sounding()
        lanes = page.get_by_role("group", name="Channels")
        for name in ("L", "R", "C", "LFE", "Ls", "Rs"):
            expect(lanes.get_by_label(f"solo {name}", exact=True)).to_be_visible()
        lanes.get_by_label("solo LFE").click()
        expect(lanes.get_by_label("solo LFE")).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_text("are for listening only and are not taken along")).to_be_visible()
        # on a slow machine what was heard has ended meanwhile
        again = page.get_by_role("button", name="Play", exact=True)
        if again.count():
            again.click()
        self.sounding()
        self.search("dome", 1)
        self.row("dome ambix").click()
        expect(lanes.get_by_label("mute W", exact=True)).to_be_visible()
        self.pick("Channel layout", "quad")
        expect(lanes.get_by_label("mute Ls", exact=True)).to_be_visible()
        self.kept(f"{HERE}/sounds?q=dome", "it.rows[0].layout === 'quad'")
        for axis in ("mel", "linear", "log"):
            self.pick("Frequency axis", f"{axis} axis")
        page.get_by_role("button", name="Output").click()
        page.get_by_role("button", name="Mono check").click()
        # on headphones every channel is heard from its side; those that are muted are not
        page.get_by_role("button", name="Headphones").click()
        expect(page.get_by_role("button", name="Headphones")).to_have_attribute("aria-pressed", "true")
        with page.expect_request(re.compile(r"/block\?.*ears=true$")):
            self.row("dome ambix").click()
        lanes.get_by_label("mute Ls", exact=True).click()
        with page.expect_request(re.compile(r"/block\?.*ears=true&silent=2$")):
            self.press("Space", "Space")
        expect(page.get_by_role("button", name="Safety limit")).to_have_attribute("aria-pressed", "true")
        self.press("u")
        expect(page.get_by_role("button", name=re.compile("^Dim"))).to_have_attribute("aria-pressed", "true")
        self.pick("Rulers and positions show", "Samples")
        expect(page.get_by_test_id("position")).to_have_text(re.compile(r"^[\d\u2009]+$"))
        self.pick("Rulers and positions show", "Time code")
        expect(page.get_by_test_id("position")).to_have_text(re.compile(r"^00:00:0\d:[012]\d$"))
        self.one_of("29.97 drop")
        expect(page.get_by_test_id("position")).to_have_text(re.compile(r"^00:00:0\d;[012]\d$"))
        self.kept(f"{HERE}/projects", "it[0].frame_rate === '29.97 drop'")

    def test_a_quiet_sound_fills_its_lane_and_is_drawn_lower_by_key(self) -> None:
        """The waveform on the screen, counted in rows of pixels of its colours."""
        page = self.page
        self.search("long tone", 1)
        self.row("long tone").click()
        expect(page.get_by_role("img", name=re.compile("long tone"))).not_to_have_attribute("aria-busy", "true")
        rows = """() => {
            const canvas = document.querySelector('[role=img][aria-busy]').previousElementSibling;
            const { width, height } = canvas;
            const pixels = canvas.getContext('2d').getImageData(0, 0, width, height).data;
            const shown = (i) => pixels[i + 1] > pixels[i] + 20 && pixels[i + 1] > pixels[i + 2] + 5;
            const columns = Array.from({ length: width }, (_, x) => x);
            return Array.from({ length: Math.round(height * 0.5) }, (_, y) => y).filter((y) => columns.some((x) => shown((y * width + x) * 4))).length;
        }"""
        page.wait_for_function(f"() => ({rows})() > 60", polling=100)
        tall = page.evaluate(rows)
        self.press("(", "(", "(", "(")
        page.wait_for_function(f"() => ({rows})() < {0.4 * tall}", polling=100)
        self.press(")", ")", ")", ")")
        page.wait_for_function(f"() => ({rows})() === {tall}", polling=100)
        self.press("|")
        page.wait_for_function(f"() => ({rows})() !== {tall}", polling=100)

    def test_anchor_by_key_and_nudge(self) -> None:
        self.search("long tone", 1)
        self.row("long tone").click()
        before = self.rows("long tone")[0]["anchor_s"]
        self.press("ArrowRight")
        self.kept(f"{HERE}/sounds?q=%22long+tone%22", f"Math.abs(it.rows[0].anchor_s - {before} - 0.001) < 1e-6")
        self.press("Shift+ArrowRight")
        self.kept(f"{HERE}/sounds?q=%22long+tone%22", f"Math.abs(it.rows[0].anchor_s - {before} - 0.011) < 1e-6")
        self.press("Control+z", "Control+z")
        self.kept(f"{HERE}/sounds?q=%22long+tone%22", f"Math.abs(it.rows[0].anchor_s - {before}) < 1e-6")

    def test_a_marked_part_is_handed_over_and_rows_are_exported(self) -> None:
        page = self.page
        self.search("splash", 6)
        page.locator("[data-sound]").first.click()
        name = page.get_by_label("Name", exact=True).input_value()
        self.press("w")
        expect(page.get_by_role("status").filter(has_text="1 file written")).to_be_visible()
        handed = self.folder / "home" / "hand-over" / "workshop" / f"{name}.wav"
        original = next((self.folder / "sounds").rglob(f"{name}.wav"))
        np.testing.assert_array_equal(files.read(handed)[0], files.read(original)[0])
        self.press("Control+a")
        bulk = page.get_by_role("region", name="Chosen sounds")
        expect(bulk).to_contain_text("6 chosen")
        bulk.get_by_role("button", name="Export").click()
        self.pick("Format", "flac 16", bulk)
        target = bulk.get_by_label("Folder to export to")
        target.fill(str(self.folder / "exported"))
        target.press("Enter")
        expect(page.get_by_role("status").filter(has_text="6 files written")).to_be_visible()
        written = sorted((self.folder / "exported").iterdir())
        self.assertEqual([(files.probe(path).format, files.probe(path).bits) for path in written], [("FLAC", 16)] * 6)
        out = page.get_by_text("drag out as file")
        transfer = page.evaluate_handle("() => new DataTransfer()")
        out.dispatch_event("dragstart", {"dataTransfer": transfer})
        address = page.evaluate("(transfer) => transfer.getData('DownloadURL')", transfer)
        self.assertRegex(address, rf"^audio/wav:{name}\.wav:http://127\.0\.0\.1:\d+/api/{HERE}/sounds/\d+/file$")

    def test_the_trash_gives_back(self) -> None:
        page = self.page
        self.search("pane tap 20", 1)
        page.locator("[data-sound]").first.click()
        self.press("Delete")
        expect(page.get_by_test_id("total")).to_have_text("0 sounds")
        # what was done is said, with the way back beside it
        said = page.get_by_role("status").filter(has_text="1 sound put into the trash")
        said.get_by_role("button", name="Undo").click()
        expect(page.get_by_test_id("total")).to_have_text("1 sound")
        expect(page.get_by_role("status").filter(has_text="Taken back")).to_be_visible()
        page.locator("[data-sound]").first.click()
        self.press("Delete")
        expect(page.get_by_test_id("total")).to_have_text("0 sounds")
        page.get_by_role("button", name="Trash", exact=True).click()
        expect(page.locator("[data-sound]")).to_have_count(1)
        page.locator("[data-sound]").first.click()
        self.press("Delete")
        expect(page.locator("[data-sound]")).to_have_count(0)
        page.get_by_role("button", name="Leave the trash").click()
        self.search("pane tap 20", 1)
        # once something else is done, its undo would take that back: it is offered no more
        page.locator("[data-sound]").first.click()
        self.press("Delete")
        expect(said).to_be_visible()
        self.search("long tone", 1)
        self.row("long tone").click()
        self.press("4")
        self.kept(f"{HERE}/sounds?q=%22long+tone%22", "it.rows[0].rating === 4")
        expect(said).to_have_count(0, timeout=5000)  # by itself it goes after nine seconds
        self.press("Control+z", "Control+z")
        # the count on the page may still be that of the search before
        self.kept(f"{HERE}/sounds?q=%22pane+tap+20%22", "it.rows.length === 1")
        self.search("pane tap 20", 1)

    def test_columns_are_chosen_and_sorted(self) -> None:
        page = self.page
        page.get_by_label("Choose the columns").click()
        self.tick("Added")
        self.tick("Loudness")
        page.get_by_role("region", name="Columns").get_by_role("button", name="Close").click()
        expect(page.get_by_label("Sort by created")).to_be_visible()
        expect(page.get_by_label("Sort by loudness")).to_have_count(0)
        page.get_by_label("Sort by peak").click()
        page.get_by_label("Sort by peak").click()
        loudest = self.api(f"{HERE}/sounds?sort=peak&descending=true")["rows"][0]["name"]
        expect(page.locator("[data-sound]").first).to_contain_text(loudest)

    def test_a_watched_folder_from_the_panel(self) -> None:
        page, folder = self.page, self.folder / "disk"
        files.write(folder / "grate step.wav", sine(300, 0.4, -12), RATE, 24)
        self.press("i")
        page.get_by_role("tab", name="Watch a folder").click()
        page.get_by_label("Folder to watch").fill(str(folder))
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="1 new, 0 moved, 0 missing")).to_be_visible()
        (folder / "grate step.wav").rename(folder / "grate step, left.wav")
        page.get_by_role("button", name="Rescan").click()
        expect(page.get_by_role("status").filter(has_text="0 new, 1 moved, 0 missing")).to_be_visible()
        page.get_by_title("Stop watching").first.click()
        self.kept(f"{HERE}/watched", "it.length === 0")
