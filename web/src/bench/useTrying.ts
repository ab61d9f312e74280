/** Candidates heard in place: in time, through the layer's chain; nothing is changed until one is taken. */
import { useState } from "react";
import { api, got, type Member, type Mix } from "../api/client";
import { player } from "../listening/player";
import { useListening } from "../listening/state";
import { useShared } from "../session/store";
import { complain } from "../ui/messages";
import { useNewest } from "../ui/useNewest";
import type { Layout } from "./aims";

export function useTrying() {
  const library = useShared((state) => state.library);
  const [keepLength, setKeepLength] = useState(false);
  const { value: tried, set: setTried, ask } = useNewest<{ id: string; sound: number; mix: Mix }>();
  const tryOut = async (mix: Mix, member: Member | null, layout: Layout | null, sound: number | null) => {
    if (sound === null || !member) {
      setTried(null);
      return;
    }
    try {
      const swapped = got(
        api.POST("/api/lib/{library}/stack/swap", { params: { path: { library } }, body: { mix, id: member.id, sound, keep_length: keepLength } }),
      );
      if (!(await ask(swapped.then((next) => ({ id: member.id, sound, mix: next as Mix }))))) return;
      const heard = useListening.getState();
      if (!heard.playing && heard.heard) {
        const placed = layout?.layers.find((one) => one.id === member.id);
        player.seek(Math.max(0, (placed?.start_s ?? 0) + heard.heard.opened.zero / heard.heard.opened.rate - 0.05));
        player.toggle();
      }
    } catch (error) {
      complain(error);
    }
  };
  return { keepLength, setKeepLength, tried, setTried, tryOut };
}
