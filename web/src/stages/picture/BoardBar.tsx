/** The bar over a scene. */
import { Box, Flex } from "@chakra-ui/react";
import type { Mix, Schemas } from "../../api/client";
import { actsOf } from "../../documents/named";
import { UndoRedo } from "../../documents/UndoRedo";
import type { History } from "../../documents/useDocument";
import { useShared } from "../../session/store";
import { Acts } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { TextField } from "../../ui/fields";
import { clock } from "../../ui/format";
import { Bar, SpokenTitle } from "../../ui/frames";
import { IN_WIDE } from "../../ui/theme";
import type { Film, Scene } from "./frames";

/** What the side of the board is used for. */
export type Mode = "" | "tap" | "balance" | "export";

/** Leaves the scene for all of them. */
const ALL = "all";

interface Props {
  view: Schemas["SceneView"];
  name: string;
  scenes: Schemas["SceneHead"][];
  film: Film;
  scene: Scene;
  mode: Mode;
  answered: number;
  /** The version that is heard instead of what is now. */
  hearing: string | null;
  history: History<Mix>;
  saved: () => Promise<void>;
  onRename: (name: string) => void;
  onMode: (mode: Mode) => void;
}

export function BoardBar({ view, name, scenes, film, scene, mode, answered, hearing, history, saved, onRename, onMode }: Props) {
  const told = { copy: "A scene like this one, to go another way", trash: "With its cues and placements; the film and all sounds stay" };
  const cues = scene.cues?.length ?? 0;
  const turn = (wanted: Mode) => onMode(mode === wanted ? "" : wanted);
  return (
    <Bar>
      <SpokenTitle>{name}</SpokenTitle>
      <Box w="170px" flexShrink={1} minW="100px">
        <TextField label="Name of the scene" value={name} onCommit={onRename} />
      </Box>
      <Choose
        label="Scene"
        maxW="96px"
        value={String(view.id)}
        options={[...scenes.map((one) => [String(one.id), one.name] as const), [ALL, "All scenes and films …"] as const]}
        onChange={(value) => useShared.setState({ scene: value === ALL ? null : Number(value) })}
      />
      <Acts label="This scene" acts={actsOf("scene", view.id, told, saved, (id) => useShared.setState({ scene: id ?? null }))} />
      <Flex fontFamily="mono" fontSize="12px" color="dim" whiteSpace="nowrap" css={IN_WIDE}>
        {clock(film.seconds, 0)}, {Number.parseFloat(scene.frame_rate)} frames a second
      </Flex>
      <Box flex={1} />
      {hearing !== null && (
        <Box color="amber" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" minW={0} data-testid="hearing">
          hearing {hearing}
        </Box>
      )}
      {hearing === null && cues > 0 && (
        <Box fontFamily="mono" fontSize="12px" color="glass" whiteSpace="nowrap" css={IN_WIDE} data-testid="answered">
          {answered} of {cues} cues answered
        </Box>
      )}
      <UndoRedo history={history} />
      <Do on={mode === "tap"} onClick={() => turn("tap")} hint="Play slowly and press a key at each event">
        Tap in
      </Do>
      <Do on={mode === "balance"} onClick={() => turn("balance")} hint="Placement after placement, set against its neighbours in time">
        Balance
      </Do>
      <Do main on={mode === "export"} onClick={() => turn("export")}>
        Export
      </Do>
    </Bar>
  );
}
