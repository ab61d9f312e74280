/** The chosen cue: what it is, where, whether it is answered, and what the library has for it. */
import { Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Controls } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Line } from "../../ui/frames";
import { type Candidate, Candidates } from "./Candidates";
import { CodeField } from "./CodeField";
import type { Cue, Scene } from "./frames";
import { type Tonal, TonalBed } from "./TonalBed";

interface Props {
  scene: Scene;
  cue: Cue;
  onEdit: (values: Partial<Cue>, gesture?: string) => void;
  onRemove: () => void;
  tried: Candidate | null;
  onTry: (candidate: Candidate | null) => void;
  onPlace: (candidate: Candidate) => void;
  onFill: (sound: number) => void;
  onTonal: (tonal: Tonal) => Promise<void>;
  onLoop: () => void;
}

/** What the library is asked with for a cue: those of its words that find something. */
function useWords(name: string): string {
  const library = useShared((state) => state.library);
  const found = useQuery({
    queryKey: ["cue words", library, name],
    enabled: !!name.trim(),
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.GET("/api/lib/{library}/picture/words", { params: { path: { library }, query: { cue: name } } })),
  });
  return name.trim() ? (found.data?.search ?? "") : "";
}

export function CuePanel({ scene, cue, onEdit, onRemove, tried, onTry, onPlace, onFill, onTonal, onLoop }: Props) {
  const words = useWords(cue.name ?? "");
  return (
    <>
      <TextField label="Name of the cue" placeholder="What is to be heard" value={cue.name ?? ""} onCommit={(name) => onEdit({ name })} />
      <CodeField
        label="At"
        frame={cue.frame}
        scene={scene}
        onFrame={(frame) => frame !== null && onEdit({ frame, until: cue.until != null && cue.until <= frame ? null : cue.until })}
      />
      <CodeField
        label="Until"
        frame={cue.until ?? null}
        scene={scene}
        none="a moment"
        beyond={1}
        onFrame={(until) => onEdit({ until: until !== null && until > cue.frame ? until : null })}
      />
      <Controls<Cue> model="Cue" names={["priority"]} value={cue} onChange={onEdit} />
      <TextField label="Notes of the cue" placeholder="Notes" value={cue.notes ?? ""} onCommit={(notes) => onEdit({ notes })} />
      <Flex gap="6px" wrap="wrap">
        <Controls<Cue> model="Cue" names={["done"]} value={cue} onChange={onEdit} />
        {cue.until != null && <Do onClick={onLoop}>Loop the range</Do>}
        <Do onClick={onRemove}>Remove cue</Do>
      </Flex>
      <Line />
      <Candidates
        key={cue.id}
        words={words}
        tried={tried}
        onTry={onTry}
        onPlace={onPlace}
        {...(cue.until != null && {
          onFill,
          more: (sounds) => <TonalBed scene={scene} cue={cue} sounds={sounds} onLay={onTonal} />,
        })}
      />
    </>
  );
}
