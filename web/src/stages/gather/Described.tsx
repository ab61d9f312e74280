import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type SoundFacts, type SoundRow } from "../../api/client";
import { coloured, heardSo } from "../../between/heard";
import { useSend } from "../../between/send";
import { useChains } from "../../chain/SavedChains";
import { player, useListening } from "../../listening/player";
import { refer } from "../../listening/referring";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose, Pick } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { channels, hertz, level, note, rate } from "../../ui/format";
import { Fact, Heading, Line, Side } from "../../ui/frames";
import { complain } from "../../ui/messages";
import { ask, type Change, MARKS } from "./sounds";

const KINDS = ["hit", "top", "end", "start"] as const;
/** A sound that ends below this is heard as dull (common practice, no source). */
const DULL_HZ = 6000;

interface Props {
  row: SoundRow | null;
  facts: SoundFacts | null;
  onChange: (values: Partial<Change>) => void;
  onLayer: () => void;
  onAlike: () => void;
}

function Chip({ children }: { children: string }) {
  return (
    <Box bg="amberSoft" color="amber" fontFamily="mono" fontSize="11px" px="6px" py="1px" borderRadius="5px">
      {children}
    </Box>
  );
}

function Steps({ label, value, onPick }: { label: string; value: number; onPick: (value: number) => void }) {
  return (
    <Flex gap="3px" role="group" aria-label={label}>
      {[1, 2, 3, 4, 5].map((step) => (
        <chakra.button
          key={step}
          type="button"
          aria-label={`${label} ${step}`}
          aria-pressed={value >= step}
          title={`${label} ${step}`}
          onClick={() => onPick(value === step ? 0 : step)}
          w="18px"
          h="18px"
          borderRadius="5px"
          fontFamily="mono"
          fontSize="11px"
          cursor="pointer"
          bg={value >= step ? "glassDeep" : "ground"}
          color={value >= step ? "chalk" : "dim"}
        >
          {step}
        </chakra.button>
      ))}
    </Flex>
  );
}

