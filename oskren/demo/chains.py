"""Chains of the Saltglass Observatory, ready for use: what each does is told in words, by which it is found too."""

from __future__ import annotations

from typing import Any

from oskren.core.envelope import Envelope
from oskren.core.nodes.model import Node, Step

Told = tuple[str, str, tuple[Step, ...]]
"""Name, what it does, steps."""


def _step(key: str, /, **params: Any) -> Step:
    return Step(kind=key, id=key, params=params)


def _moving(key: str, control: str, points: tuple[tuple[float, float], ...], **params: Any) -> Step:
    return Step(kind=key, id=f"{key}-{control}", params=params, envelopes=(Envelope(control=control, points=points, curve="eased"),))


def chains(gallery: Node, horn: Node) -> list[Told]:
    """The chains; two of them are given a response that was recorded: the lamp gallery's and that of a brass horn."""
    return [
        (
            "Colossus underfoot",
            "Bigger and heavier: slowed by an octave, dense, with more room at its tail than at its start",
            (
                _step("pitch", semitones=-12.0),
                _step("compressor", threshold_db=-24.0, ratio=3.0, attack_ms=25.0, release_ms=140.0, makeup_db=5.0),
                _step("band", kind="low shelf", frequency_hz=110.0, gain_db=4.0, q=0.7),
                _moving("space", "wet_db", ((0.0, -24.0), (1.2, -9.0)), size_m=35.0, decay_s=3.2, low_ratio=1.3, high_ratio=0.4, pre_delay_ms=30.0),
            ),
        ),
        (
            "Torn brass",
            "Rougher: driven hard, the mud below and the fizz above taken away",
            (
                _step("high_pass", cutoff_hz=90.0),
                _step("drive", curve="fold", drive_db=20.0, output_db=-9.0, mix=0.7),
                _step("low_pass", cutoff_hz=9000.0),
                _step("compressor", threshold_db=-20.0, ratio=2.5, makeup_db=2.0),
            ),
        ),
        (
            "Across the water",
            "Further away and outside: thinner, duller, with the far shore answering",
            (
                _step("high_pass", cutoff_hz=220.0),
                _step("low_pass", cutoff_hz=3800.0, slope="12"),
                _step("delay", time_ms=480.0, feedback=0.25, high_cut_hz=1800.0, low_cut_hz=250.0, wet_db=-16.0),
                _step("space", size_m=70.0, decay_s=0.9, early_db=9.0, pre_delay_ms=60.0, wet_db=-16.0, low_ratio=0.7, high_ratio=0.35),
            ),
        ),
        (
            "Behind the kiln door",
            "Heard through a wall from the next room: muffled, boomy, mono",
            (
                _step("space", size_m=6.0, decay_s=0.7, low_ratio=1.3, high_ratio=0.4, pre_delay_ms=0.0, walls_hz=450.0, wet_db=-2.0, dry_db=-6.0),
                _step("band", kind="bell", frequency_hz=140.0, gain_db=5.0, q=1.5),
                _step("mono"),
            ),
        ),
        (
            "Glass made of it",
            "Metallic and brittle: a second tone in every partial, ringing in a short pipe",
            (
                _step("ring", frequency_hz=1310.0, mix=0.45),
                _step("delay", time_ms=3.1, feedback=0.88, high_cut_hz=14000.0, low_cut_hz=400.0, wet_db=-8.0),
                _step("shaper", attack_db=6.0, sustain_db=4.0),
            ),
        ),
        (
            "Drawn in by the tide",
            "A swell before the hit: its own tail backwards leads up to it",
            (
                _step("lead_in", length_s=1.8, decay_s=3.0, level_db=-4.0),
                _step("auto_pan", rate_hz=0.4, depth=0.7, shape="triangle"),
            ),
        ),
        (
            "Endless heron",
            "Longer: turned round at half a second again and again, softened so that no turn is heard",
            (
                _step("mirror", point_s=0.5, span_s=0.35, times="4", crossfade_ms=90.0),
                _step("smear", size_ms=90.0, amount=0.5, mix=0.5),
            ),
        ),
        (
            "Salt fog bed",
            "A bed out of anything: stretched into a cloud of grains, smeared, slowly moving",
            (
                _step("grains", stretch=6.0, grain_ms=140.0, scatter_ms=90.0, density="8"),
                _step("smear", size_ms=800.0),
                _step("moving_filter", cutoff_hz=1400.0, q=0.9, swing_oct=1.0, rate_hz=0.13, shape="wander"),
                _step("space", size_m=28.0, decay_s=2.6, wet_db=-8.0),
            ),
        ),
        (
            "Clockwork swarm",
            "Many small ones instead of one: grains at scattered pitches, an octave up, circling",
            (
                _step("grains", stretch=1.6, grain_ms=45.0, scatter_ms=140.0, pitch_st=12.0, pitch_scatter_st=4.0, density="8"),
                _step("chorus", voices="3", mix=0.5),
                _step("auto_pan", rate_hz=0.7, depth=0.8, shape="wander"),
            ),
        ),
        (
            "Speaking tube",
            "A voice in a pipe: narrow, nasal, a little broken",
            (
                _step("moving_filter", kind="band-pass", cutoff_hz=1250.0, q=1.1, follow_oct=0.6),
                _step("drive", curve="lopsided", drive_db=14.0, output_db=-6.0),
                _step("delay", time_ms=5.6, feedback=0.7, high_cut_hz=5000.0, low_cut_hz=250.0, wet_db=-10.0),
            ),
        ),
        (
            "Fist in sand",
            "Punchier and drier: attack up, what rings after it down, kept under a ceiling",
            (
                _step("shaper", attack_db=9.0, sustain_db=-12.0, attack_ms=14.0, sustain_ms=180.0),
                _step("band", kind="bell", frequency_hz=95.0, gain_db=3.0, q=1.0),
                _step("limiter", ceiling_dbtp=-1.0),
            ),
        ),
        (
            "Orrery not quite in tune",
            "Strange and unreal: every partial moved by the same few Hz, two of them beating",
            (
                _step("shift", shift_hz=-37.0),
                _step("phaser", stages="8", rate_hz=0.11, feedback=0.5),
            ),
        ),
        (
            "In the lamp gallery",
            "Placed in the lamp gallery by the response that was recorded there",
            (
                Step(kind="impulse", id="gallery", params={"longest_s": 2.2, "wet_db": -6.0}, learned_on=gallery),
                _step("band", kind="high shelf", frequency_hz=6000.0, gain_db=-2.0, q=0.7),
            ),
        ),
        (
            "Called through the horn",
            "Everything that is heard comes out of a brass horn: hollow, hard, small",
            (
                Step(kind="impulse", id="horn", params={"longest_s": 0.2, "wet_db": 0.0, "dry_db": -60.0}, learned_on=horn),
                _step("compressor", threshold_db=-22.0, ratio=4.0, makeup_db=3.0),
            ),
        ),
    ]
