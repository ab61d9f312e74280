/** The scene as a whole: how it counts, the film's own sound, its loudness along the film, its channels and the chain on its sum, keys that drop sounds. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Mix, type Schemas, type Step, slowly } from "../../api/client";
import { MixChain } from "../../bench/MixChain";
import { about } from "../../bench/told";
import type { Within } from "../../bench/useMeters";
import { Versions } from "../../bench/Versions";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { ControlOf, Controls, useControl } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { level } from "../../ui/format";
import { Fact, Facts, Heading, Line } from "../../ui/frames";
import { CodeField } from "./CodeField";
import { codeOf, type Film, recounted, type Scene } from "./frames";
import type { SceneVersion } from "./useSceneVersions";

interface Props {
  scene: Scene;
  film: Film;
  mix: Mix;
  within: Within;
  onEdit: (values: Partial<Scene>, gesture?: string) => void;
  onChange: (mix: Mix, gesture?: string) => void;
  onPlace: () => void;
  /** Placements whose sound or design has changed since, and taking all of them as they are now. */
  newer: number;
  onNewer: () => void;
  versions: React.ComponentProps<typeof Versions<SceneVersion>>;
}

const [LOW, HIGH] = [-60, -6];

/** Short-term loudness along the film, with the loudness aimed at as a line. */
function Along({ over, target, seconds }: { over: Schemas["Over"]; target: number; seconds: number }) {
  const y = (lufs: number) => 46 - (46 * (Math.min(HIGH, Math.max(LOW, lufs)) - LOW)) / (HIGH - LOW);
  const points = over.at_s.map((at, i) => `${((at / seconds) * 240).toFixed(1)},${y(over.short_term_lufs[i] ?? LOW).toFixed(1)}`);
  return (
    <svg
      viewBox="0 0 240 46"
      width="100%"
      height="56"
      preserveAspectRatio="none"
      role="img"
      aria-label={`Loudness along the film, aimed at ${target} LUFS`}
    >
      <line
        x1="0"
        x2="240"
        y1={y(target)}
        y2={y(target)}
        stroke="currentColor"
        strokeOpacity="0.5"
        strokeDasharray="3 3"
        vectorEffect="non-scaling-stroke"
      />
      <polyline points={points.join(" ")} fill="none" stroke="var(--chakra-colors-glass)" strokeWidth="1.5" vectorEffect="non-scaling-stroke" />
    </svg>
  );
}

function useOver(mix: Mix, within: Within) {
  const library = useShared((state) => state.library);
  return useQuery({
    queryKey: ["loudness", library, mix, within.key],
    placeholderData: keepPreviousData,
    enabled: mix.members.length > 0,
    queryFn: ({ signal }) =>
      about(mix, async (told) => {
        const digest = await within.plain(told);
        return await slowly(signal, () =>
          got(api.POST("/api/lib/{library}/picture/loudness", { params: { path: { library } }, body: { digest }, signal })),
        );
      }),
  }).data;
}

/** Keys that drop a fitting sound at the playhead. */
function Bound({ scene, onEdit }: Pick<Props, "scene" | "onEdit">) {
  const keys = scene.keys ?? [];
  const free = [..."123450"].find((key) => !keys.some((one) => one.key === key));
  const set = (key: string, values: Partial<Schemas["Binding"]>) =>
    onEdit({ keys: keys.map((one) => (one.key === key ? { ...one, ...values } : one)) });
  return (
    <>
      <Heading>Keys that drop a sound at the playhead</Heading>
      {keys.map((one) => (
        <Flex key={one.key} gap="6px" align="center">
          <Box fontFamily="mono" w="14px">
            {one.key}
          </Box>
          <TextField label={`Name of key ${one.key}`} placeholder="riser" value={one.name ?? ""} onCommit={(name) => set(one.key, { name })} />
          <TextField
            label={`Search of key ${one.key}`}
            placeholder="a search"
            value={one.search ?? ""}
            onCommit={(search) => set(one.key, { search })}
          />
          <Do
            quiet
            aria-label={`Take key ${one.key} away`}
            hint="Take the key away"
            onClick={() => onEdit({ keys: keys.filter((other) => other.key !== one.key) })}
          >
            ×
          </Do>
        </Flex>
      ))}
      {free && (
        <Do quiet onClick={() => onEdit({ keys: [...keys, { key: free, name: "", search: "" }] })}>
          + key {free}
        </Do>
      )}
    </>
  );
}

