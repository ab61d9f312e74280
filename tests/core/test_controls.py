"""Controls as the models state them: what the interface draws is what the models accept."""

import unittest
from typing import Literal

from pydantic import BaseModel, ValidationError

from oskren.core.controls import choice, controls_of, number, switch
from oskren.core.published import MODELS, published
from oskren.core.slice.levels import SliceSettings


class Lamp(BaseModel):
    reach_m: float = number(4.0, 1, 100, "m", "Reach", "log", usual=(2, 40))
    delay_s: float | None = number(None, 0, 2, "ms", "Delay", shown=1000, unset="none", begins=0.1)
    glass: Literal["clear", "green"] = choice("clear", None, "Glass")
    rate: int | None = choice(None, {None: "its own", 48_000: "48 kHz"}, "Rate", low=8000, high=384_000)
    on: bool = switch(True, "Lit")
    notes: str = ""


class Controls(unittest.TestCase):
    def test_a_control_is_what_the_field_states(self) -> None:
        reach, delay, glass, rate, on = controls_of(Lamp)
        self.assertEqual((reach.low, reach.high, reach.usual, reach.unit, reach.scale, reach.digits, reach.default), (1, 100, (2, 40), "m", "log", 1, 4.0))
        self.assertEqual((delay.low, delay.shown, delay.unset, delay.begins, delay.default), (0, 1000, "none", 0.1, None))
        self.assertEqual([(one.value, one.label) for one in glass.options], [("clear", "clear"), ("green", "green")])
        self.assertEqual([(one.value, one.label) for one in rate.options], [(None, "its own"), (48_000, "48 kHz")])
        self.assertEqual((on.control, on.default), ("switch", True))

    def test_the_model_refuses_what_lies_outside_the_hard_range_and_takes_what_lies_outside_the_usual_one(self) -> None:
        self.assertEqual(Lamp(reach_m=90).reach_m, 90)
        for values in ({"reach_m": 101}, {"delay_s": -1}, {"glass": "red"}, {"rate": 7999}):
            with self.subTest(**values), self.assertRaises(ValidationError):
                Lamp.model_validate(values)

    def test_no_digits_and_no_step_are_stated_too(self) -> None:
        gap = next(one for one in controls_of(SliceSettings) if one.name == "min_gap_ms")
        self.assertEqual((gap.digits, gap.usual), (0, (1, 5000)))

    def test_every_published_control_agrees_with_itself(self) -> None:
        for name, model in published().items():
            for one in model.controls:
                with self.subTest(model=name, control=one.name):
                    self.assertTrue(one.label)
                    if one.control == "number":
                        low, high = (float("-inf") if one.low is None else one.low), (float("inf") if one.high is None else one.high)
                        shown = one.usual or (low, high)
                        self.assertTrue(float("-inf") < shown[0] < shown[1] < float("inf"), "a slider needs two ends")
                        self.assertTrue(low <= shown[0] and shown[1] <= high)
                        for at in (one.default, one.begins):
                            self.assertTrue(at is None or low <= at <= high)
                        self.assertTrue(one.default is not None or one.unset or one.digits == 0)
                        self.assertTrue(one.scale == "linear" or shown[0] > 0)
                    elif one.control == "choice" and one.default not in ("", None):
                        self.assertIn(one.default, [option.value for option in one.options])

    def test_every_option_of_a_choice_is_one_the_model_takes(self) -> None:
        for model in MODELS:
            for one in controls_of(model):
                for option in one.options:
                    with self.subTest(model=model.__name__, control=one.name, option=option.value):
                        field = model.model_fields[one.name]
                        holder = type("Holder", (BaseModel,), {"__annotations__": {"value": field.annotation}})
                        self.assertEqual(holder(value=option.value).value, option.value)


if __name__ == "__main__":
    unittest.main()
