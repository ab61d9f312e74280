/** The formats files leave in, as the core lists them. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";

export type Format = Schemas["FormatView"];

export function useFormats(): Format[] {
  return useQuery({ queryKey: ["formats"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/formats")) }).data ?? [];
}

type Bits = Schemas["Target"]["bits"];

/** The bits that were chosen (none is each sound's own), or the usual ones of a format that has not those; a lossy format leaves them as they are. */
export const bitsFor = (format: Format | undefined, bits: Bits): Bits =>
  bits == null || format?.bits.includes(bits) ? bits : ((format?.bits[0] as Bits) ?? bits);
