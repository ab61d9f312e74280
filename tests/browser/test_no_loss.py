"""Nothing that was shown as done is lost, and what is heard is what leaves: the page closed, two windows, refusals, typed numbers, keys after the mouse."""

import json
import re
import time
import zipfile
from pathlib import Path
from typing import Any

import httpx
from playwright.sync_api import Page, Response, Route

from oskren.core.audio import files
from oskren.work.engine.told import Told
from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect
from tests.support import RATE, noise, struck


class Stacked(OnTheBench):
    def type_into(self, label: str, text: str) -> None:
        """Type a value into a number, as people do: Enter, the value, Enter."""
        self.page.get_by_role("slider", name=label, exact=True).focus()
        self.press("Enter")
        self.page.keyboard.type(text)
        self.press("Enter")

    def test_the_page_is_closed_after_edits_of_a_long_layer(self) -> None:
        """Six edits while meters and crowding of an 84 s layer are being measured; the page is left at once."""
        files.write(self.folder / "long.wav", noise(84.0, -30, seed=8), RATE, 24)
        if not any(row["name"] == "long" for row in self.api(f"{HERE}/sounds?limit=200")["rows"]):
            self.post("import", {"paths": [str(self.folder / "long.wav")]})
            self.kept(f"{HERE}/sounds?q=long", "it.total > 0")
        number = self.design(self.layer("long", pitch_st=-5.0, keep_length=True), self.layer("Bolt drop"), self.layer("Flywheel, drag"))
        alone = min(self.saved_s({"name": "Bench", "mix": self.mix(number)}, number) for _ in range(3))
        self.open()
        self.choose_layer(1)
        saves: list[float] = []

        def note(answer: Response) -> None:
            if answer.request.method == "PUT" or answer.url.endswith("/told"):
                saves.append(answer.request.timing["responseEnd"])

        self.page.on("response", note)
        for k in range(6):
            self.press(".")
            expect(self.head(1)).to_contain_text(f"+{k + 1} st")
            self.page.wait_for_timeout(250)
        self.page.goto("about:blank")
        self.page.goto(f"http://127.0.0.1:{self.port}/")
        self.kept_mix(number, "mix.members[1].pitch_st === 6")
        # a machine on which a save takes longer while nothing else is done has as many times longer
        self.assertLess(max(saves), 1500 * max(1.0, alone / 0.02), saves)

    def saved_s(self, body: dict[str, Any], number: int) -> float:
        """How long a save takes while nothing else is done (s)."""
        begun = time.monotonic()
        httpx.put(f"{self.base}/designs/{number}", json=body, timeout=90).raise_for_status()
        return time.monotonic() - begun

    def test_one_edit_of_forty_layers_is_sent_once_and_only_what_changed(self) -> None:
        number = self.design(*({**self.layer("Bolt drop"), "id": f"layer-{k}", "name": f"Bolt {k}", "at_s": 0.01 * k} for k in range(40)))
        self.open()
        expect(self.page.get_by_test_id("sum")).to_contain_text(re.compile(r"\d"))
        sent: list[tuple[str, int]] = []
        self.page.on("request", lambda asked: sent.append((asked.url.split("/api/")[-1], len(asked.post_data_buffer or b""))))
        self.choose_layer(3)
        self.press(".")
        self.kept_mix(number, "mix.members[3].pitch_st === 1")
        self.page.wait_for_timeout(1500)  # meters and crowding are asked for once it has come to rest
        asked = {address.split("?")[0].split("/")[-1] for address, _ in sent}
        self.assertLessEqual({"told", "open", "layout", "sum", "crowding", str(number)}, asked)
        whole = len(json.dumps(self.mix(number)))
        self.assertGreater(whole, 20_000)
        self.assertLess(sum(size for _, size in sent), 3000, sent)
        # a server that was started anew knows no state: it is told once more, and nobody sees it
        self.app.state.studio.told = Told()
        self.press(".")
        self.kept_mix(number, "mix.members[3].pitch_st === 2")
        expect(self.page.get_by_role("alert")).to_have_count(0)

    def test_a_change_too_large_to_send_while_leaving_is_kept_all_the_same(self) -> None:
        number = self.design(*({**self.layer("Bolt drop"), "id": f"layer-{k}", "name": f"Bolt {k} " + "x" * 300} for k in range(90)))
        self.open()
        held: list[Route] = []
        self.page.route("**/designs/*", lambda route: held.append(route) if route.request.method == "PUT" else route.fallback())
        self.choose_layer(0)
        self.press("m")
        expect(self.page.get_by_role("button", name="Undo")).to_be_enabled()
        self.page.once("dialog", lambda dialog: dialog.accept())
        self.page.goto("about:blank")
        self.page.unroute("**/designs/*")
        self.page.goto(f"http://127.0.0.1:{self.port}/stack")
        self.kept_mix(number, "mix.members[0].mute === true")

    def test_one_refused_save_stops_no_later_one(self) -> None:
        number = self.design(self.layer("Bolt drop"), self.layer("Flywheel, drag"))
        self.open()
        refusals = iter([True])

        def refuse(route: Route) -> None:
            if route.request.method == "PUT" and next(refusals, False):
                route.fulfill(status=422, content_type="application/json", body=json.dumps({"sentence": "This cannot be."}))
            else:
                route.fallback()

        self.page.route("**/designs/*", refuse)
        self.choose_layer(0)
        self.press("-")
        expect(self.page.get_by_role("alert").filter(has_text="This cannot be. That change was taken back.")).to_be_visible()
        expect(self.head(0)).not_to_contain_text("-12 st")
        self.choose_layer(1)
        self.press(",")
        self.kept_mix(number, "mix.members[1].pitch_st === -1 && mix.members[0].pitch_st === 0")

    def test_another_look_keeps_the_undo(self) -> None:
        number = self.design(self.layer("Bolt drop"))
        self.open()
        self.choose_layer(0)
        self.press("-")
        self.kept_mix(number, "mix.members[0].pitch_st === -12")
        self.page.get_by_role("button", name="Paper").click()
        expect(self.page.locator("html")).to_have_class(re.compile("light"))
        self.press("Control+z")
        self.kept_mix(number, "mix.members[0].pitch_st === 0")
        self.page.get_by_role("button", name="Night").click()

    def window(self) -> Page:
        """Another window of the same browser, on Stack."""
        page = self.page.context.new_page()
        page.goto(f"http://127.0.0.1:{self.port}/stack")
        expect(page.locator("[data-clip]").first).to_be_visible()
        return page

    def test_two_windows_see_each_other_and_lose_nothing(self) -> None:
        number = self.design(self.layer("Bolt drop"), self.layer("Flywheel, drag"))
        self.open()
        other = self.window()
        self.choose_layer(0)
        self.press("-")
        expect(other.locator("[data-layer]").nth(0)).to_contain_text("-12 st")
        other.locator("[data-layer]").nth(1).click(position={"x": 70, "y": 14})
        other.keyboard.press(",")
        expect(self.head(1)).to_contain_text("-1 st")
        # the same moment: the first window's change is refused by its revision, and put on what the other made
        self.page.route("**/api/events", lambda route: route.abort())
        self.page.reload()
        expect(self.page.locator("[data-clip]").first).to_be_visible()
        other.keyboard.press(",")
        self.kept_mix(number, "mix.members[1].pitch_st === -2")
        self.choose_layer(0)
        self.press("=")
        expect(self.page.get_by_role("status").filter(has_text="was changed in another window; your change was put on")).to_be_visible()
        self.kept_mix(number, "mix.members[0].pitch_st === 0 && mix.members[1].pitch_st === -2")
        # undo takes back what was done here, not what the other window did
        self.press("Control+z")
        self.kept_mix(number, "mix.members[0].pitch_st === -12 && mix.members[1].pitch_st === -2")

    def test_typed_numbers_obey_the_models_limits(self) -> None:
        number = self.design(self.layer("Tone 220"))
        self.open()
        self.choose_layer(0)
        for label, text, kept in (
            ("Fade out", "20s", "fade_out_s === 20"),
            ("Pitch", "-48 st", "pitch_st === -48"),
            ("Pitch", "1200ct", "pitch_st === 12"),
            ("Pitch", "-1oct", "pitch_st === -12"),
            ("Stretch", "50%", "stretch === 0.5"),
            ("Fade in", "1:02.5", "fade_in_s === 0"),
            ("Fade in", "250ms", "fade_in_s === 0.25"),
        ):
            self.type_into(label, text)
            self.kept_mix(number, f"mix.members[0].{kept}")
        alert = self.page.get_by_role("alert")
        for label, text, said in (
            ("Pitch", "-50st", "Pitch: -50 st cannot be; it goes from -48 st to 36 st."),
            ("Pitch", "50%", 'Pitch: "50%" is not understood'),
            ("Pitch", "low", 'Pitch: "low" is not understood'),
            ("Fade in", "1:02.5", "Fade in: 62.5 s cannot be; it goes from 0 s to 60 s."),
        ):
            if text == "low":
                self.page.get_by_role("button", name=re.compile("^Pitch: .*type a value")).click()
                self.page.keyboard.type(text)
                self.press("Enter")
            else:
                self.type_into(label, text)
            expect(alert).to_contain_text(said)
        self.kept_mix(number, "mix.members[0].pitch_st === -12 && mix.members[0].fade_in_s === 0.25")
        # the strip, too
        self.type_into("Speed", "50%")
        expect(alert).to_contain_text('Speed: "50%" is not understood')
        self.type_into("Speed", "-1200ct")
        expect(self.page.get_by_role("slider", name="Speed", exact=True)).to_have_attribute("aria-valuenow", "-12")

    def test_keys_work_after_a_choice_made_by_the_mouse(self) -> None:
        number = self.design(self.layer("Tone 220", pitch_st=-2.0))
        self.open()
        self.choose_layer(0)
        self.one_of("weight")
        self.press("Space")
        self.sounding()
        self.press("Space")
        self.page.get_by_role("link", name="Gather").click()
        self.page.get_by_role("link", name="Stack").click()
        expect(self.page.locator("[data-clip]").first).to_be_visible()
        self.press("Enter")
        expect(self.page.get_by_role("status").filter(has_text="print is in the library")).to_be_visible()
        self.kept_mix(number, "mix.members[0].role === 'weight'")

    def test_a_layer_whose_file_is_gone_is_shown_and_the_rest_sounds(self) -> None:
        files.write(self.folder / "away" / "going.wav", struck(0.5, seed=31), RATE, 24)
        self.post("import", {"paths": [str(self.folder / "away")], "refer": True})
        self.kept(f"{HERE}/sounds?q=going", "it.total > 0")
        self.design(self.layer("going"), self.layer("Bolt drop"))
        (self.folder / "away" / "going.wav").unlink()
        self.open()
        expect(self.head(0).get_by_text("file missing")).to_be_visible()
        self.metered()
        self.press("Space")
        self.sounding()
        self.press("Enter")
        expect(self.page.get_by_role("status").filter(has_text="print is in the library")).to_be_visible()

    def test_playing_by_hand_stays_under_the_safety_limit(self) -> None:
        loud = self.layer("Bolt drop", gain_db=30.0)
        self.design(loud, self.layer("Floor plate, knock", gain_db=30.0, id="knock"))
        self.open()
        self.page.get_by_role("button", name="Perform", exact=True).click()
        expect(self.page.get_by_test_id("keys-ready")).to_have_text("2 keys hold a sound")
        self.press("Enter", "q", "w", "q", "w")
        peak = self.page.get_by_title(re.compile("^Momentary loudness. Highest peak -?[0-9]"))
        expect(peak).to_have_count(1)
        found = re.search(r"Highest peak (-?[\d.]+) dBFS", peak.get_attribute("title") or "")
        assert found is not None
        self.assertTrue(-6 < float(found[1]) <= -0.9, found[0])
        self.press("Enter")
        self.page.get_by_role("button", name="Print and slice").click()
        expect(self.page.get_by_role("alert").filter(has_text="dB over full scale: kept in float")).to_be_visible()


