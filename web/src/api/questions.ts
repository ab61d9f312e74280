/** Questions that are asked before anything is drawn, and by whoever shows their answers. */
import { queryOptions } from "@tanstack/react-query";
import { api, got } from "./client";

/** What there is in this home. */
export const STATE = queryOptions({ queryKey: ["state"], queryFn: () => got(api.GET("/api/state")) });

/** Every published model: what controls are drawn from. */
export const MODELS = queryOptions({ queryKey: ["models"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/models")) });
