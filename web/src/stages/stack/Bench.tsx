/** One design on the bench: its lanes, what is chosen of it, and what it is compared with. */
import { Flex } from "@chakra-ui/react";
import { useRef, useState } from "react";
import type { Mix } from "../../api/client";
import type { Aim } from "../../bench/aims";
import { useAims } from "../../bench/CurvePanel";
import type { Tab } from "../../bench/LayerTabs";
import { useLayers } from "../../bench/useLayers";
import { useMeters } from "../../bench/useMeters";
import { useTrying } from "../../bench/useTrying";
import { useSend } from "../../between/send";
import { addToSheet } from "../../between/sheet";
import { Do } from "../../ui/buttons";
import { Empty } from "../../ui/frames";
import { tell } from "../../ui/messages";
import { Beside } from "../../ui/Panes";
import { AddLayer } from "./AddLayer";
import { BenchBar } from "./BenchBar";
import { ChosenPanel } from "./ChosenPanel";
import type { HeadActs } from "./Heads";
import { GROUP, Lanes } from "./Lanes";
import { useBenchKeys } from "./useBenchKeys";
import { type Design, useDesign } from "./useDesign";
import { useDesignVersions, type Version } from "./useDesignVersions";
import { usePrinting } from "./usePrinting";

interface Props {
  design: Design;
  designs: Design[];
  onNew: () => void;
  onPerform: () => void;
}

export function Bench({ design, designs, onNew, onPerform }: Props) {
  const [chosen, setChosen] = useState<string[]>(design.mix.members[0] ? [design.mix.members[0].id] : []);
  const [chosenStep, setChosenStep] = useState<string | null>(null);
  const [solo, setSolo] = useState<string[]>([]);
  const [adding, setAdding] = useState(false);
  const [tab, setTab] = useState<Tab>("layer");
  const [aimed, setAim] = useState<Aim | null>(null);
  const [pen, setPen] = useState(false);
  const { name, history, mix, rename, saved } = useDesign(design);
  const versions = useDesignVersions(design.id, name, mix);
  const trying = useTrying();
  const { tried, setTried, keepLength } = trying;
  const telling = useMeters(mix, name, solo, tried?.mix ?? null, versions.stop);
  const { layout, now, meters, newer, crowding, crowded } = telling;

  const choose = (ids: string[]) => {
    setChosen(ids);
    setChosenStep(null);
    setTried(null);
  };
  const last = mix.members.find((one) => one.id === chosen[chosen.length - 1]) ?? null;
  const aims = useAims(last, mix.layout);
  const aim = aims.find((one) => one.control === aimed?.control && one.step === aimed?.step) ?? aims[0] ?? null;
  const layers = useLayers(history, mix, chosen, choose, layout, tab === "curves" ? aim : null);
  const { member, members } = layers;
  const toggleSolo = (id: string) => setSolo((before) => (before.includes(id) ? before.filter((one) => one !== id) : [...before, id]));
  const headActs = useRef<HeadActs>({
    choose: (id, event) => layers.now.current.choose(id, event),
    edit: (id, values, gesture) => layers.now.current.edit(id, values, gesture),
    editGroup: (id, values, gesture) => layers.now.current.editGroup(id, values, gesture),
    solo: toggleSolo,
    dropped: (id, dy, height) => {
      const { mix: doc } = layers.now.current;
      const lane = height + (doc.groups.length * GROUP) / Math.max(1, doc.members.length);
      layers.dropped.current(id, Math.round(dy / lane));
    },
  }).current;

  const take = () => {
    if (!tried || member?.locked) return;
    const fresh = tried.mix.members.find((one) => one.id === tried.id);
    if (fresh) layers.edit(tried.id, fresh);
    setTried(null);
  };
  const send = useSend();
  const printing = usePrinting({
    ...{ design, name, mix, solo, saved },
    onLayer: (layer) => {
      history.change({ ...mix, members: [...mix.members, layer] });
      choose([layer.id]);
    },
    onSlice: send.slice,
  });
  const compare = () => versions.compare(telling.ready, meters?.integrated_lufs ?? null);
  const restore = (version: Version) => {
    history.change(version.mix as Mix);
    choose([]);
    tell(`${version.name} is taken back; undo goes to what was before.`);
  };
  useBenchKeys({
    ...{ mix, chosen, history, layers, keepLength, choose, toggleSolo, compare },
    stepOpen: !!chosenStep,
    sources: () => setTab("source"),
    toShip: () => void saved().then(() => addToSheet("designs", [design.id])),
    version: versions.panel.onKeep,
    print: () => void printing.print(),
    printShift: () => void printing.printShift(),
    perform: onPerform,
    close: () => {
      if (adding) setAdding(false);
      else if (tried) setTried(null);
      else if (chosenStep) setChosenStep(null);
      else return false;
      return true;
    },
  });
  return (
    <Flex direction="column" h="100%">
      <BenchBar
        design={design.id}
        name={name}
        designs={designs}
        empty={!mix.members.length}
        meters={meters}
        hearing={versions.hearing ? (versions.compared?.name ?? "") : null}
        history={history}
        saved={saved}
        onRename={rename}
        onNew={onNew}
        onPerform={onPerform}
        onPrintShift={() => void printing.printShift()}
        onPrint={() => void printing.print()}
        onPrintSlice={() => void printing.print(true)}
      />
      <Beside
        name="stack"
        label="the layer"
        width={276}
        side={
          <ChosenPanel
            {...{ mix, layers, telling, trying, printing, versions, tab, aim, aims, pen, chosenStep }}
            design={design.id}
            onTab={setTab}
            onAim={setAim}
            onPen={setPen}
            onChooseStep={setChosenStep}
            onChange={history.change}
            onTake={take}
            onCompare={compare}
            onRestore={restore}
          />
        }
      >
        <Flex direction="column" flex={1} minW={0} position="relative">
          {adding && (
            <AddLayer
              design={design.id}
              designs={designs}
              onClose={() => setAdding(false)}
              onAdd={(what) => void layers.add(what)}
              onFill={async (words) => {
                if (await layers.fill(words)) setAdding(false);
              }}
            />
          )}
          {mix.members.length === 0 && !adding ? (
            <Empty
              action={
                <Do main onClick={() => setAdding(true)}>
                  Add a layer
                </Do>
              }
            >
              This design has no layers yet. Add sounds here, or press Y on a sound in Gather; each lands with its anchor on the strike line.
            </Empty>
          ) : (
            <Lanes
              mix={mix}
              layout={layout}
              facts={meters?.facts}
              newer={newer}
              crowding={crowding}
              crowded={crowded}
              onCrowded={() => telling.setCrowded(!crowded)}
              sumOpened={now?.opened ?? null}
              chosen={chosen}
              solo={solo}
              aim={tab === "curves" && members.length === 1 ? aim : null}
              pen={pen}
              clipActs={layers.clipActs}
              headActs={headActs}
              onSum={() => choose([])}
              onAdd={() => setAdding(true)}
            />
          )}
        </Flex>
      </Beside>
    </Flex>
  );
}
