/** What is measured of the slices of a plan; what is not yet is measured as a job, and shown as it comes. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";
import { api, got, type Plan, type Schemas } from "../../api/client";
import { useJobs } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { complain } from "../../ui/messages";

export type Facts = Schemas["MeasuredSlice"];

export function useMeasured(sound: number, plan: Plan): Map<number, Facts> {
  const library = useShared((state) => state.library);
  const known = useQuery({
    queryKey: ["measured-slices", library, sound],
    queryFn: () => got(api.GET("/api/lib/{library}/plans/{id}/measured", { params: { path: { library, id: sound } } })),
  });
  const running = useJobs((state) => Object.values(state.jobs).some((job) => job.kind === "measure" && job.state === "running"));
  const fades = `${plan.finish.fade_in_ms} ${plan.finish.fade_out_ms}`;
  const places = `${fades} ${plan.slices.map((piece) => `${piece.id} ${piece.start_s} ${piece.end_s} ${piece.dropped}`).join()}`;
  // what was moved, found or dropped changes what is alike, and fades what clicks
  const before = useRef(places);
  useEffect(() => {
    if (before.current === places) return;
    before.current = places;
    const soon = setTimeout(() => void queries.invalidateQueries({ queryKey: ["measured-slices"] }), 600);
    return () => clearTimeout(soon);
  }, [places]);
  const left = known.data?.left ?? 0;
  // once for every state of the plan: what cannot be measured is not asked for again and again
  const asked = useRef("");
  useEffect(() => {
    if (!left || running || asked.current === places) return;
    const soon = setTimeout(() => {
      asked.current = places;
      void got(api.POST("/api/lib/{library}/plans/{id}/measure", { params: { path: { library, id: sound } } })).catch(complain);
    }, 800);
    return () => clearTimeout(soon);
  }, [left, running, places, library, sound]);
  const rows = known.data?.rows;
  return useMemo(() => new Map((rows ?? []).map((row) => [row.id, row])), [rows]);
}
