/** Controls drawn from the models of the core: ranges, units, defaults and choices are stated there and nowhere else. */
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { Control, Schemas } from "../api/client";
import { MODELS } from "../api/questions";
import { Do } from "./buttons";
import { Choose, Pick } from "./choices";
import { Num } from "./Num";

type Models = Record<string, Schemas["Published"]>;

/** Every published model; the frame asks for them before a stage is looked at. */
export function useModels(): Models | undefined {
  return useQuery(MODELS).data;
}

/** The control of a field; undefined until the models are here. */
export function useControl(model: string, name: string): Control | undefined {
  return useModels()?.[model]?.controls.find((one) => one.name === name);
}

/** A setting of a page's own, at the model's default until it is set. */
export function useSetting<T>(model: string, name: string): [T, (value: T) => void, Control | undefined] {
  const control = useControl(model, name);
  const [own, set] = useState<T | undefined>();
  return [own ?? (control?.default as T), set, control];
}

/** A value as a control shows it, with its unit. */
export function said(control: Control, value: unknown): string {
  if (value === null || value === undefined) return control.unset || "none";
  if (typeof value !== "number") return control.options.find((one) => one.value === value)?.label ?? String(value);
  const [first, last] = control.ends;
  if (first && value === (control.low ?? control.usual?.[0])) return first;
  if (last && value === (control.high ?? control.usual?.[1])) return last;
  if (control.shows === "sides") return value === 0 ? "centre" : `${Math.round(Math.abs(value) * 100)} ${value < 0 ? "L" : "R"}`;
  if (control.shows === "percent") return `${Math.round(value * 100)} %`;
  return `${(value * control.shown).toFixed(control.digits)}${control.unit ? ` ${control.unit}` : ""}`;
}

/** The range a slider of a control shows, as it is shown. */
export function usual(control: Control): [number, number] {
  const [low, high] = control.usual ?? [control.low ?? 0, control.high ?? 1];
  return [low * control.shown, high * control.shown];
}

interface OneProps<T> {
  control: Control | undefined;
  value: T;
  onChange: (value: T, gesture?: string) => void;
  /** What it is called here, where that is not what the model calls it. */
  label?: string;
  /** What the slider shows, where that depends on what it belongs to. */
  shows?: [number, number];
  /** A choice of many is folded. */
  folded?: boolean;
  beside?: ReactNode;
}

/** One control: a number, a choice, or a switch. */
export function ControlOf<T>({ control, value, onChange: changed, label, shows, folded, beside }: OneProps<T>) {
  if (!control) return null;
  // the models say what type a field has, and a control gives values of its field
  const onChange = (next: unknown, gesture?: string) => changed(next as T, gesture);
  const called = label ?? control.label;
  if (control.control === "choice") {
    const now = control.options.find((one) => one.value === value)?.label ?? String(value ?? "");
    const pick = (wanted: string) => {
      const option = control.options.find((one) => one.label === wanted);
      if (option) onChange(option.value);
    };
    const labels = control.options.map((one) => one.label);
    return folded ? (
      <Choose label={called} value={now} options={labels.map((one) => [one, one] as const)} onChange={pick} />
    ) : (
      <Pick label={called} value={now} options={labels} onChange={pick} />
    );
  }
  if (control.control === "switch")
    return (
      <Do on={value === true} onClick={() => onChange(value !== true)} hint={control.hint || undefined}>
        {called}
      </Do>
    );
  if (control.control !== "number") return null;
  const [low, high] = shows ?? usual(control);
  const own = typeof control.default === "number" ? control.default * control.shown : undefined;
  const set = typeof value === "number";
  const begins = (control.begins == null ? undefined : control.begins * control.shown) ?? own ?? low;
  return (
    <Num
      label={called}
      value={set ? (value as number) * control.shown : begins}
      unit={control.unit}
      low={low}
      high={high}
      lowest={control.low == null ? Number.NEGATIVE_INFINITY : control.low * control.shown}
      highest={control.high == null ? Number.POSITIVE_INFINITY : control.high * control.shown}
      log={control.scale === "log" && low > 0}
      digits={control.digits}
      step={control.step == null ? undefined : control.step * control.shown}
      normal={own}
      format={(one) => said(control, set ? one / control.shown : null)}
      beside={
        beside ??
        (control.unset && set && (
          <Do quiet onClick={() => onChange(null)} hint={`Back to ${control.unset}`}>
            {control.unset}
          </Do>
        ))
      }
      onChange={(next, gesture) => onChange(Number((next / control.shown).toFixed(9)), gesture)}
    />
  );
}

interface Props<T extends object> {
  model: string;
  names: readonly (keyof T & string)[];
  value: T;
  onChange: (values: Partial<T>, gesture?: string) => void;
  folded?: boolean;
}

/** The controls of some fields of a model, in the order named. */
export function Controls<T extends object>({ model, names, value, onChange, folded }: Props<T>) {
  const controls = useModels()?.[model]?.controls ?? [];
  return names.map((name) => (
    <ControlOf
      key={name}
      control={controls.find((one) => one.name === name)}
      value={value[name]}
      folded={folded}
      onChange={(next, gesture) => onChange({ [name]: next } as Partial<T>, gesture)}
    />
  ));
}