export function ScenePanel({ scene, film, mix, within, onEdit, onChange, onPlace, newer, onNewer, versions }: Props) {
  const [step, setStep] = useState<string | null>(null);
  const layout = useControl("Mix", "layout");
  const over = useOver(mix, within);
  const seconds = film.seconds;
  const rate = useControl("Scene", "frame_rate");
  return (
    <>
      <Facts>
        <Fact name="Film">{film.name}</Fact>
        <Fact name="Length">
          {codeOf(scene.frames, { ...scene, start: 0 })}, {scene.frames} frames
        </Fact>
        <Fact name="Picture">
          {film.film.width} × {film.film.height}
        </Fact>
      </Facts>
      {(film.film.said ?? []).map((line) => (
        <Box key={line} color="dim" fontSize="12px">
          {line}
        </Box>
      ))}
      {newer > 0 && (
        <Flex align="center" gap="8px" wrap="wrap">
          <Box color="amber" fontSize="12px" role="status">
            {newer === 1 ? "One placement has" : `${newer} placements have`} changed in the library since.
          </Box>
          <Do act="newer" onClick={onNewer}>
            Take newer
          </Do>
        </Flex>
      )}
      <ControlOf
        control={
          rate && { ...rate, options: rate.options.filter((one) => Number.parseFloat(String(one.value)) === Number.parseFloat(scene.frame_rate)) }
        }
        value={scene.frame_rate}
        onChange={(frame_rate) => onEdit({ frame_rate, start: recounted(scene, frame_rate) })}
        label="Counted at"
      />
      <CodeField
        label="Starts at"
        frame={0}
        scene={{ ...scene, frames: 10 ** 8 }}
        beyond={1}
        onFrame={(frame) => frame !== null && onEdit({ start: Math.max(0, scene.start + frame) })}
      />
      <Line />
      <Heading>Loudness</Heading>
      <Facts>
        <Fact name="Scene">{over ? level(over.integrated_lufs, "LUFS") : "…"}</Fact>
        <Fact name="Range">{over ? level(over.loudness_range_lu, "LU") : "…"}</Fact>
        <Fact name="True peak">{over ? level(over.true_peak_dbtp, "dBTP") : "…"}</Fact>
      </Facts>
      {over && <Along over={over} target={scene.target_lufs ?? 0} seconds={seconds} />}
      <Controls<Scene> model="Scene" names={["target_lufs"]} value={scene} onChange={onEdit} />
      <Line />
      <Flex gap="6px" align="center">
        <Controls<Scene> model="Scene" names={["guide"]} value={scene} onChange={onEdit} />
        {!film.guide && (
          <Box color="dim" fontSize="12px">
            The film has no sound of its own.
          </Box>
        )}
      </Flex>
      {scene.guide && film.guide && <Controls<Scene> model="Scene" names={["guide_db"]} value={scene} onChange={onEdit} />}
      <Line />
      <Versions {...versions} />
      <Line />
      <Do onClick={onPlace} hint="A room for everything from the marked part on, or from the playhead">
        Add a place
      </Do>
      <Bound scene={scene} onEdit={onEdit} />
      <Line />
      <ControlOf control={layout} value={mix.layout} folded onChange={(next) => onChange({ ...mix, layout: next })} />
      <Heading>Chain on the sum</Heading>
      <MixChain
        mix={mix}
        of=""
        chain={mix.chain as Step[]}
        onChange={(chain, gesture) => onChange({ ...mix, chain }, gesture)}
        chosen={step}
        onChoose={setStep}
      />
    </>
  );
}
