/** The filters of a chain as one curve over the live spectrum; each band is a handle: drag to move it, wheel for its width, double-click for a new one. */
import { Box, chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { api, got, type Step } from "../../api/client";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useDrawing } from "../../listening/useDrawing";
import { freshStep } from "../../mix/fresh";
import { useShared } from "../../session/store";
import { ink } from "../../ui/theme";
import { useSettled } from "../../ui/useSettled";

const HEIGHT = 148;
const RANGE_DB = 18;
const LOW = 20;
const HIGH = 20_000;
const FILTERS = ["band", "high_pass", "low_pass"];

interface Handle {
  id: string;
  hz: number;
  db: number;
  label: string;
}

function handleOf(step: Step, number: number): Handle {
  const params = step.params as Record<string, number | string>;
  if (step.kind === "band")
    return {
      id: step.id ?? "",
      hz: Number(params.frequency_hz ?? 1000),
      db: params.kind === "notch" ? -RANGE_DB * 0.8 : Number(params.gain_db ?? 0),
      label: String(number),
    };
  return { id: step.id ?? "", hz: Number(params.cutoff_hz ?? (step.kind === "high_pass" ? 80 : 12_000)), db: -3, label: String(number) };
}

export function EqCurve({
  chain,
  rate,
  chosen,
  onChoose,
  onChange,
}: {
  chain: Step[];
  rate: number;
  chosen: string | null;
  onChoose: (id: string) => void;
  onChange: (chain: Step[], gesture?: string) => void;
}) {
  const library = useShared((state) => state.library);
  const canvas = useRef<HTMLCanvasElement>(null);
  const bins = useRef(new Float32Array(1024)).current;
  const filters = chain.filter((step) => FILTERS.includes(step.kind) && step.on);
  const settled = useSettled(filters, 20);
  const response = useQuery({
    queryKey: ["response", settled, rate],
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.POST("/api/lib/{library}/mend/response", { params: { path: { library } }, body: { chain: settled, rate } })),
  });
  const handles = filters.map((step, i) => handleOf(step, i + 1));
  const held = useRef<string | null>(null);
  const [width, setWidth] = useState(300);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const x = (hz: number) => (Math.log(hz / LOW) / Math.log(HIGH / LOW)) * width;
  const hzAt = (at: number) => LOW * (HIGH / LOW) ** Math.min(1, Math.max(0, at / width));
  const y = (db: number) => HEIGHT / 2 - (db / RANGE_DB) * (HEIGHT / 2 - 6);
  const dbAt = (at: number) => ((HEIGHT / 2 - at) / (HEIGHT / 2 - 6)) * RANGE_DB;
  const redraw = useDrawing(canvas, (pen) => {
    const colours = ink();
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    for (const hz of [50, 100, 200, 500, 1000, 2000, 5000, 10_000]) {
      pen.fillStyle = colours.line;
      pen.fillRect(x(hz), 0, 1, HEIGHT);
      pen.fillStyle = colours.dim;
      pen.fillText(hz >= 1000 ? `${hz / 1000}k` : String(hz), x(hz) + 2, HEIGHT - 3);
    }
    for (const db of [-12, 0, 12]) {
      pen.fillStyle = db === 0 ? colours.faint : colours.line;
      pen.fillRect(0, y(db), width, 1);
      pen.fillStyle = colours.dim;
      if (db) pen.fillText(`${db > 0 ? "+" : ""}${db} dB`, 2, y(db) - 2);
    }
    if (player.analyser && useListening.getState().playing) {
      player.analyser.getFloatFrequencyData(bins);
      pen.fillStyle = colours.glassDeep;
      pen.globalAlpha = 0.55;
      pen.beginPath();
      pen.moveTo(0, HEIGHT);
      for (let i = 1; i < bins.length; i++) {
        const hz = (i * player.rate) / 2048;
        if (hz < LOW) continue;
        pen.lineTo(x(hz), HEIGHT - Math.max(0, ((bins[i] + 110) / 100) * HEIGHT));
      }
      pen.lineTo(width, HEIGHT);
      pen.fill();
      pen.globalAlpha = 1;
    }
    const data = response.data;
    if (data) {
      pen.strokeStyle = colours.amber;
      pen.lineWidth = 1.6;
      pen.beginPath();
      for (const [i, hz] of data.hz.entries()) pen.lineTo(x(hz), Math.min(HEIGHT - 1, Math.max(1, y(data.db[i]))));
      pen.stroke();
    }
    for (const handle of handles) {
      pen.fillStyle = handle.id === chosen ? colours.amber : colours.raised;
      pen.strokeStyle = handle.id === chosen ? colours.amber : colours.glass;
      pen.beginPath();
      pen.roundRect(x(handle.hz) - 8, y(handle.db) - 8, 16, 16, 5);
      pen.fill();
      pen.stroke();
      pen.fillStyle = handle.id === chosen ? colours.onAmber : colours.chalk;
      pen.fillText(handle.label, x(handle.hz) - 3, y(handle.db) + 3);
    }
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew when what is shown has changed, also while nothing plays
  useEffect(redraw, [response.data, chain, chosen, width]);
  const set = (id: string, params: Record<string, unknown>, gesture: string) =>
    onChange(
      chain.map((step) => (step.id === id ? { ...step, params: { ...step.params, ...params } } : step)),
      `${id} ${gesture}`,
    );
  const at = (event: { clientX: number; clientY: number; currentTarget: EventTarget & Element }) => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const near = (px: number, py: number) => handles.find((handle) => Math.abs(x(handle.hz) - px) < 11 && Math.abs(y(handle.db) - py) < 11);
  const drag = (event: PointerEvent) => {
    const id = held.current;
    const step = chain.find((one) => one.id === id);
    if (!id || !step) return;
    const [px, py] = at(event);
    const hz = Number(hzAt(px).toPrecision(4));
    if (step.kind !== "band") set(id, { cutoff_hz: Math.min(40_000, Math.max(10, hz)) }, "drag");
    else {
      const flat = (step.params as { kind?: string }).kind === "notch";
      set(id, { frequency_hz: hz, ...(flat ? {} : { gain_db: Number(Math.min(RANGE_DB, Math.max(-RANGE_DB, dbAt(py))).toFixed(1)) }) }, "drag");
    }
  };
  const wheel = useRef<(event: WheelEvent) => void>(() => {});
  wheel.current = (event) => {
    const box = canvas.current?.getBoundingClientRect();
    const handle = box && (near(event.clientX - box.left, event.clientY - box.top) ?? handles.find((one) => one.id === chosen));
    const step = handle && chain.find((one) => one.id === handle.id);
    if (step?.kind !== "band") return;
    event.preventDefault();
    const q = Number((step.params as { q?: number }).q ?? 0.9);
    set(step.id ?? "", { q: Number(Math.min(60, Math.max(0.1, q * 1.0015 ** -event.deltaY)).toFixed(2)) }, "width");
  };
  useEffect(() => {
    const element = canvas.current;
    const handle = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener("wheel", handle, { passive: false });
    return () => element?.removeEventListener("wheel", handle);
  }, []);
  return (
    <Box>
      <chakra.canvas
        ref={canvas}
        w="100%"
        h={`${HEIGHT}px`}
        bg="sheet"
        borderRadius="8px"
        cursor="pointer"
        touchAction="none"
        role="img"
        aria-label={`Response of ${filters.length} filters over the spectrum of what is heard; the steps below hold the numbers`}
        onPointerDown={(event) => {
          const [px, py] = at(event);
          const handle = near(px, py);
          if (!handle) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          held.current = handle.id;
          onChoose(handle.id);
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          held.current = null;
        }}
        onDoubleClick={(event) => {
          const [px, py] = at(event);
          if (near(px, py)) return;
          const step = freshStep("band", {
            kind: "bell",
            frequency_hz: Number(hzAt(px).toPrecision(3)),
            gain_db: Number(dbAt(py).toFixed(1)),
            q: 1.4,
          });
          onChange([...chain, step]);
          onChoose(step.id ?? "");
        }}
      />
      <Box color="dim" fontSize="11px">
        Double-click for a new band, drag a band, wheel for its width.
      </Box>
    </Box>
  );
}
