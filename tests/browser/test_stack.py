"""Stack by keyboard and mouse: the orrery's unlocking from nothing, layers handled on their waveforms, and a performance sent to Slice."""

import re
import time

import httpx
import numpy as np

from oskren.core.audio import files
from oskren.core.measure import levels
from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect
from tests.support import pitch_of


class Stacking(OnTheBench):
    def test_the_orrery_unlocks_from_nothing(self) -> None:
        page = self.page
        self.stage("Stack")
        page.get_by_role("button", name="Begin a design").click()
        page.get_by_label("Name of the design").fill("Orrery")
        self.press("Enter")
        page.get_by_role("button", name="Add a layer", exact=True).click()
        field = page.get_by_label("Search for a layer")
        for count, name in enumerate(("Flywheel", "Bolt drop", "Floor plate", "Brass ratchet, slow", "Dome glass"), 1):
            field.fill(f'"{name}"')
            expect(page.get_by_role("button", name=re.compile(f"^Hear {name}"))).to_be_visible()
            field.press("Enter")
            expect(page.locator("[data-layer]")).to_have_count(count)
        field.press("Escape")
        number = self.api(f"{HERE}/designs")[0]["id"]
        # lower, later, quieter: by keys
        self.choose_layer(0)
        self.press("-", ",", ",")
        self.choose_layer(3)
        self.press("Shift+ArrowRight", "Shift+ArrowRight", "Shift+ArrowRight")
        self.kept_mix(number, "mix.members[0].pitch_st === -14 && Math.abs(mix.members[3].at_s - 0.03) < 1e-6")
        # by a frame of the project, there and back
        self.press("Alt+ArrowRight")
        self.kept_mix(number, "Math.abs(mix.members[3].at_s - 0.07) < 1e-6")
        self.press("Alt+ArrowLeft")
        # what strikes is one group, with a chain of its own
        self.choose_layer(1)
        self.choose_layer(2, "Control")
        self.press("Control+g")
        panel = page.get_by_role("complementary", name="Group")
        panel.get_by_label("Name of the group").fill("Strike")
        panel.get_by_label("Name of the group").press("Enter")
        panel.get_by_role("button", name="Add step").click()
        page.get_by_role("option", name="High-pass").click()
        page.get_by_role("button", name=re.compile("^Sum")).click()
        page.get_by_role("button", name="Add step").click()
        page.get_by_role("option", name="Ceiling limiter").click()
        self.metered()
        self.press("Control+s")
        expect(page.get_by_role("region", name="Versions").get_by_text("Version 1")).to_be_visible()
        self.choose_layer(4)
        self.press("-")
        self.press("Control+s")
        expect(page.get_by_role("status").filter(has_text="Version 2 is kept")).to_be_visible()
        page.get_by_role("slider", name="Fade out").focus()
        self.press("Enter")
        page.keyboard.type("800ms")
        self.press("Enter", "Control+s")
        expect(page.get_by_role("status").filter(has_text="Version 3 is kept")).to_be_visible()
        # compared in words, and by ear at matched loudness
        versions = self.compared("Version 1", "Dome glass, ring: pitch 0 to -12 st, fade out 0 to 0.8 s")
        versions.get_by_role("button", name="Restore").click()
        self.kept_mix(number, "mix.members[4].pitch_st === 0")
        self.press("Control+z")
        self.kept_mix(number, "mix.members[4].pitch_st === -12")
        # printed; the print an octave up is a layer again
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Orrery print is in the library")).to_be_visible()
        self.press("Control+Enter")
        expect(page.locator("[data-layer]")).to_have_count(6)
        self.kept_mix(number, "mix.members.length === 6 && mix.members[5].pitch_st === 12 && mix.members[5].node.kind === 'print'")
        mix = self.mix(number)
        self.assertEqual([one["name"] for one in mix["members"][5]["node"]["of"]["members"]], [one["name"] for one in mix["members"][:5]])
        self.assertEqual([len(self.api(f"{HERE}/designs/{number}/versions")), len(self.api(f"{HERE}/sounds?q=where kind print")["rows"])], [3, 2])
        layout = self.post("stack/layout", mix)
        shifted = layout["layers"][5]
        self.assertAlmostEqual(shifted["start_s"] + shifted["anchor_s"], 0, delta=0.001)
        audio, _, _ = self.heard(mix)
        self.assertLess(20 * np.log10(np.abs(audio).max()), -0.9)

    def test_designs_are_cards_and_the_wanted_list_lies_beside_them(self) -> None:
        page = self.page
        self.design(self.layer("Tone 220"), name="Low tone")
        self.design(name="Nothing yet")
        self.stage("Stack")
        cards = page.get_by_role("region", name="Designs").get_by_role("button")
        expect(cards).to_have_count(2)
        expect(cards.filter(has_text="Low tone")).to_contain_text("1 layer, 2.00 s")
        expect(cards.filter(has_text="Low tone").locator("[data-wave] path")).to_be_visible()
        expect(cards.filter(has_text="Nothing yet")).to_contain_text("Nothing of it is heard yet.")
        cards.filter(has_text="Low tone").click()
        expect(page.locator("[data-clip]")).to_have_count(1)
        # every stage returns to what was open
        self.stage("Vary")
        self.stage("Stack")
        expect(page.locator("[data-clip]")).to_have_count(1)
        self.press("6")
        beside = page.get_by_role("dialog", name="Wanted list")
        beside.get_by_label("What is wanted").fill("2 latches of the dome")
        beside.get_by_label("What is wanted").press("Enter")
        expect(beside.locator("[data-wanted]")).to_contain_text("latches of the dome")
        # the stage beside it goes on working
        self.choose_layer(0)
        self.press("m")
        self.kept(f"{HERE}/designs", "it.some((one) => one.mix.members[0]?.mute)")
        beside.get_by_role("button", name="latches of the dome: open").click()
        self.pick("Link a design to latches of the dome", "Low tone", beside)
        expect(beside.locator("[data-wanted]")).to_contain_text("1 of 2")
        self.stage("Ship")
        expect(beside).to_be_visible()
        self.press("Escape")
        expect(beside).to_have_count(0)
        self.stage("Stack")
        self.pick("Design", "All designs …")
        expect(cards).to_have_count(2)

    def test_edges_fades_anchor_and_slip_by_hand(self) -> None:
        number = self.design(self.layer("Tone 220", anchor_s=0.6, start_s=0.5, end_s=1.5))
        self.open()
        clip = self.page.locator("[data-clip]").first
        self.choose_layer(0)
        width = (clip.bounding_box() or {"width": 0})["width"]  # one second
        self.drag_by(clip.locator("[data-grip=start]"), 0.2 * width)
        self.kept_mix(number, "Math.abs(mix.members[0].start_s - 0.7) < 0.02 && mix.members[0].at_s === 0")
        self.press("Control+z")
        self.kept_mix(number, "mix.members[0].start_s === 0.5")
        self.drag_by(clip.locator("[data-grip=fadeOut]"), -0.3 * width)
        self.kept_mix(number, "Math.abs(mix.members[0].fade_out_s - 0.3) < 0.02")
        before = self.mix(number)["members"][0]
        self.drag_by(clip.locator("[data-grip=anchor]"), 0.4 * width)
        self.kept_mix(number, "Math.abs(mix.members[0].anchor_s - 1.0) < 0.02")
        after = self.mix(number)["members"][0]
        self.assertAlmostEqual(after["at_s"] - after["anchor_s"], before["at_s"] - before["anchor_s"], places=5)  # nothing was moved
        self.press("Home")
        self.kept_mix(number, "mix.members[0].at_s === 0")
        self.drag_by(clip, 0.2 * width, alt=True)
        self.kept_mix(number, "Math.abs(mix.members[0].start_s - 0.3) < 0.02 && Math.abs(mix.members[0].end_s - 1.3) < 0.02")
        before = self.mix(number)["members"][0]
        self.press("Alt+Shift+ArrowLeft", "Alt+Shift+ArrowLeft")
        for field, by in (("start_s", 0.08), ("end_s", 0.08), ("at_s", -0.08)):  # two frames of the project's 25 a second
            self.kept_mix(number, f"Math.abs(mix.members[0].{field} - {before[field] + by}) < 1e-5")
        # the sound has no more before its beginning
        self.press(*["Alt+Shift+ArrowRight"] * 12)
        self.kept_mix(number, "mix.members[0].start_s === 0")
        expect(self.page.get_by_text("nothing more inside on that side").first).to_be_visible()

    def test_several_layers_are_moved_locked_reordered_and_duplicated(self) -> None:
        page = self.page
        number = self.design(self.layer("Bolt drop"), self.layer("Floor plate, knock"), self.layer("Latch, double click"))
        self.open()
        self.choose_layer(2)
        page.get_by_role("button", name="Lock", exact=True).click()
        self.press("Control+a")
        expect(page.get_by_role("complementary", name="Layers")).to_be_visible()
        self.drag_by(page.locator("[data-clip=bolt-drop]"), 60)
        self.kept_mix(number, "mix.members[0].at_s > 0.01 && mix.members[0].at_s === mix.members[1].at_s && mix.members[2].at_s === 0")
        self.choose_layer(0)
        self.press("Control+ArrowDown")
        self.kept_mix(number, "mix.members.map((one) => one.id).join() === 'floor-plate,bolt-drop,latch'")
        self.press("Control+d")
        self.kept_mix(number, "mix.members.length === 4 && mix.members[2].name === 'Bolt drop' && mix.members[2].at_s === mix.members[1].at_s")
        self.press("Delete")
        expect(page.locator("[data-layer]")).to_have_count(3)

    def test_a_curve_is_put_typed_smoothed_and_copied_to_another_layer(self) -> None:
        page = self.page
        number = self.design(self.layer("Tone 220"), self.layer("Tone 330") | {"id": "other"})
        self.open()
        self.choose_layer(0)
        page.get_by_role("tab", name="Curves").click()
        self.pick("What the curve moves", "Pitch")
        box = page.get_by_test_id("envelope").bounding_box()
        assert box is not None
        for x, y in ((0.2, 0.5), (0.8, 0.25)):
            page.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)
        self.kept_mix(number, "mix.members[0].envelopes[0]?.points.length === 2 && mix.members[0].envelopes[0].points[1][1] > 8")
        points = page.get_by_label("Points of the curve")
        points.fill("0 0, 1 -12, 2 -12")
        points.press("Enter")
        self.kept_mix(number, "JSON.stringify(mix.members[0].envelopes[0].points) === '[[0,0],[1,-12],[2,-12]]'")
        # a second of falling by varispeed lasts 1/ln 2 s, a second an octave lower 2 s
        audio, rate, _ = self.heard(self.mix(number) | {"members": self.mix(number)["members"][:1]})
        self.assertAlmostEqual(len(audio) / rate, 1 / np.log(2) + 2, places=3)
        self.assertAlmostEqual(pitch_of(audio[round(2.2 * rate) : round(3.2 * rate)], rate), 110, delta=0.5)
        points.fill("0 0, 0.1 8, 0.2 -8, 0.3 8, 2 0")
        points.press("Enter")
        self.kept_mix(number, "mix.members[0].envelopes[0].points.length === 5")
        page.get_by_role("button", name="Smooth", exact=True).click()
        self.kept_mix(number, "Math.min(...mix.members[0].envelopes[0].points.map((one) => one[1])) > -6")
        page.get_by_role("button", name="Copy", exact=True).click()
        self.choose_layer(1)
        page.get_by_role("button", name="Paste", exact=True).click()
        self.kept_mix(number, "JSON.stringify(mix.members[0].envelopes) === JSON.stringify(mix.members[1].envelopes)")

    def test_a_control_moved_while_it_plays_becomes_a_curve(self) -> None:
        page = self.page
        number = self.design(self.layer("Tone 220"))
        self.open()
        self.metered()
        self.choose_layer(0)
        page.get_by_role("tab", name="Curves").click()
        page.get_by_role("button", name="Capture while it plays").click()
        knob = page.get_by_role("slider", name=re.compile("Gain: move it"))
        knob.focus()
        for _ in range(6):
            self.press("Shift+ArrowLeft")
        self.kept_mix(number, "mix.members[0].envelopes.length === 1")
        [envelope] = self.mix(number)["members"][0]["envelopes"]
        self.assertEqual(envelope["control"], "gain_db")
        self.assertAlmostEqual(envelope["points"][-1][1], -6, delta=0.5)

    def test_other_sources_are_heard_in_place_rolled_and_filled_from_words(self) -> None:
        page = self.page
        number = self.design(self.layer("Bolt drop", gain_db=-3.0, pitch_st=-5.0, at_s=0.2, search="brass"))
        self.open()
        self.choose_layer(0)
        self.press("Insert")
        listed = page.get_by_role("listbox", name="Candidates")
        listed.get_by_role("option", name="Brass ratchet, quick").click()
        self.sounding()  # in place
        self.assertEqual(self.mix(number)["members"][0]["name"], "Bolt drop")  # nothing is changed yet
        listed.press("ArrowDown")
        expect(listed.get_by_role("option", name="Brass ratchet, slow")).to_have_attribute("aria-selected", "true")
        listed.press("Enter")
        self.kept_mix(number, "mix.members[0].name === 'Brass ratchet, slow'")
        taken = self.mix(number)["members"][0]
        self.assertEqual((taken["gain_db"], taken["pitch_st"], taken["at_s"]), (-3, -5, 0.2))
        self.press("F8")
        self.kept_mix(number, "mix.members[0].name === 'Brass ratchet, quick'")  # the only other one
        page.get_by_role("button", name="+ add").click()
        page.get_by_label("Fill from words").fill("floor; dome glass where length over 1 s")
        page.get_by_label("Fill from words").press("Enter")
        expect(page.locator("[data-layer]")).to_have_count(3)
        self.kept_mix(
            number,
            "mix.members.slice(1).map((one) => one.name + one.search).join() === 'Floor plate, knockfloor,Dome glass, ringdome glass where length over 1 s'",
        )

    def test_what_words_find_nothing_for_is_said_and_a_design_is_found_like_a_sound(self) -> None:
        page = self.page
        inner = self.design(self.layer("Dome glass, ring"), name="Glass inside")
        number = self.design(self.layer("Bolt drop"))
        self.open("Bench")
        page.get_by_role("button", name="+ add").click()
        words = page.get_by_label("Fill from words")
        words.fill("floor; xylophone")
        words.press("Enter")
        expect(page.get_by_role("alert").filter(has_text="No sound is found for 'xylophone'")).to_be_visible()
        expect(page.locator("[data-layer]")).to_have_count(2)
        page.get_by_label("Search for a layer").fill("glass ins")
        page.get_by_role("button", name="Hear Glass inside").click()
        self.sounding()
        page.get_by_label("Search for a layer").press("Enter")
        self.kept_mix(number, f"mix.members[2]?.origin.kind === 'design' && mix.members[2].origin.id === {inner}")

    def test_the_sum_is_printed_by_its_proposal_and_exported_at_the_rate_that_is_chosen(self) -> None:
        page = self.page
        number = self.design(self.layer("Bolt drop"), name="Latch of brass")
        self.open()
        page.get_by_text("Sum", exact=True).first.click()
        expect(page.get_by_label("Name", exact=True)).to_have_value("Latch of brass print")
        category = page.get_by_label("Category", exact=True)
        expect(category).to_have_value("Mechanism/Lock")
        self.pick("Rate of the sum", "44.1 kHz")
        self.kept_mix(number, "mix.rate === 44100")
        page.get_by_role("button", name=re.compile("^Print Enter|^Print$")).last.click()
        expect(page.get_by_text("Latch of brass print is in the library, in Mechanism/Lock")).to_be_visible()
        [made] = self.api(f"{HERE}/sounds?q=latch%20print")["rows"]
        self.assertEqual((made["rate"], made["category"]), (44100, "Mechanism/Lock"))
        expect(page.get_by_label("Name", exact=True)).to_have_value("Latch of brass print 2")
        page.get_by_role("button", name="Export the sum as a file").click()
        page.get_by_label("Folder to export to").fill(str(self.folder / "sums"))
        page.get_by_label("Folder to export to").press("Enter")
        expect(page.get_by_text("1 file written to")).to_be_visible()
        [written] = (self.folder / "sums").glob("*.wav")
        self.assertEqual((written.stem, files.probe(written).rate), ("Latch of brass", 44100))

    def test_a_tonal_layer_is_tuned_to_another(self) -> None:
        page = self.page
        number = self.design(self.layer("Tone 220"), self.layer("Tone 330") | {"id": "other"})
        self.open()
        self.choose_layer(0)
        page.get_by_role("tab", name="Tune").click()
        panel = page.get_by_role("complementary", name="Layer")
        expect(panel).to_contain_text("A3 +0 cents, 220.0 Hz")
        expect(panel).to_contain_text("+7.02 st")
        panel.get_by_role("button", name="Tune", exact=True).click()
        self.kept_mix(number, "Math.abs(mix.members[0].pitch_st + 4.98) < 0.02")  # the nearest octave lies below
        panel.get_by_label("Tune to a note").fill("A2")
        panel.get_by_label("Tune to a note").press("Enter")
        self.kept_mix(number, "Math.abs(mix.members[0].pitch_st + 12) < 0.02")

    def test_a_layer_goes_on_as_a_bed_and_is_as_long_as_its_sound_again(self) -> None:
        page = self.page
        number = self.design(self.layer("Flywheel, drag"), self.layer("Latch, double click"))
        self.open()
        self.choose_layer(0)
        length = page.get_by_role("button", name=re.compile("^Goes on for: .*type a value"))
        length.click()
        page.keyboard.type("12")
        self.press("Enter")
        self.kept_mix(number, "mix.members[0].node.kind === 'loop' && mix.members[0].node.seed !== null")
        seed = self.mix(number)["members"][0]["node"]["seed"]
        expect(length).to_have_text("12.00 s")
        page.get_by_role("button", name="Draw again").click()
        self.kept_mix(number, f"mix.members[0].node.seed !== {seed}")
        # a second longer by a key, then the same again and again, then as it was
        self.press("Escape", "}")
        expect(length).to_have_text("13.00 s")
        page.get_by_role("radiogroup", name="Goes on", exact=True).get_by_text("The same again").click()
        self.kept_mix(number, "mix.members[0].node.kind === 'loop' && mix.members[0].node.seed === null")
        expect(page.get_by_role("button", name="Draw again")).to_have_count(0)
        page.get_by_role("button", name="as it is", exact=True).click()
        self.kept_mix(number, "mix.members[0].node.kind === 'source'")
        # what is too short to go on says so, and stays
        self.choose_layer(1)
        length.click()
        page.keyboard.type("9")
        self.press("Enter")
        expect(page.get_by_text("too short to repeat")).to_be_visible()
        self.kept_mix(number, "mix.members[1].node.kind === 'source'")

    def test_a_nested_design_that_changed_is_taken_anew_and_a_layer_is_frozen(self) -> None:
        inner = self.design(self.layer("Bolt drop"), name="Lock")
        held = self.api(f"{HERE}/stack/layer?design={inner}") | {"id": "lock"}
        outer = self.design(held, self.layer("Dome glass, ring"), name="Outer")
        changed = self.mix(inner)
        changed["members"][0]["pitch_st"] = -7
        httpx.put(f"{self.base}/designs/{inner}", json={"name": "Lock", "mix": changed}, timeout=90).raise_for_status()
        self.open("Outer")
        expect(self.head(0)).to_contain_text("newer exists")
        self.choose_layer(0)
        self.press("F4")
        self.kept_mix(outer, "mix.members[0].node.members[0].pitch_st === -7")
        expect(self.head(0)).not_to_contain_text("newer exists")
        before, _, _ = self.heard(self.mix(outer))
        self.press("Control+e")
        expect(self.head(0)).to_contain_text("frozen")
        self.kept_mix(outer, "mix.members[0].frozen !== null")
        np.testing.assert_allclose(self.heard(self.mix(outer))[0], before, atol=1e-6)
        self.press("Control+e")
        self.kept_mix(outer, "mix.members[0].frozen === null")
        # a design cannot hold itself
        refused = httpx.put(
            f"{self.base}/designs/{inner}", json={"name": "Lock", "mix": {"kind": "mix", "members": [self.api(f"{HERE}/stack/layer?design={outer}")]}}
        )
        self.assertIn("Lock cannot be a layer of itself", refused.json()["sentence"])

    def test_the_reference_is_one_key_away_in_every_stage(self) -> None:
        page = self.page
        self.design(self.layer("Bolt drop"))
        self.choose("Dome glass, ring")
        page.get_by_role("button", name="Reference", exact=True).click()
        expect(page.get_by_role("status").filter(has_text="Dome glass, ring is the reference now")).to_be_visible()
        for stage in ("Stack", "Mend"):
            self.stage(stage)
            if stage == "Stack":
                self.metered()
            reference = page.get_by_role("button", name="Ref", exact=True)
            self.press("`")
            expect(reference).to_have_attribute("aria-pressed", "true")
            self.sounding()
            self.press("`")
            expect(reference).to_have_attribute("aria-pressed", "false")

    def test_a_sum_that_clips_names_who_pushes_it_over(self) -> None:
        page = self.page
        self.design(self.layer("Tone 220", gain_db=18.0), self.layer("Bolt drop", gain_db=-20.0))
        self.open()
        page.get_by_role("button", name=re.compile("^Sum")).click()
        expect(page.get_by_test_id("warning")).to_have_text(re.compile(r"The sum is [\d.]+ dB over full scale: Tone 220 gives \d+ % of its highest peak"))
        expect(page.get_by_test_id("shares")).to_contain_text("Tone 220")

    def test_a_sum_of_four_channels_has_a_front_and_a_back(self) -> None:
        page = self.page
        number = self.design(self.layer("Bolt drop"), self.layer("Tone 220", gain_db=-12.0), name="Round")
        self.open()
        page.get_by_role("button", name=re.compile("^Sum")).click()
        self.pick("Channels of the sum", "quad")
        self.kept_mix(number, "mix.layout === 'quad'")
        self.choose_layer(0)
        box = page.get_by_test_id("plane").bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 60, box["y"] + 12)
        page.mouse.down()
        page.mouse.move(box["x"] + 108, box["y"] + 108, steps=4)  # the corner of the right back
        page.mouse.up()
        self.kept_mix(number, "mix.members[0].pan === 1 && mix.members[0].back === 1")
        expect(page.get_by_label("Front to back: back, type a value")).to_be_visible()
        page.get_by_role("tab", name="Curves").click()
        self.pick("What the curve moves", "Front to back")
        page.get_by_label("Points of the curve").fill("0 0, 1 -1")
        page.get_by_label("Points of the curve").press("Enter")
        self.kept_mix(number, "mix.members[0].envelopes[0].control === 'back'")
        mix = self.mix(number)
        mix["members"] = mix["members"][:1]
        bolt, rate, zero = self.heard(mix)
        self.assertEqual(bolt.shape[1], 4)
        powers = (bolt[zero : zero + rate // 50] ** 2).sum(axis=0), (bolt[zero + rate - rate // 20 : zero + rate] ** 2).sum(axis=0)
        self.assertEqual([int(np.argmax(one)) for one in powers], [3, 1])  # right back first, right front after a second
        self.press("Enter")
        expect(page.get_by_role("status").filter(has_text="Round")).to_be_visible()
        self.kept(f"{HERE}/sounds?q=where kind print", "it.rows[0].layout === 'quad' && it.rows[0].channels === 4")

    def test_a_bundle_is_saved_and_loaded_in_another_library(self) -> None:
        page = self.page
        number = self.design(self.layer("Bolt drop", pitch_st=-3.0), self.layer("Dome glass, ring"), name="Travelling")
        before, _, _ = self.heard(self.mix(number))
        self.open()
        page.get_by_role("button", name=re.compile("^Sum")).click()
        with page.expect_download() as download:
            page.get_by_role("button", name="Save as bundle").click()
        path = self.folder / "travelling.zip"
        download.value.save_as(path)
        self.stage("Gather")
        self.new_library("Yonder")
        self.stage("Stack")
        expect(page.get_by_role("button", name="Begin a design")).to_be_visible()  # nothing is here yet
        page.get_by_label("Bundle to load").set_input_files(path)
        expect(page.get_by_role("status").filter(has_text="Travelling is a design of this library now")).to_be_visible()
        expect(page.locator("[data-layer]")).to_have_count(2)
        mix = next(one["mix"] for one in self.api("lib/yonder/designs") if one["name"] == "Travelling")
        opened = httpx.post(f"http://127.0.0.1:{self.port}/api/lib/yonder/open", json={"node": mix}, timeout=60).json()
        raw = httpx.get(f"http://127.0.0.1:{self.port}/api/heard/{opened['digest']}/block", params={"start": 0, "frames": opened["frames"]}, timeout=60).content
        np.testing.assert_array_equal(np.frombuffer(raw, np.float32).reshape(-1, 2), before)

    def performed(self, seconds: float) -> None:
        """Wait until so much is performed, looking at every frame: waiting for a text looks less and less often, and plays out of time."""
        body = "(seconds) => Number(/recording ([\\d.]+)/.exec(document.querySelector('[data-testid=performed]').textContent)?.[1] ?? 0) >= seconds"
        self.page.wait_for_function(body, arg=seconds, polling="raf")

    def test_thirty_seconds_of_gears_are_performed_and_sent_to_slice(self) -> None:
        page = self.page
        page.add_init_script(MIDI)
        page.reload()
        expect(page.locator("[data-sound]").first).to_be_visible()
        self.stage("Stack")
        page.get_by_role("button", name="Perform", exact=True).click()
        page.get_by_label("Search for the keys").fill("where length under 3 s and channels under 3")
        page.get_by_label("Search for the keys").press("Enter")
        expect(page.get_by_test_id("keys-ready")).to_have_text(re.compile(r"^[1-9]\d* keys hold a sound$"))
        expect(page.get_by_text("MIDI: Test pads").first).to_be_visible()
        page.get_by_label("Name of the performance").fill("Gear room")
        page.get_by_label("Name of the performance").press("Enter")
        self.press("q")
        page.get_by_label("Choke word").fill("gears")
        page.get_by_label("Choke word").press("Enter")
        page.get_by_role("button", name="The same for all keys").click()
        told = page.get_by_test_id("performed")
        self.press("Enter")
        hits = 0
        begun = time.monotonic()
        for second in range(30):
            self.performed(second + 0.3)
            self.press(("q", "w", "Shift+e")[second % 3])
            hits += 1
        page.evaluate("() => window.pad(36, 127)")
        self.performed(30.0)
        self.press("Enter")
        expect(told).to_have_text(re.compile(rf"^3\d\.\d s, {hits + 1} hits$"))
        self.assertGreater(time.monotonic() - begun, 29)
        page.get_by_role("button", name="Print and slice").click()
        expect(page.get_by_test_id("slice-count")).to_be_visible()
        design = next(one for one in self.api(f"{HERE}/designs") if one["name"] == "Gear room")
        members = design["mix"]["members"]
        self.assertEqual(len(members), hits + 1)
        soft = [one["gain_db"] for one in members if abs(one["gain_db"] + 6.02) < 0.01]
        self.assertEqual(len(soft), 10)
        printed = next(row for row in self.api(f"{HERE}/sounds?q=where kind print")["rows"] if row["name"] == "Gear room")
        self.assertGreater(printed["seconds"], 29)
        # what was played is where it was played: every second one hit begins
        begins = np.diff([one["at_s"] - one["anchor_s"] for one in members[:hits]])
        self.assertAlmostEqual(float(np.median(begins)), 1.0, delta=0.15)
        audio, rate, zero = self.heard(design["mix"])
        for one in members[:5]:
            begin = round((one["at_s"] - one["anchor_s"]) * rate) + zero
            self.assertGreater(levels.peak(audio[begin : begin + rate // 2]), 0.01)


MIDI = """
const input = { name: "Test pads", onmidimessage: null };
navigator.requestMIDIAccess = async () => ({ inputs: new Map([["one", input]]) });
window.pad = (note, velocity) => input.onmidimessage({ data: new Uint8Array([0x90, note, velocity]) });
"""
