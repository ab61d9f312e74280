import { useQuery } from "@tanstack/react-query";
import { api, got, type StepView } from "../api/client";

/** Every kind of step by its key; empty until they are known. */
export function useStepKinds(): Record<string, StepView> {
  const steps = useQuery({ queryKey: ["steps"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/steps")) });
  return Object.fromEntries((steps.data ?? []).map((kind) => [kind.key, kind]));
}
