/** The projects of the library, and how the one that is worked in counts. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { queries, useShared } from "./store";

type Project = Schemas["ProjectView"];

export function useProjects(): Project[] {
  const library = useShared((state) => state.library);
  const projects = useQuery({
    queryKey: ["projects", library],
    enabled: !!library,
    queryFn: () => got(api.GET("/api/lib/{library}/projects", { params: { path: { library } } })),
  });
  return projects.data ?? [];
}

/** The project that is worked in; undefined until it is known. */
export function useProject(): Project | undefined {
  const project = useShared((state) => state.project);
  return useProjects().find((one) => one.id === project);
}

/** Count the frames of the project's picture at another rate. */
export async function setFrameRate(id: number, frame_rate: string): Promise<void> {
  const { library } = useShared.getState();
  await got(api.PUT("/api/lib/{library}/projects/{id}/settings", { params: { path: { library, id } }, body: { frame_rate } }));
  await queries.invalidateQueries({ queryKey: ["projects"] });
}
