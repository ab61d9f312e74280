/** A scene on the board: film and cues on top, lanes below, what is chosen at the side. */
import { Box, Flex } from "@chakra-ui/react";
import { api, got, type Member, type Schemas } from "../../api/client";
import { changed } from "../../mix/edits";
import { useShared } from "../../session/store";
import { Empty } from "../../ui/frames";
import { complain } from "../../ui/messages";
import { Beside, Panes } from "../../ui/Panes";
import { BalanceStrip } from "./BalanceStrip";
import { BoardBar } from "./BoardBar";
import { BoardSide } from "./BoardSide";
import { CueList, stateOf } from "./CueList";
import { FilmView } from "./FilmView";
import { useAt } from "./film";
import type { Film } from "./frames";
import { SceneLanes } from "./SceneLanes";
import { useBoard } from "./useBoard";

export function Board({ view, film, scenes }: { view: Schemas["SceneView"]; film: Film; scenes: Schemas["SceneHead"][] }) {
  const library = useShared((state) => state.library);
  const board = useBoard(view, film);
  const { editing, name, scene, mix, history, mode, setMode, chosen, choose, cue, place, setWhat, solo, setSolo, scening, layers, telling } = board;
  const { tab, aim, pen, loudest, opened, clipActs, toFrame, toCue, balance, addCue } = board;
  const { layout } = telling;
  const hearing = board.versions.hearing ? (board.versions.compared?.name ?? "") : null;
  const answered = (scene.cues ?? []).filter((one) => stateOf(one, scene) !== "open").length;
  return (
    <Flex direction="column" h="100%">
      <BoardBar
        {...{ view, name, scenes, film, scene, mode, answered, history, hearing }}
        onRename={editing.rename}
        onMode={setMode}
        saved={editing.saved}
      />
      <Beside name="picture" label="what is chosen" width={286} side={<BoardSide id={view.id} film={film} board={board} />}>
        <Panes
          name="picture rows"
          stacked
          panes={[
            {
              id: "film",
              label: "film and cues",
              size: 262,
              least: 120,
              holds: (
                <Panes
                  name="picture top"
                  panes={[
                    {
                      id: "picture",
                      label: "the film",
                      least: 160,
                      holds: (
                        <FilmView
                          film={film}
                          scene={scene}
                          opened={opened}
                          onAgain={() =>
                            void got(api.POST("/api/lib/{library}/films/{id}/again", { params: { path: { library, id: film.id } } })).catch(complain)
                          }
                        />
                      ),
                    },
                    {
                      id: "cues",
                      label: "the cues",
                      size: 430,
                      least: 240,
                      holds: (
                        <CueList
                          scene={scene}
                          chosen={cue?.id ?? null}
                          onChoose={toCue}
                          onAdd={addCue}
                          onFromWanted={() => void scening.cueFromWanted(useAt.getState().frame).then((id) => id && setWhat({ kind: "cue", id }))}
                          onFromShots={film.shots.length ? () => scening.cuesFromShots(film.shots) : null}
                        />
                      ),
                    },
                  ]}
                />
              ),
            },
            {
              id: "lanes",
              label: "the lanes",
              least: 140,
              holds: (
                <Box position="relative" display="flex" flex={1} minH={0}>
                  <SceneLanes
                    {...{ scene, film, layout, opened, chosen, solo, pen, clipActs }}
                    newer={telling.newer}
                    chosenCue={cue?.id ?? null}
                    chosenPlace={place?.id ?? null}
                    aim={tab === "curves" && layers.members.length === 1 ? aim : null}
                    onChooseGroup={(id) => choose([id])}
                    onEditGroup={layers.editGroup}
                    onSolo={(ids) =>
                      setSolo(ids.every((id) => solo.includes(id)) ? solo.filter((id) => !ids.includes(id)) : [...new Set([...solo, ...ids])])
                    }
                    onCue={toCue}
                    onFrame={toFrame}
                    onPlace={(id) => setWhat({ kind: "place", id })}
                    strip={
                      mode === "balance"
                        ? (scale) => (
                            <BalanceStrip
                              {...{ scene, scale, loudest, chosen }}
                              onChoose={(id, event) =>
                                event?.ctrlKey || event?.metaKey || event?.shiftKey ? layers.choose(id, event) : balance([id])
                              }
                              onEach={(values, gesture) => {
                                const ids = chosen.filter((id) => !mix.members.find((one) => one.id === id)?.locked);
                                if (ids.length)
                                  history.change(
                                    changed(history.now() ?? mix, ids, values as (one: Member) => Partial<Member>),
                                    `${ids.join()} ${gesture}`,
                                  );
                              }}
                            />
                          )
                        : null
                    }
                  />
                  {!mix.members.length && (
                    <Flex position="absolute" inset="60px 0 0 150px" pointerEvents="none">
                      <Empty>
                        Nothing is placed yet. Choose a cue and place one of its candidates, press Y for the sound chosen in Gather, or tap sounds in
                        while the film plays.
                      </Empty>
                    </Flex>
                  )}
                </Box>
              ),
            },
          ]}
        />
      </Beside>
    </Flex>
  );
}
