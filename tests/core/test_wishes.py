"""What people say of a sound finds the step they mean: half of the phrasings to build on, half to judge. Phrasings are our own (common practice, no source)."""

import unittest

from oskren.core.steps.asked import ASKED
from oskren.core.steps.base import REGISTRY
from oskren.core.steps.finding import find

FIRST = 3
"""How many of the offered steps are looked at."""

BUILT: tuple[tuple[str, set[str], set[str]], ...] = (
    ("low cut", {"high_pass"}, {"low_pass"}),
    ("cut the super lows", {"high_pass"}, {"low_pass"}),
    ("rumble", {"high_pass", "noise_reduction"}, {"low_pass"}),
    ("high cut", {"low_pass"}, {"high_pass"}),
    ("super highs", {"low_pass"}, {"high_pass"}),
    ("hiss", {"noise_reduction", "low_pass"}, {"high_pass"}),
    ("bell", {"band", "ring"}, set()),
    ("eq", {"band"}, set()),
    ("resonance", {"band"}, set()),
    ("telephone", {"high_pass", "crush"}, set()),
    ("wide", {"width"}, {"mono", "mono_below"}),
    ("wider", {"width"}, {"mono", "mono_below"}),
    ("slow down", {"pitch"}, set()),
    ("louder at the end", {"gain", "fade"}, set()),
    ("make it scream", {"drive"}, {"low_pass"}),
    ("turn it up", {"gain"}, set()),
    ("turn it down", {"gain"}, set()),
    ("less bass", {"high_pass", "band", "tilt"}, {"low_pass"}),
    ("more bass", {"band", "tilt"}, {"high_pass"}),
    ("more treble", {"band", "tilt"}, {"low_pass"}),
    ("take the harshness off", {"band", "low_pass"}, {"high_pass"}),
    ("boxy", {"band"}, set()),
    ("boomy", {"band", "high_pass"}, {"low_pass"}),
    ("compress it", {"compressor"}, set()),
    ("limit the peaks", {"limiter"}, set()),
    ("take off the click", {"clicks"}, set()),
    ("remove pops", {"clicks"}, set()),
    ("mains hum", {"hum"}, set()),
    ("handling noise", {"bumps"}, set()),
    ("too much room", {"room_reduction"}, {"space"}),
    ("dereverb", {"room_reduction"}, {"space"}),
    ("put it in a cave", {"space", "delay"}, {"room_reduction"}),
    ("echo", {"delay"}, set()),
    ("behind a wall", {"low_pass"}, {"high_pass"}),
    ("under water", {"low_pass", "moving_filter"}, {"high_pass"}),
    ("play it backwards", {"reverse"}, set()),
    ("sucked in before the hit", {"lead_in"}, set()),
    ("freeze it", {"hold"}, set()),
    ("stretch it out", {"pitch", "grains"}, set()),
    ("an octave lower", {"pitch"}, set()),
    ("monster", {"pitch"}, set()),
    ("like a robot", {"ring", "crush"}, set()),
    ("radio", {"high_pass", "crush"}, set()),
    ("8 bit", {"crush"}, set()),
    ("distort it", {"drive"}, set()),
    ("more punch", {"shaper", "compressor"}, set()),
    ("sharper attack", {"shaper"}, set()),
    ("soften the attack", {"shaper", "fade"}, set()),
    ("shorten the tail", {"shaper", "trim", "gate", "fade"}, set()),
    ("fade it out", {"fade"}, set()),
    ("cut the silence", {"trim", "gate"}, set()),
    ("to mono", {"mono", "layout"}, {"width"}),
    ("move it from left to right", {"auto_pan"}, set()),
    ("tremble", {"tremolo"}, set()),
    ("swirling", {"phaser"}, set()),
    ("jet sweep", {"flanger"}, set()),
    ("sounds like many", {"chorus"}, set()),
    ("normalize", {"normalise"}, set()),
    ("background noise", {"noise_reduction"}, set()),
    ("repair clipping", {"clipped"}, set()),
    ("loop it longer", {"mirror"}, set()),
    ("blur it", {"smear"}, set()),
    ("5.1", {"layout"}, set()),
)

