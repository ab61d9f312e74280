"""Level, channels: gain, normalise, width, mono."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.audio.layouts import CHANNELS, convert, matrix, to_mono
from oskren.core.controls import choice, number
from oskren.core.measure.levels import amplitude, db, peak
from oskren.core.measure.loudness import SHORT_S, Powers, loudness, summarise
from oskren.core.measure.true_peak import TruePeak
from oskren.core.steps.base import Context, Following, Params, Read, Simple, StepKind, Stream, Summary, register, spread
from oskren.core.types import Floats, Samples


class GainParams(Params):
    gain_db: float = number(0.0, -60, 36, "dB", "Gain")


@register
class Gain(StepKind):
    """Changes the level."""

    key, label, family, params = "gain", "Gain", "Level", GainParams
    words = "louder quieter level volume"
    moving = ("gain_db",)

    def stream(self, params: GainParams, summary: Summary, at: Context, position: int) -> Stream:
        if at.envelope("gain_db") is None:
            factor = np.float32(amplitude(params.gain_db))
            return Simple(lambda block: block * factor, at.channels)
        return Following(at, position, lambda block, first: block * _column(at.moved("gain_db", params.gain_db, first, len(block))))


def _column(gain_db: float | Floats) -> Samples:
    return np.asarray(10.0 ** (np.asarray(gain_db) / 20), np.float32).reshape(-1, 1)


class NormaliseParams(Params):
    peak_dbfs: float = number(-1.0, -24, 0, "dBFS", "Peak")


@register
class Normalise(StepKind):
    """Brings the sample peak of the whole sound to a level. Silence stays silent."""

    key, label, family, params, analyses = "normalise", "Normalise", "Level", NormaliseParams, True
    words = "louder level peak"
    learns_by = ()

    def analyse(self, params: NormaliseParams, blocks: Iterator[Samples], at: Context) -> Summary:
        return {"peak": np.array(max((peak(block) for block in blocks), default=0.0))}

    def glance(self, params: NormaliseParams, read: Read, at: Context) -> Summary:
        return self.analyse(params, spread(read, at), at)

    def stream(self, params: NormaliseParams, summary: Summary, at: Context, position: int) -> Stream:
        highest = float(summary["peak"])
        factor = np.float32(amplitude(params.peak_dbfs) / highest if db(highest) > -120 else 1.0)
        return Simple(lambda block: block * factor, at.channels)


LEVELS = ("sample peak", "true peak", "loudness")


class LevelToParams(Params):
    by: str = choice("true peak", LEVELS, "Level by")
    peak_db: float = number(-1.0, -24, 0, "dB", "Peak")
    loudness_lufs: float = number(-18.0, -60, 0, "LUFS", "Loudness")
    ceiling_dbtp: float = number(-1.0, -24, 0, "dBTP", "True peak at most")


@register
class LevelTo(StepKind):
    """Brings the whole sound to a sample peak, a true peak or a loudness, there never over a true peak. Silence stays silent."""

    key, label, family, params, analyses = "level to", "Level to", "Level", LevelToParams, True
    words = "louder level peak loudness lufs normalise"
    learns_by = ()

    def analyse(self, params: LevelToParams, blocks: Iterator[Samples], at: Context) -> Summary:
        """Sample peak and true peak (amplitudes) and loudness (LUFS; NaN for silence)."""
        true, powers = TruePeak(at.rate), Powers(at.rate, at.channels, at.named)
        highest, frames = 0.0, 0
        for block in blocks:
            highest, frames = max(highest, peak(block)), frames + len(block)
            true.add(block)
            powers.add(block)
        padded = frames < powers.step * 4
        if padded:
            powers.add(np.zeros((powers.step * 4 - frames, at.channels), np.float32))
        loud = summarise(powers.steps(), padded)
        lufs = loud.integrated_lufs if frames >= SHORT_S * at.rate else loud.max_momentary_lufs
        return {"peak": np.array(highest), "true": np.array(true.value()), "lufs": np.array(np.nan if lufs is None else lufs)}

    def glance(self, params: LevelToParams, read: Read, at: Context) -> Summary:
        return self.analyse(params, spread(read, at), at)

    def stream(self, params: LevelToParams, summary: Summary, at: Context, position: int) -> Stream:
        highest, true, lufs = (float(summary[name]) for name in ("peak", "true", "lufs"))
        if db(highest) <= -120 or (params.by == "loudness" and lufs != lufs):
            added = 0.0
        elif params.by == "loudness":
            added = min(params.loudness_lufs - lufs, params.ceiling_dbtp - db(true))
        else:
            added = params.peak_db - db(highest if params.by == "sample peak" else true)
        factor = np.float32(amplitude(added))
        return Simple(lambda block: block * factor, at.channels)


class WidthParams(Params):
    mid_db: float = number(0.0, -60, 12, "dB", "Mid gain")
    side_db: float = number(0.0, -60, 12, "dB", "Side gain")
    balance_db: float = number(0.0, -12, 12, "dB", "Balance to the right")


@register
class Width(StepKind):
    """Sets the gain of mid and side, and the balance of left and right, of a stereo sound. Mono passes unchanged."""

    key, label, family, params = "width", "Mid, side and balance", "Level", WidthParams
    words = "wider narrower stereo width mid side balance"
    settings = {"a little wider": {"side_db": 2.0}, "narrow": {"side_db": -9.0}}
    version = 2
    moving = ("mid_db", "side_db", "balance_db")

    def stream(self, params: WidthParams, summary: Summary, at: Context, position: int) -> Stream:
        def widened(block: Samples, first: int) -> Samples:
            if at.channels != 2:
                return block
            mid, side = (_column(at.moved(name, getattr(params, name), first, len(block))) for name in ("mid_db", "side_db"))
            lean = np.asarray(at.moved("balance_db", params.balance_db, first, len(block))) / 2
            middle, sides = (block[:, :1] + block[:, 1:]) * mid / 2, (block[:, :1] - block[:, 1:]) * side / 2
            return np.concatenate([(middle + sides) * _column(-lean), (middle - sides) * _column(lean)], axis=1).astype(np.float32)

        return Following(at, position, widened)


class EvenParams(Params):
    share: float = number(1.0, 0, 1, "", "How much of it")


@register
class Even(StepKind):
    """Makes left and right equally loud by their measured loudness (ITU-R BS.1770, each channel by itself). A silent channel is left alone."""

    key, label, family, params, analyses = "even", "Even out left and right", "Level", EvenParams, True
    words = "balance left right centre even"
    learns_by = ()
    portable = True

    def analyse(self, params: EvenParams, blocks: Iterator[Samples], at: Context) -> Summary:
        if at.channels != 2:
            return {"right_db": np.array(0.0)}
        whole = np.concatenate(list(blocks))
        left, right = (loudness(whole[:, lane : lane + 1], at.rate).integrated_lufs for lane in range(2))
        return {"right_db": np.array(0.0 if left is None or right is None else right - left)}

    def glance(self, params: EvenParams, read: Read, at: Context) -> Summary:
        return self.analyse(params, spread(read, at), at)

    def found(self, summary: Summary) -> str:
        apart = float(summary["right_db"])
        return "even already" if abs(apart) < 0.05 else f"{'right' if apart > 0 else 'left'} louder by {abs(apart):.1f} LU"

    def stream(self, params: EvenParams, summary: Summary, at: Context, position: int) -> Stream:
        if at.channels != 2:
            return Simple(lambda block: block, at.channels)
        half = float(summary["right_db"]) * params.share / 2
        gains = np.array([amplitude(half), amplitude(-half)], np.float32)
        return Simple(lambda block: block * gains, 2)


@register
class Mono(StepKind):
    """Makes one channel of the sound: the mean of left and right, after wider layouts are folded down."""

    key, label, family = "mono", "Mono", "Level"
    words = "mono one channel narrower centre"

    def out_channels(self, params: Params, channels: int) -> int:
        return 1

    def stream(self, params: Params, summary: Summary, at: Context, position: int) -> Stream:
        return Simple(lambda block: to_mono(block, at.named), 1)


class OneChannelParams(Params):
    channel: int = number(1, 1, 16, "", "Channel", digits=0, step=1)


@register
class OneChannel(StepKind):
    """Keeps one channel of the sound alone; the last one where there are fewer."""

    key, label, family, params = "one_channel", "One channel", "Level", OneChannelParams
    words = "mono left only right only one side channel"

    def out_channels(self, params: OneChannelParams, channels: int) -> int:
        return 1

    def stream(self, params: OneChannelParams, summary: Summary, at: Context, position: int) -> Stream:
        lane = min(params.channel, at.channels) - 1
        return Simple(lambda block: np.ascontiguousarray(block[:, lane : lane + 1]), 1)


class LayoutParams(Params):
    layout: str = choice("stereo", list(CHANNELS), "Becomes")
    angle_deg: float = number(90.0, 0, 135, "deg", "Ambisonic: look to the sides by")


@register
class Layout(StepKind):
    """Converts the sound to another channel layout: folded down, spread by channel name, or to and from first-order AmbiX.

    See :func:`oskren.core.audio.layouts.matrix` for the gains and their sources.
    """

    key, label, family, params = "layout", "Channel layout", "Level", LayoutParams
    words = "surround stereo mono ambisonics fold down channels"

    def out_channels(self, params: LayoutParams, channels: int) -> int:
        return len(CHANNELS[params.layout])

    def out_layout(self, params: LayoutParams, layout: str, channels: int) -> str:
        return params.layout

    def stream(self, params: LayoutParams, summary: Summary, at: Context, position: int) -> Stream:
        matrix(at.named, at.channels, params.layout, params.angle_deg)  # says at once what cannot be done
        return Simple(lambda block: convert(block, params.layout, at.named, params.angle_deg), len(CHANNELS[params.layout]))
