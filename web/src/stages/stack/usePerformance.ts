/** Playing: sounds under keys and pads, what is played recorded, and kept as a design. */
import { useCallback, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../../api/client";
import { LETTERS, useStruck } from "../../listening/keyboard";
import { Pads } from "../../listening/pads";
import { player } from "../../listening/player";
import { velocityDb } from "../../mix/velocity";
import { queries, useShared } from "../../session/store";
import { useSetting } from "../../ui/controls";
import { overSaid, seconds } from "../../ui/format";
import { complain, tell } from "../../ui/messages";
import { ofLayers, type Slot, slotOf } from "./slots";

type Played = Schemas["Played"];
export type From = "layers" | "search" | "one-shots";

export function usePerformance(design: Schemas["DesignView"] | null, onClose: () => void) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const go = useNavigate();
  const [from, setFrom] = useState<From>(design?.mix.members.length ? "layers" : "search");
  const [slots, setSlots] = useState<Slot[]>([]);
  const [ready, setReady] = useState(0);
  const [chosen, setChosen] = useState(0);
  const [lit, setLit] = useState<Record<number, number>>({});
  const [spread, setSpread, spreads] = useSetting<number>("Playing", "spread_st");
  const [level, setLevel, levels] = useSetting<number>("Playing", "level_db");
  const [grid, setGrid, grids] = useSetting<number>("Performance", "grid_s");
  const [amount, setAmount, amounts] = useSetting<number>("Performance", "amount");
  const [began, setBegan] = useState<number | null>(null);
  const [played, setPlayed] = useState<Played[]>([]);
  const [moves, setMoves] = useState<number[][]>([]);
  const [length, setLength] = useState(0);
  const [name, setName] = useState("Performance");
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
    const db = velocityDb(velocity);
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
  /** A controller's value (0 to 1) as a level, down to where the slider ends. */
  const levelOf = (value: number) => Math.max(levels?.usual?.[0] ?? 0, 20 * Math.log10(Math.max(value, 1e-6)));
  const midi = useStruck(hit, (value) => move(levelOf(value)));
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
  const edit = (values: Partial<Slot>) => setSlots((before) => before.map((slot, i) => (i === chosen ? { ...slot, ...values } : slot)));
  const chokeAll = (choke: string) => setSlots((before) => before.map((slot) => ({ ...slot, choke })));
  return {
    ...{ from, setFrom, ofSounds, slots, ready, chosen, lit, hit, edit, chokeAll },
    ...{ spread, setSpread, level, move, grid, setGrid, amount, setAmount },
    controls: { spread: spreads, level: levels, grid: grids, amount: amounts },
    ...{ name, setName, midi, recording: began !== null, length, played, record, keep },
    silence: () => pads.current.silence(),
  };
}

export type Performing = ReturnType<typeof usePerformance>;
