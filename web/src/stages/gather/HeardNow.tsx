import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { SoundRow } from "../../api/client";
import { fadeSo, hearSo } from "../../between/edges";
import { coloured, heardSo } from "../../between/heard";
import { COPIES, type CopiesOf, useSend } from "../../between/send";
import type { Fade } from "../../canvas/fades";
import { useChains } from "../../chain/SavedChains";
import { useStepKinds } from "../../chain/useStepKinds";
import { refer } from "../../listening/referring";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose, Pick } from "../../ui/choices";
import { ControlOf, Controls } from "../../ui/controls";
import { Fold } from "../../ui/Fold";
import { hertz } from "../../ui/format";
import { Heading } from "../../ui/frames";

/** A sound that ends below this is heard as dull (common practice, no source). */
const DULL_HZ = 6000;

function Chip({ children }: { children: string }) {
  return (
    <Box bg="amberSoft" color="amber" fontFamily="mono" fontSize="11px" px="6px" py="1px" borderRadius="5px">
      {children}
    </Box>
  );
}

/** The fades of the audition: the controls of the step that does them, asked for when they are looked at. */
function Fades({ fade, onChange }: { fade: Fade; onChange: (fade: Fade) => void }) {
  const controls = useStepKinds().fade?.controls ?? [];
  return (
    <Box w="190px">
      {controls.map((control) => (
        <ControlOf
          key={control.name}
          control={control}
          value={fade[control.name as keyof Fade]}
          onChange={(value) => onChange({ ...fade, [control.name]: value })}
        />
      ))}
      <Box color="dim" fontSize="11px" mt="4px">
        At the ends of the sound, or of the part that is marked. Their handles on the waveform do the same.
      </Box>
    </Box>
  );
}

/** The chain auditioned sounds go through. */
function HeardThrough({ row }: { row: SoundRow }) {
  const library = useShared((state) => state.library);
  const { saved, edges } = useListening();
  const chains = useChains();
  const choose = (name: string) => {
    const chain = chains.data?.find((one) => one.name === name);
    void hearSo(row, library, chain ? { name: chain.name, chain: chain.chain } : null, edges);
  };
  return (
    <Flex gap="4px" wrap="wrap" align="center">
      {chains.data?.length ? (
        <Choose
          label="Heard through"
          flex="1 1 84px"
          value={saved?.name ?? ""}
          options={[["", "through no chain"], ...chains.data.map((one) => [one.name, `through ${one.name}`] as const)]}
          onChange={choose}
        />
      ) : (
        <Box color="dim" fontSize="12px">
          Keep a chain by name in Mend to hear sounds through it here.
        </Box>
      )}
      <Do
        quiet
        on={edges.reverse}
        hint="Hear sounds backwards; so they leave and are placed"
        onClick={() => void hearSo(row, library, saved, { ...edges, reverse: !edges.reverse })}
      >
        Backwards
      </Do>
      <Fold label="Fades" hint="Fade the ends of what is heard; so it leaves and is placed">
        <Fades fade={edges.fade} onChange={fadeSo} />
      </Fold>
    </Flex>
  );
}

/** How the selected sound is heard now, which is how it leaves and is placed, and where it can go. */
export function HeardNow({ row, onLayer, onAlike }: { row: SoundRow; onLayer: () => void; onAlike: () => void }) {
  const send = useSend();
  const { heard, loop, looping, speedSt, gainDb, through, sendDry } = useListening();
  const along =
    heard?.sound === row.id
      ? [
          looping && loop && `part ${loop[0].toFixed(2)} to ${loop[1].toFixed(2)} s`,
          speedSt && `${speedSt > 0 ? "+" : ""}${speedSt} st`,
          gainDb && `${gainDb > 0 ? "+" : ""}${gainDb} dB`,
          heard.through?.said,
        ].filter(Boolean)
      : [];
  const left = heard?.sound === row.id && (useListening.getState().soloed.length > 0 || useListening.getState().muted.length > 0);
  const reaches = row.bandwidth && speedSt < 0 ? row.bandwidth * 2 ** (speedSt / 12) : null;
  return (
    <>
      {reaches !== null && reaches < DULL_HZ && (
        <Box color="coral" fontSize="12px" role="status">
          At {speedSt} st this sound reaches only {hertz(reaches)}: it will be dull. Look for one that reaches higher.
        </Box>
      )}
      <Heading>Heard now; so it leaves and is placed</Heading>
      <Flex gap="5px" wrap="wrap" minH="20px" data-testid="along">
        {along.length ? along.map((chip) => <Chip key={String(chip)}>{String(chip)}</Chip>) : <Box color="dim">the whole sound as it is</Box>}
      </Flex>
      {left && (
        <Box color="dim" fontSize="12px">
          Muted and soloed channels are for listening only and are not taken along.
        </Box>
      )}
      {through && heard?.sound !== row.id && (
        <Box color="dim" fontSize="12px">
          {through.said[0].toUpperCase() + through.said.slice(1)} once it is heard.
        </Box>
      )}
      <HeardThrough row={row} />
      {coloured() && (
        <Pick
          label="Layers, files and the sheet get it"
          value={sendDry ? "dry" : "as heard"}
          options={["as heard", "dry"] as const}
          onChange={(way) => useListening.setState({ sendDry: way === "dry" })}
        />
      )}
      <Flex gap="6px" wrap="wrap">
        <Do act="toLayer" onClick={onLayer}>
          To a layer
        </Do>
        <Do act="alike" onClick={onAlike}>
          Alike
        </Do>
        <Do quiet act="toMend" onClick={() => send.mend(row.id)}>
          Mend
        </Do>
        <Do quiet hint="Compare others with it, on the key ` in every stage" onClick={() => void refer(row.id)}>
          Reference
        </Do>
        <Do quiet act="toSlice" onClick={() => send.slice(row.id)}>
          Slice
        </Do>
        <Do quiet act="toShip" onClick={() => send.ship([row.id], heardSo(heard?.sound === row.id && looping && loop ? loop : null))}>
          Ship
        </Do>
        <Fold label="Copies" hint="Copies of it that differ as takes do, without a design">
          <Copies
            onDraw={(count, amount) => void send.copies(row.id, heardSo(heard?.sound === row.id && looping && loop ? loop : null), count, amount)}
          />
        </Fold>
      </Flex>
    </>
  );
}

/** How many copies of a sound, and how much they differ. */
function Copies({ onDraw }: { onDraw: (count: number, amount: number) => void }) {
  const [copies, setCopies] = useState<CopiesOf>({ count: COPIES, amount: 1 });
  return (
    <Flex direction="column" gap="8px" w="200px" role="group" aria-label="Copies of this sound">
      <Controls<CopiesOf> model="Copies" names={["count", "amount"]} value={copies} onChange={(values) => setCopies({ ...copies, ...values })} />
      <Do act="draw" onClick={() => onDraw(copies.count, copies.amount)}>
        Draw {copies.count} copies
      </Do>
    </Flex>
  );
}
