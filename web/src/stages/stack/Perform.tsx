/** Perform: candidates, layers or one-shots under the computer's keys or MIDI pads; what is played becomes placements of a design. */

import { Box, chakra, Flex } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Member, type Node, type Schemas } from "../../api/client";
import { listenToMidi, Pads } from "../../listening/pads";
import { player } from "../../listening/player";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Pick } from "../../ui/choices";
import { ControlOf, useControl } from "../../ui/controls";
import { Input, TextField } from "../../ui/fields";
import { overSaid, seconds } from "../../ui/format";
import { Bar, Heading, Line, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";

const ROWS = ["QWERTYUIOP", "ASDFGHJKL", "ZXCVBNM"] as const;
const LETTERS = ROWS.join("");
const SOFT = 0.5;
/** MIDI notes from here on play the keys in order; common practice for pads, no source. */
const FIRST_NOTE = 36;

type Slot = Schemas["Slot"];
type Played = Schemas["Played"];
type From = "layers" | "search" | "one-shots";

export function Perform({ design, onClose }: { design: Schemas["DesignView"] | null; onClose: () => void }) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const go = useNavigate();
  const [from, setFrom] = useState<From>(design?.mix.members.length ? "layers" : "search");
  const [words, setWords] = useState("");
  const [slots, setSlots] = useState<Slot[]>([]);
  const [ready, setReady] = useState(0);
  const [chosen, setChosen] = useState(0);
  const [lit, setLit] = useState<Record<number, number>>({});
  const [spread, setSpread] = useState(0);
  const [level, setLevel] = useState(0);
  const [grid, setGrid] = useState(0);
  const [amount, setAmount] = useState(1);
  const [began, setBegan] = useState<number | null>(null);
  const [played, setPlayed] = useState<Played[]>([]);
  const [moves, setMoves] = useState<number[][]>([]);
  const [length, setLength] = useState(0);
  const [name, setName] = useState("Performance");
  const [midi, setMidi] = useState("");
  const controls = {
    spread: useControl("Playing", "spread_st"),
    level: useControl("Playing", "level_db"),
    grid: useControl("Performance", "grid_s"),
    amount: useControl("Performance", "amount"),
    gain: useControl("Slot", "gain_db"),
  };
  const pads = useRef(new Pads());
  const busy = useRef(false);

  useEffect(() => {
    player.stop();
    const mine = pads.current;
    return () => {
      void mine.close();
    };
  }, []);

  const put = useCallback(
    async (wanted: Slot[]) => {
      setSlots(wanted);
      setReady(0);
      setPlayed([]);
      setMoves([]);
      try {
        const lengths = await pads.current.load(
          library,
          wanted.map((one) => one.node),
          setReady,
        );
        // what is a mix here is one layer with all that is done to it: its anchor lies on its strike line
        setSlots(
          wanted.map((one, i) => ({
            ...one,
            seconds: Math.max(0.001, lengths[i].seconds),
            anchor_s: one.node.kind === "mix" ? lengths[i].zero : one.anchor_s,
          })),
        );
      } catch (error) {
        complain(error);
      }
    },
    [library],
  );

  const ofSounds = useCallback(
    async (q: string) => {
      const page = await got(
        api.GET("/api/lib/{library}/sounds", {
          params: { path: { library }, query: { q, limit: LETTERS.length, sort: "name", descending: false, offset: 0 } },
        }),
      );
      const layers = await Promise.all(
        page.rows.map((row) => got(api.GET("/api/lib/{library}/stack/layer", { params: { path: { library }, query: { sound: row.id } } }))),
      );
      if (!layers.length) tell("No sound is found for that; use other words.", true);
      await put(layers.map((one) => slotOf(one, one.node, one.anchor_s, 0)));
    },
    [library, put],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: where the sounds come from is the reason
  useEffect(() => {
    if (from === "layers" && design) void put(ofLayers(design.mix.members)).catch(complain);
    else if (from === "one-shots") void ofSounds("where kind one-shot").catch(complain);
    else void put([]);
  }, [from]);

  const hit = (slot: number, velocity: number) => {
    const one = slots[slot];
    if (!one) return;
    const pitch = spread ? Number(((Math.random() * 2 - 1) * spread).toFixed(3)) : 0;
    const db = velocity > 0 ? Math.max(-30, 20 * Math.log10(velocity)) : -30;
    if (!pads.current.hit(slot, one.gain_db + db, pitch, one.choke)) return;
    setLit((before) => ({ ...before, [slot]: (before[slot] ?? 0) + 1 }));
    setChosen(slot);
    if (began !== null)
      setPlayed((before) => [
        ...before,
        { slot, at_s: Number((pads.current.now - began).toFixed(5)), velocity: Number(velocity.toFixed(4)), pitch_st: pitch },
      ]);
  };
  const move = (db: number) => {
    setLevel(db);
    pads.current.level(db);
    if (began !== null) setMoves((before) => [...before, [Number((pads.current.now - began).toFixed(4)), Number(db.toFixed(2))]]);
  };
  const latest = useRef({ hit, move });
  latest.current = { hit, move };

  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
      if ((event.target as HTMLElement | null)?.closest("input, textarea, select")) return;
      const slot = event.code.startsWith("Key") ? LETTERS.indexOf(event.code.slice(3)) : -1;
      if (slot < 0) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      latest.current.hit(slot, event.shiftKey ? SOFT : 1);
    };
    window.addEventListener("keydown", down, true);
    let stop = () => {};
    void listenToMidi(
      (note, velocity) => latest.current.hit((((note - FIRST_NOTE) % LETTERS.length) + LETTERS.length) % LETTERS.length, velocity),
      (value) => latest.current.move(value > 0 ? Math.max(-48, 20 * Math.log10(value)) : -48),
    ).then((told) => {
      stop = told.stop;
      setMidi(told.names.length ? `MIDI: ${told.names.join(", ")}` : told.why);
    });
    return () => {
      window.removeEventListener("keydown", down, true);
      stop();
    };
  }, []);
  useEffect(() => {
    if (began === null) return;
    const timer = setInterval(() => setLength(pads.current.now - began), 100);
    return () => clearInterval(timer);
  }, [began]);

  const record = async () => {
    if (began !== null) {
      setLength(pads.current.now - began);
      setBegan(null);
      return;
    }
    if (!slots.length || ready < slots.length) {
      tell(slots.length ? "The sounds under the keys are still being loaded." : "Put sounds under the keys first.");
      return;
    }
    await pads.current.ready();
    setPlayed([]);
    setMoves(level ? [[0, level]] : []);
    setLength(0);
    setBegan(pads.current.now);
  };
  const performance = (): Schemas["Performance"] => ({ slots, played, grid_s: grid, amount, moves: moves });
  /** Keep what was played as a design; with ``slice`` print it too and go on in Slice. */
  const keep = async (slice: boolean) => {
    if (busy.current) return;
    busy.current = true;
    try {
      const made = await got(
        api.POST("/api/lib/{library}/stack/performances", { params: { path: { library } }, body: { name, performance: performance(), project } }),
      );
      for (const key of ["designs", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
      if (slice) {
        const printed = await got(
          api.POST("/api/lib/{library}/stack/print", {
            params: { path: { library } },
            body: { mix: made.mix, name: made.name, category: "", design: made.id, wanted: null },
          }),
        );
        void queries.invalidateQueries();
        useShared.setState({ design: made.id, sliceSound: printed.id });
        tell(
          `${made.name} is printed, ${seconds(printed.seconds)}; its placements stay in the design of that name.${overSaid(printed)}`,
          (printed.peak ?? -1) > 0,
        );
        go("/slice");
      } else {
        await queries.invalidateQueries({ queryKey: ["designs"] });
        useShared.setState({ design: made.id });
        tell(`${made.name} is a design now: every key that was pressed is a layer of it.`);
        onClose();
      }
    } catch (error) {
      complain(error);
    } finally {
      busy.current = false;
    }
  };
  useKeys({
    commit: () => void record(),
    leave: () => (began !== null ? void record() : onClose()),
    play: () => pads.current.silence(),
  });
  const one = slots[chosen];
  const edit = (values: Partial<Slot>) => setSlots((before) => before.map((slot, i) => (i === chosen ? { ...slot, ...values } : slot)));
  const span = Math.max(1, length, ...played.map((event) => event.at_s + 0.2));
  return (
    <Flex direction="column" h="100%" role="region" aria-label="Perform">
      <Bar>
        <Title>Perform</Title>
        <Box w="200px">
          <TextField label="Name of the performance" value={name} onCommit={(text) => setName(text.trim() || "Performance")} />
        </Box>
        <Box flex={1} />
        <Box fontFamily="mono" fontSize="12px" color={began !== null ? "coral" : "dim"} data-testid="performed">
          {began !== null
            ? `recording ${length.toFixed(1)} s, ${played.length} hits`
            : played.length
              ? `${length.toFixed(1)} s, ${played.length} hits`
              : midi}
        </Box>
        <Do
          disabled={!played.length || began !== null}
          onClick={() => void keep(true)}
          hint="Keep it as a design, print it, and open the print in Slice"
        >
          Print and slice
        </Do>
        <Do
          disabled={!played.length || began !== null}
          onClick={() => void keep(false)}
          hint="Every key that was pressed becomes a layer that can be moved"
        >
          Keep as a design
        </Do>
        <Do main act="commit" onClick={() => void record()}>
          {began !== null ? "End" : "Record"}
        </Do>
        <Do act="leave" onClick={onClose}>
          Back
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <Flex direction="column" flex={1} minW={0} p="18px" gap="10px" overflowY="auto">
          <Flex gap="12px" align="end" wrap="wrap">
            <Pick label="Under the keys" value={from} options={["layers", "search", "one-shots"] as const} onChange={setFrom} />
            {from === "search" && (
              <Flex gap="6px">
                <Input
                  label="Search for the keys"
                  placeholder="ratchet where length under 2 s"
                  value={words}
                  w="280px"
                  onChange={(event) => setWords(event.target.value)}
                  onKeyDown={(event) => {
                    if (event.key !== "Enter") return;
                    event.currentTarget.blur();
                    void ofSounds(words).catch(complain);
                  }}
                />
                <Do onClick={() => void ofSounds(words).catch(complain)}>Put under the keys</Do>
              </Flex>
            )}
            <Box color="dim" fontFamily="mono" fontSize="12px" data-testid="keys-ready">
              {ready < slots.length ? `loading ${ready} of ${slots.length}` : `${slots.length} keys hold a sound`}
            </Box>
          </Flex>
          {ROWS.map((row, r) => (
            <Flex key={row} gap="7px" pl={`${r * 24}px`}>
              {[...row].map((letter) => {
                const i = LETTERS.indexOf(letter);
                const slot = slots[i];
                return (
                  <chakra.button
                    key={`${letter} ${lit[i] ?? 0}`}
                    type="button"
                    aria-label={slot ? `Key ${letter}: ${slot.name}` : `Key ${letter}, empty`}
                    flex="0 0 79px"
                    h="84px"
                    p="7px"
                    borderRadius="10px"
                    border="1px solid"
                    borderColor={i === chosen && slot ? "amber" : "line"}
                    bg={slot ? "raised" : "sheet"}
                    textAlign="left"
                    display="flex"
                    flexDirection="column"
                    justifyContent="space-between"
                    cursor="pointer"
                    animation={lit[i] ? "struck 260ms ease-out" : undefined}
                    onPointerDown={(event) => {
                      event.preventDefault();
                      hit(i, event.shiftKey ? SOFT : 1);
                    }}
                  >
                    <Flex justify="space-between">
                      <Box fontFamily="mono" color={slot ? "glass" : "dim"}>
                        {letter}
                      </Box>
                      <Box fontSize="10px" color="dim">
                        {slot?.choke}
                      </Box>
                    </Flex>
                    <Box fontSize="11px" lineHeight="13px" maxH="39px" overflow="hidden">
                      {slot?.name}
                    </Box>
                  </chakra.button>
                );
              })}
            </Flex>
          ))}
          <Box
            position="relative"
            h="110px"
            mt="8px"
            bg="sheet"
            border="1px solid"
            borderColor="line"
            borderRadius="8px"
            overflow="hidden"
            aria-hidden
          >
            {gridLines(span, grid).map((at) => (
              <Box key={at} position="absolute" top={0} bottom={0} left={`${(at / span) * 100}%`} w="1px" bg="line" />
            ))}
            {played.map((event) => (
              <Box
                key={`${event.slot} ${event.at_s}`}
                position="absolute"
                left={`${(event.at_s / span) * 100}%`}
                top={`${6 + (event.slot / LETTERS.length) * 84}%`}
                w="5px"
                h="9px"
                borderRadius="2px"
                bg="glass"
                opacity={0.4 + 0.6 * event.velocity}
              />
            ))}
            {played.length === 0 && (
              <Flex h="100%" align="center" justify="center" color="dim">
                Enter records; what you play is drawn here. Shift plays softly.
              </Flex>
            )}
          </Box>
        </Flex>
        <Side label="Playing" width="276px">
          <Heading>All keys</Heading>
          <ControlOf control={controls.spread} value={spread} onChange={(value) => setSpread(value as number)} />
          <ControlOf control={controls.level} value={level} onChange={(value) => move(value as number)} />
          <ControlOf control={controls.grid} value={grid} onChange={(value) => setGrid(value as number)} />
          {grid > 0 && <ControlOf control={controls.amount} value={amount} onChange={(value) => setAmount(value as number)} />}
          <Line />
          {one ? (
            <>
              <Heading>Key {LETTERS[chosen]}</Heading>
              <Box fontWeight={550}>{one.name}</Box>
              <ControlOf control={controls.gain} value={one.gain_db} onChange={(gain_db) => edit({ gain_db: gain_db as number })} />
              <Box color="dim" fontSize="12px">
                Keys with the same choke word cut each other off.
              </Box>
              <TextField
                label="Choke word"
                placeholder="choke word"
                value={one.choke}
                onCommit={(choke) => edit({ choke: choke.trim().slice(0, 40) })}
              />
              <Flex>
                <Do quiet onClick={() => setSlots((before) => before.map((slot) => ({ ...slot, choke: one.choke })))}>
                  The same for all keys
                </Do>
              </Flex>
            </>
          ) : (
            <Box color="dim">Choose where the sounds under the keys come from.</Box>
          )}
          <Line />
          <Box color="dim" fontSize="12px">
            {midi}
          </Box>
        </Side>
      </Flex>
    </Flex>
  );
}

/** Moments of the grid (s), as long as they can be told apart. */
function gridLines(span: number, grid: number): number[] {
  if (grid <= 0 || span / grid > 400) return [];
  return Array.from({ length: Math.floor(span / grid) }, (_, i) => (i + 1) * grid);
}

function slotOf(member: Member, node: Node, anchor_s: number, gain_db: number): Slot {
  return { name: member.name, node, anchor_s, seconds: 1, gain_db, choke: "", origin: member.origin };
}

/** The layers of a design, each with its own pitch and chain, under one key each. */
function ofLayers(members: Member[]): Slot[] {
  return members.slice(0, LETTERS.length).map((member) => {
    const alone = {
      ...member,
      at_s: 0,
      gain_db: 0,
      pan: 0,
      back: 0,
      width: 1,
      mute: false,
      group: "",
      envelopes: member.envelopes.filter((one) => one.control !== "pan"),
    };
    const plain =
      !member.chain.length &&
      !member.pitch_st &&
      member.stretch === 1 &&
      !member.reverse &&
      member.start_s == null &&
      member.end_s == null &&
      !member.envelopes.length;
    if (plain) return slotOf(member, member.node, member.anchor_s, member.gain_db);
    const node: Node = { kind: "mix", members: [alone], groups: [], chain: [], rate: null, layout: "stereo" };
    return slotOf({ ...member, origin: null }, node, 0, member.gain_db);
  });
}
