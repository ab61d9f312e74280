/** Mend: a sound is cleaned by steps that can be taken back, or takes are reviewed on a reel. */
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Beginning } from "./Beginning";
import { ReelBoard } from "./ReelBoard";
import { Workbench } from "./Workbench";

export default function Mend() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.mendSound);
  const reel = useShared((state) => state.reel);
  const strip = useQuery({
    queryKey: ["reel", library, reel],
    enabled: reel !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/reels/{id}", { params: { path: { library, id: reel ?? 0 } } })),
  });
  const facts = useQuery({
    queryKey: ["mend", library, number],
    enabled: number !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: number ?? 0 } } })),
  });
  if (reel !== null && !strip.error) return strip.data ? <ReelBoard key={strip.data.id} loaded={strip.data} /> : null;
  if (number === null || facts.error) return <Beginning />;
  return facts.data ? <Workbench key={facts.data.id} sound={facts.data} /> : null;
}