JUDGED: tuple[tuple[str, set[str], set[str]], ...] = (
    ("get rid of the low end", {"high_pass"}, {"low_pass"}),
    ("thin it out", {"high_pass"}, {"low_pass"}),
    ("roll off the top", {"low_pass"}, {"high_pass"}),
    ("too bright", {"low_pass", "tilt", "band"}, {"high_pass"}),
    ("too dull", {"tilt", "band"}, {"low_pass"}),
    ("wind on the microphone", {"high_pass", "noise_reduction", "bumps"}, {"low_pass"}),
    ("boost the mids", {"band"}, set()),
    ("notch out a whistle", {"band"}, set()),
    ("parametric equaliser", {"band"}, set()),
    ("warmer", {"tilt", "drive", "band"}, {"high_pass"}),
    ("nasal", {"band"}, set()),
    ("raise the volume", {"gain"}, set()),
    ("make it quieter", {"gain"}, set()),
    ("6 dB louder", {"gain"}, set()),
    ("as loud as possible", {"limiter", "normalise", "gain"}, set()),
    ("even out the dynamics", {"compressor"}, set()),
    ("squash it", {"compressor"}, set()),
    ("stop it from clipping", {"limiter"}, set()),
    ("mouth clicks", {"clicks"}, set()),
    ("crackle", {"clicks"}, set()),
    ("50 Hz buzz", {"hum"}, set()),
    ("thumps from the stand", {"bumps"}, set()),
    ("remove the reverb", {"room_reduction"}, {"space"}),
    ("closer", {"room_reduction", "tilt"}, set()),
    ("big hall", {"space"}, {"room_reduction"}),
    ("far away in the valley", {"space", "delay"}, {"room_reduction"}),
    ("slapback", {"delay"}, set()),
    ("repeats that die away", {"delay"}, set()),
    ("heard through a door", {"low_pass", "space"}, {"high_pass"}),
    ("muffle it", {"low_pass"}, {"high_pass"}),
    ("filter that opens slowly", {"moving_filter"}, set()),
    ("wah", {"moving_filter"}, set()),
    ("turn it round", {"reverse"}, set()),
    ("riser into the impact", {"lead_in", "reverse"}, set()),
    ("endless drone", {"hold", "grains"}, set()),
    ("twice as long", {"pitch", "grains", "mirror"}, set()),
    ("half speed", {"pitch"}, set()),
    ("chipmunk", {"pitch"}, set()),
    ("giant creature", {"pitch"}, set()),
    ("tune it down a fifth", {"pitch"}, set()),
    ("dalek voice", {"ring"}, set()),
    ("lo-fi", {"crush"}, set()),
    ("cheap speaker", {"high_pass", "crush"}, set()),
    ("overdriven", {"drive"}, set()),
    ("dirty it up", {"drive"}, set()),
    ("more impact", {"shaper", "compressor"}, set()),
    ("snappier", {"shaper"}, set()),
    ("ring out longer", {"shaper", "mirror", "space"}, set()),
    ("smooth start", {"fade", "shaper"}, set()),
    ("chop off the beginning", {"trim"}, set()),
    ("only silence between the hits", {"gate"}, set()),
    ("collapse to one channel", {"mono", "layout"}, {"width"}),
    ("narrower", {"width", "mono"}, set()),
    ("spread it out in stereo", {"width", "chorus"}, {"mono"}),
    ("keep the bass in the middle", {"mono_below"}, set()),
    ("spin around the listener", {"auto_pan"}, set()),
    ("flicker", {"tremolo"}, set()),
    ("psychedelic swirl", {"phaser"}, set()),
    ("airplane whoosh", {"flanger"}, set()),
    ("thicken it", {"chorus"}, set()),
    ("crowd of them", {"chorus"}, set()),
    ("peak to minus one", {"normalise", "limiter", "gain"}, set()),
    ("denoise", {"noise_reduction"}, set()),
    ("tape hiss", {"noise_reduction", "low_pass"}, {"high_pass"}),
    ("fix overloaded recording", {"clipped"}, set()),
    ("granular cloud", {"grains"}, set()),
    ("stutter", {"grains", "tremolo"}, set()),
    ("dreamy wash", {"smear", "space", "phaser"}, set()),
    ("left louder than right", {"even", "width"}, set()),
    ("surround", {"layout"}, set()),
    ("out of tune metal", {"shift", "ring"}, set()),
    ("body of a guitar", {"impulse", "band"}, set()),
)


def share(phrasings: tuple[tuple[str, set[str], set[str]], ...]) -> tuple[float, list[str]]:
    """How many wishes are answered by a step that is meant, in the first three; and those that are not."""
    missed = [f"{wish}: {[one.key for one in find(wish)[:FIRST]]}" for wish, meant, _ in phrasings if not meant & {one.key for one in find(wish)[:FIRST]}]
    return 1 - len(missed) / len(phrasings), missed


class WhatPeopleSay(unittest.TestCase):
    def test_there_are_enough_to_say_something(self) -> None:
        self.assertGreaterEqual(len(BUILT) + len(JUDGED), 120)
        self.assertEqual({wish for wish, *_ in BUILT} & {wish for wish, *_ in JUDGED}, set())

    def test_every_step_is_asked_for_in_words_of_its_own(self) -> None:
        self.assertEqual(set(ASKED), {key for key, kind in REGISTRY.items() if kind.offered})

    def test_all_that_was_built_on_is_answered(self) -> None:
        self.assertEqual(share(BUILT)[1], [])

    def test_nine_in_ten_of_the_judged_half_are_answered(self) -> None:
        answered, missed = share(JUDGED)
        self.assertGreater(answered, 0.9, missed)

    def test_nothing_opposite_is_offered_first(self) -> None:
        for wish, _, opposite in BUILT + JUDGED:
            with self.subTest(wish=wish):
                self.assertEqual({one.key for one in find(wish)[:FIRST]} & opposite, set())


if __name__ == "__main__":
    unittest.main()
