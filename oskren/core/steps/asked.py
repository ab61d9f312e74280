"""What people say when they mean a step, beside its name and words: phrases of the trade and of every day (common practice, no source)."""

from __future__ import annotations

_SAID = {
    "auto_pan": "pan from left to right, left to right, move around, circle around the listener, fly past, spin around",
    "band": (
        "eq, equalizer, parametric, bell, resonance, notch a tone out, whistle away, harsh, harshness, boxy, boomy, nasal, "
        "muddy, more treble, more highs, more bass, more lows, less bass, boost, boost the mids, mids, presence, guitar body, "
        "dull, bright, honky, sibilant, frequency, brighten, warm"
    ),
    "bumps": "handling noise, thumps, knocks on the stand, bumps on the microphone, footfall on the stand, microphone bumps",
    "chorus": "sounds like many, crowd, choir, thicken, double it, doubling, ensemble, many of them",
    "clicks": "take off the click, remove clicks, pops, crackle, ticks, mouth clicks, vinyl",
    "clipped": "repair clipping, declip, overloaded recording, recorded too loud, flattened peaks, too hot",
    "compressor": (
        "compress, compression, even out the loudness, even out the dynamics, dynamics, level the dynamics, squash, glue "
        "together, more punch, pump, upfront, more impact"
    ),
    "crush": "8 bit, bit crush, low resolution, lofi, retro game, telephone, radio, cheap speaker, robot, broken toy, downsample",
    "dc": "remove dc, offset, centre the waveform",
    "delay": "echo, echoes, repeats, slapback, slap, cave, canyon, valley, far away mountains, bounce back",
    "drive": "distort, distortion, overdrive, overdriven, saturate, scream, screaming, dirty, dirt, fuzz, gritty, angry, tear it up",
    "even": "balance left and right, one side louder, left louder than right, lopsided, off centre",
    "fade": ("fade in, fade out, fade it, soften the attack, smooth start, smooth end, louder at the end, quieter at the end, ease in"),
    "flanger": "jet sweep, jet, airplane, whoosh through, comb sweep, tunnel sweep",
    "gain": (
        "turn it up, turn it down, volume, raise the volume, lower the volume, louder at the end, db louder, db quieter, "
        "louder, quieter, softer level, boost the level, as loud as possible, peak level"
    ),
    "gate": "cut the silence, silence between, chop the tail, shorten the tail, noise gate, only the hits, mute between",
    "grains": "granular, cloud, stretch it out, stutter, endless, twice as long, much longer, drone, smear in time",
    "high_pass": (
        "low cut, bass cut, cut the lows, cut the low end, super lows, cut the super lows, sub, remove bass, less bass, rumble, "
        "thin it out, thinner, telephone, phone, radio, small speaker, cheap speaker, wind, wind noise, boomy, get rid of the "
        "lows, low end"
    ),
    "hold": "freeze, freeze it, endless, drone, hold the note, sustain for ever, infinite",
    "hum": "mains hum, buzz, 50 hz, 60 hz, electrical noise, ground loop",
    "impulse": "impulse response, through a body, guitar body, resonating body, cabinet, convolve, real room, through an object",
    "layout": "5.1, 7.1, surround, quad, ambisonic, to mono, to stereo, one channel, channels",
    "lead_in": ("sucked in, suck in before the hit, riser, rises into the hit, swell into, build up before, reverse reverb, into the impact"),
    "limiter": "limit the peaks, limit, stop clipping, no clipping, as loud as possible, maximise, peak to, brickwall, ceiling",
    "loop_seam": "seamless loop, loop without a seam, loop without a click, make it loop, loop point, end into the start",
    "low_pass": (
        "high cut, treble cut, cut the highs, super highs, less treble, roll off the top, top end, hiss, muffle, muffled, too "
        "bright, behind a wall, through a wall, behind a door, through a door, under water, take the harshness off, harshness, "
        "less bright"
    ),
    "mirror": "loop it, loop longer, repeat seamlessly, extend, ring longer, longer tail, twice as long",
    "mono": "to mono, mono, one channel, collapse to one, narrow, sum to mono",
    "mono_below": "bass in the middle, lows in the centre, mono bass, bass to mono, keep the bass in the middle, keep the lows centred",
    "moving_filter": "wah, filter sweep, filter that opens, filter closes, opens slowly, resonant sweep, underwater, under water, talk box",
    "noise_reduction": "denoise, noise, background noise, hiss, tape hiss, air conditioning, wind, rumble, noisy, clean it up",
    "level to": "loudness to, true peak to, same loudness, lufs, as loud as others",
    "normalise": "normalize, peak level, peak to, loudest to, as loud as possible, bring up to level",
    "one_channel": "left only, right only, only the left, only the right, left channel, right channel, one side, keep one channel",
    "phaser": "swirl, swirling, psychedelic, dreamy, swoosh",
    "pitch": (
        "slow down, slow it down, speed up, speed, half speed, double speed, octave lower, octave higher, octave, tune, tune "
        "down, transpose, fifth, monster, creature, giant, chipmunk, mouse, stretch, stretch it out, twice as long, half as "
        "long"
    ),
    "plugin": "plug-in, external effect",
    "reverse": "backwards, play it backwards, turn it round, turn around, other way round, flip in time",
    "ring": "robot, robot voice, alien voice, machine voice, metal, bell, clang, inharmonic",
    "room_reduction": ("less room, too much room, dereverb, remove reverb, remove the reverb, less reverb, reverb away, dry it up, closer, nearer, echoey"),
    "shaper": (
        "attack, sharper attack, soften the attack, more punch, punch, more impact, impact, snap, snappier, transients, shorten "
        "the tail, shorter tail, longer tail, ring out longer, smooth start"
    ),
    "shift": "out of tune, out of tune metal, detune strangely, inharmonic, alien, wrong pitch",
    "smear": "blur, wash, dreamy wash, fog, ghostly, soften everything",
    "space": (
        "reverb, room, hall, big hall, cave, church, tunnel, stairwell, far away, distance, outside, through a door, ring out longer, ambience, dreamy wash"
    ),
    "tilt": ("brighter, darker, warmer, colder, dull, too dull, bright, too bright, less bass, more bass, more treble, closer, tone balance"),
    "tremolo": "tremble, shake, flicker, pulse, stutter, volume wobble, flutter",
    "trim": ("cut the silence, cut off the beginning, chop off the beginning, chop off, cut the end, cut the start, shorten, shorten the tail"),
    "width": "wide, wider, narrower, narrow, stereo width, spread it out, spread in stereo, mid side, left louder than right",
}

ASKED: dict[str, tuple[str, ...]] = {key: tuple(phrase.strip() for phrase in said.split(",")) for key, said in _SAID.items()}
"""Phrases by the key of the step they mean."""
