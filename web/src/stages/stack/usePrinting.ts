/** Prints of a design: to the library, or back into it as a layer. One at a time. */
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, got, type Member, type Mix } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { overSaid } from "../../ui/format";
import { complain, tell } from "../../ui/messages";
import { shiftSaid, usePrintShift } from "./PrintShift";
import type { Design } from "./useDesign";

/** What a print is called and filed under. */
export interface Named {
  name?: string;
  category?: string;
}

interface Printing {
  design: Design;
  name: string;
  mix: Mix;
  solo: string[];
  saved: () => Promise<void>;
  onLayer: (layer: Member) => void;
  onSlice: (sound: number) => void;
}

export function usePrinting({ design, name, mix, solo, saved, onLayer, onSlice }: Printing) {
  const library = useShared((state) => state.library);
  const [shifting, setShifting, shiftChain] = usePrintShift();
  const printing = useRef(false);
  const once = async (work: () => Promise<void>) => {
    if (printing.current) return;
    printing.current = true;
    try {
      await saved();
      await work();
      for (const key of ["sounds", "counts", "arrivals", "state", "stale"]) void queries.invalidateQueries({ queryKey: [key] });
    } catch (error) {
      complain(error);
    } finally {
      printing.current = false;
    }
  };
  const asked = {
    queryKey: ["print", library, design.id, name],
    queryFn: () => got(api.GET("/api/lib/{library}/designs/{id}/print", { params: { path: { library, id: design.id } } })),
  };
  const proposed = useQuery(asked).data;
  /** As it is proposed now: other prints may have been made since. */
  const propose = () => queries.fetchQuery({ ...asked, staleTime: 0 });
  /** What the next print is called and filed under, where that is not what is proposed. */
  const [named, setNamed] = useState<Named>({});
  /** Print it; with ``slice`` open the print in Slice. */
  const print = (slice = false) =>
    once(async () => {
      const offer = await propose();
      const made = await got(
        api.POST("/api/lib/{library}/stack/print", {
          params: { path: { library } },
          body: { mix, name: named.name || offer.name, category: named.category ?? offer.category, design: design.id, wanted: null },
        }),
      );
      setNamed({});
      void queries.invalidateQueries({ queryKey: ["print"] });
      tell(
        `${made.name} is in the library${made.category ? `, in ${made.category}` : ""}${solo.length ? "; it holds all layers that are not muted, solo is for listening only" : ""}.${overSaid(made)}`,
        (made.peak ?? -1) > 0,
      );
      if (slice) onSlice(made.id);
    });
  const printShift = () =>
    once(async () => {
      const made = await got(
        api.POST("/api/lib/{library}/stack/print-and-shift", {
          params: { path: { library } },
          body: {
            mix,
            name: (await propose()).name,
            design: design.id,
            semitones: shifting.semitones,
            keep_length: shifting.keepLength,
            chain: shiftChain,
          },
        }),
      );
      const layer = { ...(made.member as Member), gain_db: -6, name: `${made.sound.name}, ${shiftSaid(shifting)}` };
      onLayer(layer);
      tell(
        `${made.sound.name} is in the library${overSaid(made.sound)}, and a layer here, ${shiftSaid(shifting)}; its pitch and chain can be changed.`,
      );
    });
  return {
    saved,
    print,
    printShift,
    shifting,
    setShifting,
    printed: { name: named.name || proposed?.name, category: named.category ?? proposed?.category },
    setPrinted: (values: Named) => setNamed((before) => ({ ...before, ...values })),
  };
}