class SlicedAndVaried(OnTheBench):
    def test_ten_quick_nudges_move_ten_times_as_far(self) -> None:
        number = self.sound("Flywheel, drag")
        self.choose("Flywheel, drag")
        self.press("Escape", "c")
        expect(self.page.get_by_test_id("slice-count")).to_be_visible()
        before = self.api(f"{HERE}/plans/{number}")["plan"]["slices"][0]
        # faster than any answer, one of which takes long besides: they are one step of undo all the same
        waits = iter([0.0, 0.0, 0.0, 1.2])

        def slowly(route: Route) -> None:
            time.sleep(next(waits, 0.0))
            route.fallback()

        self.page.route("**/edit", slowly)
        self.page.evaluate(
            """() => {
                for (let k = 0; k < 10; k++)
                    document.activeElement.dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowRight", bubbles: true, cancelable: true}));
            }"""
        )
        self.kept(f"{HERE}/plans/{number}", f"Math.abs(it.plan.slices[0].start_s - {before['start_s'] + 0.010}) < 1e-6")
        self.press("Control+z")
        self.kept(f"{HERE}/plans/{number}", f"Math.abs(it.plan.slices[0].start_s - {before['start_s']}) < 1e-6")

    def test_a_recipe_and_a_seed_stay_when_the_stage_is_left(self) -> None:
        self.design(self.layer("Bolt drop"), name="Drawn")
        self.open()
        self.stage("Vary")
        self.page.get_by_label("How many").fill("7")
        self.page.get_by_label("Seed").fill("123")
        self.stage("Gather")
        self.stage("Vary")
        expect(self.page.get_by_label("How many")).to_have_value("7")
        self.page.reload()
        expect(self.page.get_by_label("Seed")).to_have_value("123")

    def test_a_step_that_would_move_marks_is_taken_back_and_the_marks_stay(self) -> None:
        self.choose("Flywheel, drag")
        self.press("Escape", "/")
        wave = self.page.get_by_label(re.compile("^Takes of "))
        expect(self.page.get_by_text("events over")).to_be_visible()
        self.drag(wave, 0.1, 0.3)
        self.press("k")
        (reel,) = self.api(f"{HERE}/reels")
        self.kept(f"{HERE}/reels/{reel['id']}", "it.reel.marks.length === 1")
        self.page.get_by_role("button", name="Add step").click()
        self.page.get_by_role("option", name="Reverse", exact=True).click()
        expect(self.page.get_by_role("alert").filter(has_text="That step was taken back; the marks are kept.")).to_be_visible()
        self.drag(wave, 0.5, 0.7)
        self.press("k")
        self.kept(f"{HERE}/reels/{reel['id']}", "it.reel.marks.length === 2 && it.reel.chain.length === 0")


