/** Hard ranges of numbers, as the core states them: a typed value is bounded by these, not by what a slider shows. */
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../api/client";

interface Bounds {
  lowest?: number;
  highest?: number;
}

/** Bounds of a number of a model, for the controls that set it. */
export function useRanges(): (model: string, name: string) => Bounds {
  const known = useQuery({ queryKey: ["ranges"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/ranges")) }).data;
  return (model, name) => {
    const range = known?.[model]?.[name];
    return range ? { lowest: range[0] ?? Number.NEGATIVE_INFINITY, highest: range[1] ?? Number.POSITIVE_INFINITY } : {};
  };
}