/** Fields of the user's own: filled in here, added here. */
function Own({ row, onChange }: { row: SoundRow; onChange: Props["onChange"] }) {
  const library = useShared((state) => state.library);
  const [adding, setAdding] = useState(false);
  const [kind, setKind] = useState("text");
  const fields = useQuery({
    queryKey: ["fields", library],
    queryFn: () => got(api.GET("/api/lib/{library}/fields", { params: { path: { library } } })),
  });
  const fresh = () => void queries.invalidateQueries({ queryKey: ["fields"] });
  const add = async (text: string) => {
    setAdding(false);
    const [name, ...options] = text.split(/[:,]/).map((part) => part.trim());
    if (!name) return;
    try {
      await got(
        api.PUT("/api/lib/{library}/fields", {
          params: { path: { library } },
          body: { name, kind: (options.length ? "choice" : kind) as "text", options },
        }),
      );
      fresh();
    } catch (error) {
      complain(error);
    }
  };
  const drop = (name: string) =>
    void got(api.DELETE("/api/lib/{library}/fields", { params: { path: { library }, query: { name } } })).then(fresh, complain);
  return (
    <>
      {fields.data?.map((field) => (
        <Flex key={field.name} align="center" gap="5px">
          <Box color="dim" w="70px" flexShrink={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={field.name}>
            {field.name}
          </Box>
          {field.kind === "choice" ? (
            <Choose
              label={field.name}
              value={String(row.fields[field.name] ?? "")}
              options={[["", "not chosen"], ...field.options.map((one) => [one, one] as const)]}
              onChange={(value) => onChange({ fields: { [field.name]: value } })}
              flex={1}
            />
          ) : (
            <TextField
              label={field.name}
              value={String(row.fields[field.name] ?? "")}
              placeholder={field.kind}
              onCommit={(value) => onChange({ fields: { [field.name]: value } })}
            />
          )}
          <Do quiet hint={`Delete the field ${field.name}`} onClick={() => drop(field.name)}>
            ×
          </Do>
        </Flex>
      ))}
      {adding ? (
        <Flex gap="5px">
          <Input
            label="Name of the new field"
            autoFocus
            flex={1}
            placeholder="Name, or Name: one, two ↵"
            onKeyDown={(event) => {
              if (event.key === "Enter") void add(event.currentTarget.value);
              if (event.key === "Escape") setAdding(false);
            }}
          />
          <Choose label="Kind of field" value={kind} options={["text", "number", "date"].map((one) => [one, one] as const)} onChange={setKind} />
        </Flex>
      ) : (
        <Box>
          <Do quiet onClick={() => setAdding(true)} hint="A field of your own for every sound: text, number, date, or a choice" fontSize="11px">
            <Box as="span" color="dim">
              + field of your own
            </Box>
          </Do>
        </Box>
      )}
    </>
  );
}

/** The chain auditioned sounds go through. */
function Through() {
  const library = useShared((state) => state.library);
  const { through, heard } = useListening();
  const chains = useChains();
  const choose = async (name: string) => {
    const chain = chains.data?.find((one) => one.name === name);
    const next = chain ? { name: chain.name, chain: chain.chain } : null;
    useListening.setState({ through: next });
    if (!heard?.sound) return;
    const again = await player.open({ sound: heard.sound, through: next }, library, heard.title, { lufs: heard.lufs });
    if (again) await player.swap(again);
  };
  if (!chains.data?.length)
    return (
      <Box color="dim" fontSize="12px">
        Keep a chain by name in Mend to hear sounds through it here.
      </Box>
    );
  return (
    <Choose
      label="Heard through"
      value={through?.name ?? ""}
      options={[["", "through no chain"], ...chains.data.map((one) => [one.name, `through ${one.name}`] as const)]}
      onChange={(name) => void choose(name)}
    />
  );
}

function Said({ facts }: { facts: SoundFacts }) {
  const [open, setOpen] = useState(false);
  const { said } = facts;
  const entries = (
    [
      ["Title", said.title],
      ["By", said.artist],
      ["Date", said.date],
      ["Category", said.category],
      ["Keywords", said.keywords.join(", ")],
      ["Project", said.project],
      ["Scene, take", [said.scene, said.take].filter(Boolean).join(", ")],
      ["Tape", said.tape],
      ["Markers", said.markers.length ? String(said.markers.length) : ""],
      ["Loops", said.loops.map((loop) => `${loop.start_s.toFixed(3)} to ${loop.end_s.toFixed(3)} s`).join(", ")],
      ["Channels", said.channel_names.join(" ")],
    ] as [string, string][]
  ).filter(([, value]) => value);
  const other = facts.paths.length > 1;
  return (
    <Box>
      <Do quiet onClick={() => setOpen(!open)} fontSize="12px">
        <Box as="span" color="dim">
          {open ? "−" : "+"} {facts.paths.length} {facts.paths.length === 1 ? "file" : "files"}
          {entries.length ? `, ${entries.length} facts found in it` : ""}
        </Box>
      </Do>
      {open && (
        <Box bg="ground" borderRadius="6px" p="7px" fontSize="11px">
          {facts.paths.map((path) => (
            <Box key={path.path} mb="4px" overflowWrap="anywhere" color={path.missing ? "coral" : "dim"}>
              {path.path}
              {other || path.missing ? ` (${path.format}${path.missing ? ", missing" : ""})` : ""}
            </Box>
          ))}
          {entries.map(([name, value]) => (
            <Fact key={name} name={name}>
              {value}
            </Fact>
          ))}
        </Box>
      )}
    </Box>
  );
}

/** What the sound has from its arrival: written there, read here. */
function Noted({ facts }: { facts: SoundFacts }) {
  const said = Object.entries(facts.noted).filter(([, text]) => text);
  if (!facts.arrival || facts.kind === "print" || facts.kind === "variation") return null;
  return (
    <Box fontSize="12px">
      <Flex justify="space-between" align="center">
        <Box color="dim">{said.length ? "From its arrival" : "No notes on its arrival"}</Box>
        <Do
          quiet
          hint="Show this arrival, with its notes and photos"
          onClick={() => ask({ q: "", facets: { arrival: [String(facts.arrival)] }, like: null })}
        >
          Arrival
        </Do>
      </Flex>
      {said.map(([name, text]) => (
        <Box key={name} overflowWrap="anywhere">
          <Box as="span" color="dim">
            {name}{" "}
          </Box>
          {text}
        </Box>
      ))}
    </Box>
  );
}

/** What is selected, and what can be done to it. */
export function Described({ row, facts, onChange, onLayer, onAlike }: Props) {
  const send = useSend();
  const library = useShared((state) => state.library);
  const { heard, loop, looping, speedSt, gainDb, through, sendDry } = useListening();
  const uses = useQuery({
    queryKey: ["uses", library, row?.id],
    enabled: !!row,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}/uses", { params: { path: { library, id: row?.id ?? 0 } } })),
  });
  if (!row)
    return (
      <Side label="Selected sound">
        <Box color="dim">Choose a row: it is heard at once. The arrow keys go from sound to sound.</Box>
        <Box color="dim">Shift and Ctrl choose several; drag them onto a category or a set to file them, or out of the window as files.</Box>
      </Side>
    );
  const measures = (facts?.measures ?? {}) as Record<string, number | null>;
  const along =
    heard?.sound === row.id
      ? [
          looping && loop && `part ${loop[0].toFixed(2)} to ${loop[1].toFixed(2)} s`,
          speedSt && `${speedSt > 0 ? "+" : ""}${speedSt} st`,
          gainDb && `${gainDb > 0 ? "+" : ""}${gainDb} dB`,
          heard.through && `through ${heard.through.name}`,
        ].filter(Boolean)
      : [];
  const left = heard?.sound === row.id && (useListening.getState().soloed.length > 0 || useListening.getState().muted.length > 0);
  const reaches = row.bandwidth && speedSt < 0 ? row.bandwidth * 2 ** (speedSt / 12) : null;
  const foot = (
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
          Through {through.name} once it is heard.
        </Box>
      )}
      <Through />
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
      </Flex>
    </>
  );
  return (
    <Side label="Selected sound" foot={foot}>
      <TextField label="Name" value={row.name} onCommit={(name) => name.trim() && onChange({ name: name.trim() })} />
      <TextField
        label="Category"
        value={row.category}
        placeholder="Category, e.g. Glass/Creak"
        onCommit={(category) => onChange({ category: category.trim() })}
      />
      {row.category && row.category_sure < 1 && (
        <Flex justify="space-between" align="center">
          <Box color="amber" fontSize="12px">
            Proposed, {Math.round(row.category_sure * 100)} % sure
          </Box>
          <Do quiet act="confirm" onClick={() => onChange({ confirm: true })}>
            Confirm
          </Do>
        </Flex>
      )}
      <TextField label="Tags" value={row.tags} placeholder="Tags, by spaces" onCommit={(tags) => onChange({ tags })} />
      <Flex justify="space-between" align="center">
        <Box color="dim">Rated</Box>
        <Steps label="Rate" value={row.rating} onPick={(rating) => onChange({ rating })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim" title="How hard it is, 1 to 5">
          Strength{facts && !facts.strength_given ? ", proposed" : ""}
        </Box>
        <Steps label="Strength" value={row.strength ?? 0} onPick={(strength) => onChange({ strength })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim">Mark</Box>
        <Flex gap="5px">
          {MARKS.map((mark) => (
            <chakra.button
              key={mark}
              type="button"
              aria-label={`Mark ${mark}`}
              aria-pressed={row.mark === mark}
              title={`Mark ${mark}`}
              w="15px"
              h="15px"
              borderRadius="4px"
              bg={mark}
              outline={row.mark === mark ? "2px solid" : undefined}
              outlineColor="chalk"
              cursor="pointer"
              onClick={() => onChange({ mark: row.mark === mark ? "" : mark })}
            />
          ))}
        </Flex>
      </Flex>
      <TextField label="Notes" value={facts?.notes ?? ""} placeholder="Notes" onCommit={(notes) => onChange({ notes })} />
      <TextField label="Rights" value={facts?.rights ?? ""} placeholder="Rights" onCommit={(rights) => onChange({ rights })} />
      <Own row={row} onChange={onChange} />
      {facts && <Noted facts={facts} />}
      <Line />
      <Box>
        <Fact name="Format">
          {row.format} {row.bits ? `${row.bits} bit` : ""} {rate(row.rate)}
        </Fact>
        <Flex justify="space-between" align="center" minH="22px">
          <Box color="dim">Channels</Box>
          {(facts?.layouts.length ?? 0) > 2 || (row.channels > 2 && facts) ? (
            <Choose
              label="Channel layout"
              value={row.layout}
              options={(facts?.layouts ?? [row.layout]).map((one) => [one, one] as const)}
              onChange={(layout) => onChange({ layout })}
            />
          ) : (
            <Box fontFamily="mono" fontSize="12px">
              {channels(row.channels)}
            </Box>
          )}
        </Flex>
        <Fact name="Peak / true peak">
          {level(measures.sample_peak_dbfs)} / {level(measures.true_peak_dbtp, "dB")}
        </Fact>
        <Fact name="Loudness">{level(measures.integrated_lufs, "LUFS")}</Fact>
        <Fact name="Noise floor">{level(measures.noise_floor_dbfs, "dBFS")}</Fact>
        <Fact name="Brightness">{hertz(measures.brightness_hz)}</Fact>
        <Fact name="Reaches up to">{hertz(row.bandwidth)}</Fact>
        <Fact name="Pitch">{row.pitch ? `${hertz(row.pitch)}, ${note(row.pitch)}` : "none sure"}</Fact>
        <Flex justify="space-between" align="center" minH="22px">
          <Box color="dim">Key</Box>
          {row.key ? (
            <Do quiet hint="Only sounds whose notes agree with this key" onClick={() => ask({ q: `where key agrees with ${row.key}` })}>
              <Box as="span" fontFamily="mono" fontSize="12px">
                {row.key}
              </Box>
            </Do>
          ) : (
            <Box fontFamily="mono" fontSize="12px">
              none
            </Box>
          )}
        </Flex>
        <Flex justify="space-between" align="center" minH="22px">
          <Box color="dim">Anchor</Box>
          <Flex gap="6px" align="center" fontFamily="mono" fontSize="12px">
            {row.anchor_s.toFixed(3)} s
            <Choose
              label="Kind of anchor"
              value={row.anchor_kind}
              options={KINDS.map((kind) => [kind, kind] as const)}
              onChange={(kind) => onChange({ anchor_kind: kind as (typeof KINDS)[number] })}
            />
          </Flex>
        </Flex>
      </Box>
      {facts && <Said facts={facts} />}
      {(uses.data?.length ?? 0) > 0 && (
        <Box fontSize="12px">
          <Box color="dim">Used in</Box>
          {uses.data?.slice(0, 6).map((use) => (
            <Box key={`${use.what} ${use.item}`}>
              {use.what} {use.name}{" "}
              <Box as="span" color="dim">
                ({use.project})
              </Box>
            </Box>
          ))}
        </Box>
      )}
    </Side>
  );
}
