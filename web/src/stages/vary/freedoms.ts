/** Freedoms as the recipe holds them: what may be freed, how it begins, and how its range reads. */
import type { Freedom, Schemas } from "../../api/client";

export type Freeable = Schemas["Freeable"];
type Shape = Freedom["shape"];

/** Shapes of the range of a number, in the order they are offered. */
export const SHAPES: readonly (readonly [Shape, string])[] = [
  ["bell", "mostly the middle"],
  ["triangle", "towards the middle"],
  ["even", "every value alike"],
  ["steps", "whole steps"],
  ["list", "a list of values"],
];

export const isNumber = (one: Freeable) => one.how === "by" || one.how === "times";

/** The first dimension of the even cover that no freedom has: what is freed later moves none of the others. */
function unused(freedoms: readonly Freedom[]): number {
  const taken = new Set(freedoms.map((one) => one.dimension));
  let place = 0;
  while (taken.has(place)) place += 1;
  return place;
}

/** A control as it is freed: in its usual range, mostly the middle; choices each alike. */
export function freed(one: Freeable, freedoms: readonly Freedom[]): Freedom {
  const [low, high] = one.usual;
  return {
    path: one.path,
    low,
    high,
    shape: isNumber(one) ? "bell" : one.how === "share" ? "share" : "list",
    step: 1,
    values: one.how === "choice" ? one.control.options.map((option) => option.value) : [],
    share: one.how === "share" && one.own === true ? 0.75 : 0.25,
    search: "",
    candidates: [],
    link: "",
    opposite: false,
    dimension: unused(freedoms),
  };
}

/** How a move is written: factors without a unit, short times in ms, all else as the control writes its value. */
export function written(one: Freeable): { unit: string; digits: number; shown: number } {
  if (one.how === "times") return { unit: "", digits: 2, shown: 1 };
  const { unit, digits, shown } = one.control;
  return unit === "s" && one.usual[1] < 0.5 ? { unit: "ms", digits: 0, shown: 1000 } : { unit, digits, shown };
}

/** A difference or a factor as it is written: +1.5 st, ×0.80. */
export function moves(one: Freeable, value: number): string {
  const { unit, digits, shown } = written(one);
  if (one.how === "times") return `×${value.toFixed(digits)}`;
  const seen = value * shown;
  return `${seen > 0 ? "+" : ""}${seen.toFixed(digits)}${unit ? ` ${unit}` : ""}`;
}

/** What a control is called within its owner. */
export const called = (one: Freeable) => (one.part && one.part !== one.control.label ? `${one.part}: ${one.control.label}` : one.control.label);

/** How far a strip reaches to either side: three times the usual range, as far as the range goes, or less where that is a sliver of it. */
export function reach(one: Freeable, freedom: Freedom): number {
  if (one.how === "times") return Math.max(one.usual[1] ** 3, freedom.high, 1 / Math.max(0.01, freedom.low));
  const far = Math.max(Math.abs(freedom.low), Math.abs(freedom.high));
  const usual = 3 * one.usual[1];
  return far > 0 && far < usual / 8 ? 3 * far : Math.max(usual, far) || 1;
}

/** Where a value lies on the strip, 0 to 1; the design's own value is in the middle. */
export function onStrip(one: Freeable, value: number, reaching: number): number {
  return one.how === "times" ? 0.5 + Math.log(Math.max(1e-3, value)) / Math.log(reaching) / 2 : 0.5 + value / reaching / 2;
}

/** The value at a place of the strip. */
export function atStrip(one: Freeable, share: number, reaching: number): number {
  const value = one.how === "times" ? Math.exp((share - 0.5) * 2 * Math.log(reaching)) : (share - 0.5) * 2 * reaching;
  const { digits, shown } = written(one);
  const fine = 10 ** -digits / shown;
  return Number((Math.round(value / fine) * fine).toFixed(9));
}
