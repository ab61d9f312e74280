/** The formats files leave in, as the core lists them. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";

export type Format = Schemas["FormatView"];

export function useFormats(): Format[] {
  return useQuery({ queryKey: ["formats"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/formats")) }).data ?? [];
}

/** Bits a format is written in when it has not those that were chosen: 24 where it can. */
export const bitsFor = (format: Format | undefined, bits: number): number => (!format || format.bits.includes(bits) ? bits : (format.bits[0] ?? 24));

/** Whether nothing over full scale can be kept. */
export const endsAtFullScale = (format: Format | undefined, bits: number): boolean => !(format?.bits.length && bits === 32);