class Gathered(OnTheBench):
    def search(self, words: str) -> None:
        self.stage("Gather")
        self.page.get_by_label("Search the sounds").fill(words)

    def said(self, text: str) -> None:
        expect(self.page.get_by_role("status").filter(has_text=text)).to_be_visible()

    def test_choosing_the_library_again_while_it_loads_loses_no_answer(self) -> None:
        held: list[Route] = []
        self.page.route("**/search", lambda route: held.append(route))
        self.page.reload()
        while not held:
            self.page.wait_for_timeout(20)
        self.pick("Library", re.compile("^Orrery"))
        self.page.unroute("**/search")
        for route in held:
            route.fallback()
        expect(self.page.locator("[data-sound]").first).to_be_visible()

    def test_undo_belongs_to_this_page_and_to_the_last_thing_done(self) -> None:
        number = self.sound("Bolt drop")
        httpx.post(
            f"{self.base}/edit", json={"ids": [number], "change": {"add_tags": "foreign"}}, headers={"X-Oskren-Page": "else"}, timeout=90
        ).raise_for_status()
        self.post("sets", {"name": "Mine", "ids": []})
        self.page.reload()
        self.choose("Bolt drop")
        self.press("Escape", "Control+z")
        expect(self.page.get_by_role("alert").filter(has_text="There is nothing to undo here.")).to_be_visible()
        row = self.page.locator("[data-sound]").first
        row.drag_to(self.page.get_by_text("Mine", exact=True))
        self.said("Put on the set.")
        self.press("Control+z")
        self.said("Taken back: 1 sound put on the set Mine.")
        self.kept(f"{HERE}/sets", "it.find((one) => one.name === 'Mine').sounds === 0")
        self.assertIn("foreign", self.api(f"{HERE}/sounds/{number}")["tags"])

    def test_parts_kept_fast_are_said_and_named_apart(self) -> None:
        self.choose("Flywheel, drag")
        self.press("Escape")
        wave = self.page.get_by_label("Waveform and spectrogram of Flywheel, drag")
        for start in (0.1, 0.3, 0.5):
            self.drag(wave, start, start + 0.1)
            self.press("k")
        self.kept(f"{HERE}/sounds/{self.sound('Flywheel, drag')}/excerpts", "it.length === 3 && new Set(it.map((one) => one.name)).size === 3")
        self.said("is kept, ")
        self.press("Control+z")
        self.said("Taken back: Flywheel, drag part 0")
        self.kept(f"{HERE}/sounds/{self.sound('Flywheel, drag')}/excerpts", "it.length === 2")

    def test_a_sound_in_use_says_so_when_it_goes_into_the_trash(self) -> None:
        for name in ("Lock", "Door", "Gate"):
            self.design(self.layer("Latch, double click"), name=name)
        self.choose("Latch, double click")
        self.press("Escape", "Delete")
        self.said("Latch, double click is used in design Lock, design Door, design Gate: it goes on sounding there.")
        self.press("Control+z")
        self.said("Taken back")

    def drop(self, entries: str) -> None:
        """Drop files on the page as the desktop does."""
        script = """(body) => {
            const transfer = new DataTransfer();
            for (const [name, base] of Object.entries(JSON.parse(body)))
                transfer.items.add(new File([Uint8Array.from(atob(base), (c) => c.charCodeAt(0))], name));
            const target = document.querySelector('main');
            const send = (kind) => target.dispatchEvent(new DragEvent(kind, { dataTransfer: transfer, bubbles: true, cancelable: true }));
            return send('dragover') === false && send('drop') === false;
        }"""
        self.assertTrue(self.page.evaluate(script, entries), "the browser would show the file in place of the app")

    def test_files_dropped_on_any_stage_are_taken_in_with_progress(self) -> None:
        import base64

        files.write(self.folder / "dropped in vary.wav", noise(3.0, -30, seed=41), RATE, 24)
        body = base64.b64encode((self.folder / "dropped in vary.wav").read_bytes()).decode()
        self.stage("Vary")
        held: list[Route] = []
        self.page.route("**/uploads/*/file*", lambda route: held.append(route))
        self.drop(json.dumps({"dropped in vary.wav": body}))
        sending = self.page.get_by_role("status", name="Files being sent")
        expect(sending).to_contain_text("dropped in vary.wav")
        self.page.evaluate("() => { const event = new Event('beforeunload', { cancelable: true }); window.asked = !window.dispatchEvent(event); }")
        self.assertTrue(self.page.evaluate("() => window.asked"), "the page asks before it is left")
        while not held:
            self.page.wait_for_timeout(20)  # the sending is shown before its first file is
        held[0].fallback()
        self.said("1 imported")
        self.kept(f"{HERE}/sounds?q=dropped in vary", "it.total === 1")
        expect(self.page.get_by_role("heading", level=1)).to_be_visible()
        # a folder without files, as the desktop gives one
        self.page.evaluate(
            """() => {
                const entry = { isFile: false, name: 'empty', createReader: () => ({ readEntries: (told) => told([]) }) };
                const event = new DragEvent('drop', { bubbles: true, cancelable: true });
                Object.defineProperty(event, 'dataTransfer', { value: { types: ['Files'], files: [], items: [{ webkitGetAsEntry: () => entry }] } });
                document.querySelector('main').dispatchEvent(event);
            }"""
        )
        expect(self.page.get_by_role("alert").filter(has_text="What was dropped holds no files")).to_be_visible()

    def test_what_is_heard_leaves_and_several_rows_each_as_itself(self) -> None:
        self.choose("Tone 220")
        self.press("Escape")
        slider = self.page.get_by_role("slider", name="Speed", exact=True)
        slider.focus()
        self.press("Enter")
        self.page.keyboard.type("-12")
        self.press("Enter")
        slider.blur()
        folder = self.folder / "handed"
        httpx.put(f"{self.base}/settings", json={"pinned": [], "hand_over": str(folder)}, timeout=90).raise_for_status()
        self.press("w")
        self.said("as heard (-12 st)")
        (handed,) = folder.glob("*.wav")
        self.assertEqual(files.probe(handed).frames, 4 * RATE)
        self.press("j")
        self.said("on the sheet of Ship, as heard (-12 st)")
        self.one_of("dry")
        self.press("w")
        self.said("1 file written to")
        self.assertEqual(sorted(files.probe(path).frames for path in folder.glob("*.wav")), [2 * RATE, 4 * RATE])
        # two rows dragged out of the window
        self.search("Tone")
        expect(self.page.locator("[data-sound]")).to_have_count(2)
        self.page.locator("[data-sound]").nth(0).click()
        self.page.locator("[data-sound]").nth(1).click(modifiers=["Shift"])
        script = """() => {
            const transfer = new DataTransfer();
            document.querySelector('[data-sound]').dispatchEvent(new DragEvent('dragstart', { dataTransfer: transfer, bubbles: true }));
            return transfer.getData('DownloadURL');
        }"""
        kind, name, address = self.page.evaluate(script).split(":", 2)
        self.assertEqual((kind, name), ("application/zip", "2 sounds.zip"))
        (self.folder / "out.zip").write_bytes(httpx.get(address, timeout=60).content)
        with zipfile.ZipFile(self.folder / "out.zip") as stored:
            self.assertEqual(sorted(stored.namelist()), ["Tone 220.wav", "Tone 330.wav"])

    def test_files_over_full_scale_are_counted_with_their_remedy(self) -> None:
        for k in range(3):
            path = self.folder / "hot" / f"hot {k}.wav"
            files.write(path, 1.4 * struck(0.4, seed=50 + k) / 0.4, RATE, 32)
        self.post("import", {"paths": [str(self.folder / "hot")]})
        self.kept(f"{HERE}/sounds?q=hot", "it.total === 3")
        folder = self.folder / "converted"
        httpx.put(f"{self.base}/settings", json={"pinned": [], "hand_over": str(folder)}, timeout=90).raise_for_status()
        self.search("hot")
        expect(self.page.locator("[data-sound]")).to_have_count(3)
        self.press("Escape", "Control+a", "w")
        report = self.page.get_by_role("region", name="What was not written")
        expect(report).to_contain_text("0 written, 3 failed")
        expect(report).to_contain_text("3 go over full scale:")
        report.get_by_role("button", name="Level those down").click()
        self.said("3 files written")
        self.assertEqual(sorted(path.name for path in Path(folder).glob("*.wav")), ["hot 0.wav", "hot 1.wav", "hot 2.wav"])

    def test_the_sheet_grows_and_ship_names_what_it_would_write_over(self) -> None:
        first, second = self.sound("Tone 220"), self.sound("Tone 330")
        out = self.folder / "shipped here"
        out.mkdir(exist_ok=True)
        (out / "Tone 330.wav").write_bytes(b"somebody's")
        body = {"sounds": [first], "name": "Mine", "folder": str(out), "targets": [{"template": "{name}"}]}
        httpx.put(f"{self.base}/sheets/1", json=body, timeout=90).raise_for_status()
        self.page.reload()
        self.choose("Tone 330")
        self.press("Escape", "j")
        self.said("put on the sheet of Ship")
        self.stage("Ship")
        expect(self.page.get_by_test_id("planned")).to_have_text("2 files, 1 with a problem")
        expect(self.page.get_by_label("Name of the sheet")).to_have_value("Mine")
        self.stage("Gather")
        self.stage("Ship")
        expect(self.page.get_by_label("Folder to ship to")).to_have_value(str(out))
        expect(self.page.get_by_text("Oskren did not write it there")).to_be_visible()
        self.page.get_by_role("button", name="Write over it").click()
        expect(self.page.get_by_test_id("planned")).to_have_text("2 files")
        self.press("Enter")
        self.said("2 files, 0 of them unchanged, 0 failed")
        self.assertEqual(files.probe(out / "Tone 330.wav").frames, 2 * RATE)
        self.assertEqual(self.api(f"{HERE}/sounds/{second}")["missing"], False)
