"""Steps and spaces as a designer uses them: a knock in five spaces, wishes, curves, impulse responses, chains, crowding."""

import re

import numpy as np
from scipy.signal import butter, sosfiltfilt

from oskren.core.audio import files
from oskren.core.steps.space import NAMED
from tests.browser.bench import HERE, OnTheBench
from tests.browser.support import expect
from tests.support import pitch_of
from tests.test_plugins import TINY

SPACES = ("small room", "corridor", "hall", "cathedral", "outside the door")


def decay_s(samples: np.ndarray, rate: int) -> float:
    """Decay around 1 kHz by backward integration (Schroeder 1965), from -5 to -25 dB."""
    sections = butter(6, [707, 1414], "bandpass", fs=rate, output="sos")
    energy = np.cumsum(sosfiltfilt(sections, samples[:, 0].astype(np.float64))[::-1] ** 2)[::-1]
    level = 10 * np.log10(np.maximum(energy / energy[0], 1e-12))
    part = np.flatnonzero((level <= -5) & (level >= -25))
    return float(-60 / np.polyfit(part / rate, level[part], 1)[0])


class Designing(OnTheBench):
    def test_a_dry_knock_in_five_spaces(self) -> None:
        """Placed by name, kept as versions, compared at matched loudness, printed: each decays on disk as its space says."""
        number = self.design(self.layer("Floor plate, knock", id="knock"), name="Knock")
        self.open()
        self.choose_layer(0)
        panel = self.add_step("bigger", "Space")
        expect(panel).to_have_attribute("data-step", "space")
        expect(panel.get_by_test_id("picture")).to_be_visible()
        for count, name in enumerate(SPACES, 1):
            panel.get_by_role("group", name="Named settings").get_by_role("button", name=name).click()
            expect(panel.get_by_role("button", name=name)).to_have_attribute("aria-pressed", "true")
            self.kept_mix(number, f"mix.members[0].chain[0].params.decay_s === {NAMED[name]['decay_s']}")
            expect(panel).to_contain_text(re.compile(r"-\d+\.\d dBFS, -\d+\.\d LUFS"))
            self.press("Control+s")
            self.kept(f"{HERE}/designs/{number}/versions", f"it.length === {count}")
            self.press("Enter")
            self.kept(f"{HERE}/sounds?q=where kind print", f"it.total === {count}")
        # two of them compared, in words and by ear
        self.compared("Version 1", "Space")
        decays = {}
        for row in self.api(f"{HERE}/sounds?q=where kind print")["rows"]:
            facts = self.api(f"{HERE}/sounds/{row['id']}")
            space = next(name for name in SPACES if NAMED[name]["decay_s"] == facts["node"]["of"]["members"][0]["chain"][0]["params"]["decay_s"])
            (media,) = (self.folder / "home" / "libraries" / "orrery" / "media").rglob(f"{facts['node']['audio']}*")
            samples, rate = files.read(media)
            decays[space] = decay_s(samples[round(0.12 * rate) :], rate)
        self.assertEqual(set(decays), set(SPACES))
        for name in ("hall", "cathedral"):
            self.assertAlmostEqual(decays[name] / NAMED[name]["decay_s"], 1, delta=0.12)
        self.assertEqual(sorted(("small room", "hall", "cathedral"), key=decays.__getitem__), ["small room", "hall", "cathedral"])

    def test_wishes_find_steps_settings_and_chains(self) -> None:
        page = self.page
        self.post(
            "chains",
            {
                "name": "Far shore",
                "told": "Further away, on the other side of the water",
                "chain": [{"kind": "low_pass", "params": {"cutoff_hz": 2500.0}}, {"kind": "space"}],
            },
        )
        number = self.design(self.layer("Bolt drop", id="bolt"))
        self.page.reload()
        self.open()
        self.choose_layer(0)
        self.press("a")
        field = page.get_by_label("What should it do?")
        for wish, answer in (("rougher", "Drive"), ("make it bigger", "Space"), ("longer", "Mirrored longer"), ("cathedral", "Space, cathedral")):
            field.fill(wish)
            expect(page.get_by_role("option", name=answer, exact=True)).to_be_visible()
        field.fill("xyzzy")
        expect(page.get_by_text("Nothing answers that")).to_be_visible()
        field.fill("further away")
        page.get_by_role("option", name="Far shore", exact=True).click()
        self.kept_mix(number, "mix.members[0].chain.map((step) => step.kind).join() === 'low_pass,space'")
        expect(page.locator("[data-step]")).to_have_count(2)
        self.press("Control+z")
        self.kept_mix(number, "mix.members[0].chain.length === 0")

    def test_a_step_is_set_drawn_moved_and_limited_to_a_band(self) -> None:
        page = self.page
        number = self.design(self.layer("Brass ratchet, slow", id="ratchet"))
        self.open()
        self.choose_layer(0)
        panel = self.add_step("dirtier", "Drive")
        panel.get_by_role("button", name="torn").click()
        self.kept_mix(number, "mix.members[0].chain[0].params.curve === 'hard'")
        expect(panel.get_by_test_id("picture").get_by_role("img")).to_have_accessible_name(re.compile("Drive, drawn"))
        panel.get_by_role("group", name="Curves").get_by_role("button", name="drive").click()
        page.get_by_label("Curve of Drive").fill("0 0, 1 30")
        self.press("Enter")
        panel.get_by_role("button", name="Limit it").click()
        panel.get_by_role("button", name="To a band").click()
        self.kept_mix(number, "mix.members[0].chain[0].envelopes[0].points.length === 2 && mix.members[0].chain[0].low_hz === 200")
        dry, _, _ = self.heard({**self.mix(number), "members": [self.mix(number)["members"][0] | {"chain": []}]})
        wet, rate, _ = self.heard(self.mix(number))
        change, hz = np.abs(np.fft.rfft((wet - dry)[:rate, 0] * np.hanning(rate))) ** 2, np.fft.rfftfreq(rate, 1 / rate)
        inside = float(change[(hz > 400) & (hz < 3000)].sum())
        self.assertGreater(inside, 0.0)
        for low, high in ((20, 120), (6000, 16_000)):
            self.assertLess(float(change[(hz > low) & (hz < high)].sum()), 1e-4 * inside)

    def test_an_impulse_response_of_ones_own(self) -> None:
        number = self.design(self.layer("Floor plate, knock", id="knock"))
        self.open()
        self.choose_layer(0)
        panel = self.add_step("convolution", "Convolution")
        expect(panel).to_contain_text("until then the sound passes")
        panel.get_by_label("Search for the impulse response").fill("Dome glass")
        panel.get_by_role("listitem", name="Use Dome glass, ring").click()
        expect(panel.get_by_role("group", name="Impulse response")).to_contain_text("Dome glass, ring")
        self.kept_mix(number, "mix.members[0].chain[0].learned_on?.kind === 'source'")
        # the sound it is given counts as used, and goes with a bundle
        dome = self.sound("Dome glass, ring")
        self.kept(f"{HERE}/sounds/{dome}/uses", "it.length > 0")
        audio, rate, zero = self.heard(self.mix(number))
        self.assertGreater(float(np.abs(audio[zero + 2 * rate :]).max()), 1e-6)

    def test_two_layers_that_crowd_each_other_and_a_dip(self) -> None:
        page = self.page
        plate, bolt = self.layer("Floor plate, knock", id="plate", gain_db=-4.0), self.layer("Bolt drop", id="bolt", gain_db=-5.5, pitch_st=-4.0)
        number = self.design(plate | {"name": "Plate"}, bolt | {"name": "Bolt"})
        self.open()
        expect(page.get_by_test_id("crowd")).to_have_count(2)
        told = page.get_by_test_id("crowd").first.get_by_role("img").get_attribute("aria-label") or ""
        self.assertRegex(told, "^Plate: (clear of the other layers|most under others from)")
        page.get_by_role("button", name=re.compile("^Sum")).click()
        (before,) = self.post("stack/crowding", self.mix(number))["pairs"]
        dip, names = before["dip"], {"plate": "Plate", "bolt": "Bolt"}
        shown = page.get_by_test_id("pair")
        expect(shown).to_contain_text(f"{names[before['louder']]} {before['over_db']:.1f} dB over {names[before['other']]}")
        shown.get_by_role("button", name=f"Dip {names[dip['layer']]} by {-dip['step']['params']['gain_db']:.1f} dB").click()
        at = ["plate", "bolt"].index(dip["layer"])
        self.kept_mix(number, f"mix.members[{at}].chain.at(-1)?.kind === 'band' && mix.members[{at}].chain.at(-1).params.gain_db < 0")
        after = self.post("stack/crowding", self.mix(number))["pairs"]
        for one in after:
            if (one["low_hz"], one["high_hz"]) == (before["low_hz"], before["high_hz"]):
                sign = -1 if one["louder"] == dip["layer"] else 1
                self.assertAlmostEqual(sign * one["over_db"], dip["after_db"], delta=1.0)
        self.assertGreater(dip["after_db"], dip["before_db"] + 1)
        # a step like any other: it is in the layer's chain, and undone with one key
        self.choose_layer(at)
        expect(page.locator("[data-step=band]")).to_be_visible()
        self.press("Control+z")
        self.kept_mix(number, f"mix.members[{at}].chain.length === 0")
        page.get_by_role("button", name="crowding").click()
        expect(page.get_by_test_id("crowd")).to_have_count(0)

    def test_a_step_that_clips_offers_its_gain_in_a_design_too(self) -> None:
        number = self.design(self.layer("Tone 330", id="tone"))
        self.open()
        self.choose_layer(0)
        panel = self.add_step("gain", "Gain")
        panel.get_by_role("slider", name="Gain").focus()
        self.press("Enter")
        self.page.keyboard.type("18dB")
        self.press("Enter")
        expect(panel).to_contain_text("over full scale by")
        panel.get_by_role("button", name="lower it").click()
        self.kept_mix(number, "mix.members[0].chain.length === 2 && mix.members[0].chain[1].params.gain_db < -5")
        self.assertLess(float(np.abs(self.heard(self.mix(number))[0]).max()), 1.0)

    def test_a_print_is_shifted_through_a_chain_in_one_gesture(self) -> None:
        page = self.page
        self.post("chains", {"name": "Dulled", "told": "Duller, further away", "chain": [{"kind": "tilt", "params": {"tilt_db": -9.0}}, {"kind": "space"}]})
        page.reload()
        number = self.design(self.layer("Tone 330", id="tone"), name="Low")
        self.open()
        page.get_by_role("button", name=re.compile("^Sum")).click()
        self.pick("Chain of the shifted print", "through Dulled")
        page.get_by_role("slider", name="Print pitched by").focus()
        self.press("Enter")
        page.keyboard.type("-12st")
        self.press("Enter", "Control+Enter")
        self.kept_mix(number, "mix.members.length === 2 && mix.members[1].pitch_st === -12")
        layer = self.mix(number)["members"][1]
        self.assertEqual((layer["name"], [step["kind"] for step in layer["chain"]]), ("Low print, an octave down", ["tilt", "space"]))
        alone, rate, zero = self.heard({**self.mix(number), "members": [layer]})
        self.assertAlmostEqual(pitch_of(alone[zero : zero + rate], rate), 165.0, delta=0.5)

    def test_the_turning_point_of_a_mirror_is_taken_from_the_playhead(self) -> None:
        page = self.page
        number = self.design(self.layer("Dome glass, ring", id="dome"))
        self.open()
        self.choose_layer(0)
        panel = self.add_step("longer", "Mirrored longer")
        expect(panel.get_by_test_id("picture")).to_be_visible()
        self.press("Space")
        self.sounding()
        panel.get_by_role("button", name="playhead").click()
        self.kept_mix(number, "mix.members[0].chain[0].params.point_s > 0 && mix.members[0].chain[0].params.point_s < 6")
        page.keyboard.press("Space")
        # a named setting leaves the place where it is
        panel.get_by_role("button", name="long ring").click()
        self.kept_mix(number, "mix.members[0].chain[0].params.times === '4' && mix.members[0].chain[0].params.point_s > 0")

    def test_a_plug_in_is_opened_set_and_passed_over_when_it_crashes(self) -> None:
        page = self.page
        number = self.design(self.layer("Tone 330", id="tone"))
        self.open()
        self.choose_layer(0)
        dry, _, _ = self.heard(self.mix(number))
        self.refusals: list[str] = []
        self.press("a")
        path = page.get_by_label("Path of a plug-in")
        path.fill("/nothing/here.vst3")
        path.press("Enter")
        expect(page.get_by_role("alert").filter(has_text="there is nothing there")).to_be_visible()
        path.fill(str(TINY))
        path.press("Enter")
        page.on("response", lambda answer: self.refusals.append(answer.url) if answer.status >= 400 else None)
        panel = page.get_by_role("group", name="Step 1, Tiny gain")
        expect(panel).to_contain_text("Saltglass Observatory")
        for name, value in (("Gain", "0.25"), ("Mishap", "1")):
            panel.get_by_role("slider", name=name).focus()
            self.press("Enter")
            page.keyboard.type(value)
            self.press("Enter")
            self.kept_mix(number, f"mix.members[0].chain[0].params.values?.{name.lower()} === {float(value)}")
            if name == "Gain":
                np.testing.assert_allclose(self.heard(self.mix(number))[0], 0.5 * dry, atol=1e-6)
        expect(panel.get_by_role("status")).to_have_text("Passed over: it crashed (SIGSEGV).")
        expect(page.get_by_role("alert").filter(has_text="Plug-in Tiny gain crashed (SIGSEGV)")).to_be_visible()
        np.testing.assert_allclose(self.heard(self.mix(number))[0], dry, atol=1e-6)
        self.assertEqual(self.refusals, [])
        self.press("Control+z")
        panel.get_by_role("button", name="Try it again").click()
        expect(panel.get_by_role("status")).to_have_count(0)
        self.kept_mix(number, "!mix.members[0].chain[0].params.values.mishap")
        np.testing.assert_allclose(self.heard(self.mix(number))[0], 0.5 * dry, atol=1e-6)
        # nothing that was asked about before the undo takes the try away again
        expect(page.get_by_test_id("sum")).to_contain_text("LUFS")
        self.assertEqual(self.api("plugins")[0]["passed_over"], "")
