/** Picture: sounds put to a scene, to the frame. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Empty } from "../../ui/frames";
import { Beginning } from "./Beginning";
import { Board } from "./Board";

export default function Picture() {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const number = useShared((state) => state.scene);
  const scenes = useQuery({
    queryKey: ["scenes", library, project],
    staleTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/scenes", { params: { path: { library }, query: { project } } })),
  }).data;
  const films = useQuery({
    queryKey: ["films", library],
    staleTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/films", { params: { path: { library } } })),
  }).data;
  // as it is kept now, whatever the list was read from
  const open = useQuery({
    queryKey: ["scene", library, number],
    enabled: number !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/scenes/{id}", { params: { path: { library, id: number ?? 0 } } })),
  });
  if (!scenes || !films) return null;
  if (number === null) return <Beginning scenes={scenes} films={films} />;
  if (open.error)
    return (
      <Empty>
        <Box role="alert" color="coral">
          {open.error.message}
        </Box>
      </Empty>
    );
  const film = films.find((one) => one.id === open.data?.scene.film);
  if (open.data?.id !== number || !film) return null;
  return <Board key={number} view={open.data} film={film} scenes={scenes} />;
}
