/** What the server tells of a mix while it is edited: where layers lie, how it is heard, its meters, what crowds, what is newer. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, got, type Mix, slowly, untilReady } from "../api/client";
import { openToKeep } from "../listening/opening";
import { live, player } from "../listening/player";
import { useListening } from "../listening/state";
import { useShared } from "../session/store";
import { useSettled } from "../ui/useSettled";
import { about } from "./told";

/** The mix as it is listened to: solo is for listening only. */
function soloed(mix: Mix, solo: string[]): Mix {
  return solo.length ? { ...mix, members: mix.members.map((member) => ({ ...member, mute: !solo.includes(member.id) })) } : mix;
}

function audible(mix: Mix): boolean {
  const muted = mix.groups.filter((one) => one.mute).map((one) => one.id);
  return mix.members.some((one) => !one.mute && !muted.includes(one.group));
}

/** A mix that is heard as a part of something else, such as a scene: what its told state is there, by the digest of the mix. */
export interface Within {
  /** What that depends on besides the mix. */
  key: unknown;
  /** As it is measured and leaves. */
  plain: (digest: string) => Promise<string>;
  /** As it is listened to. */
  heard: (digest: string) => Promise<string>;
  /** Where the playhead stands (s) when it is shown first. */
  at?: () => number;
}

const ALONE: Within = { key: null, plain: async (digest) => digest, heard: async (digest) => digest };

/** ``tried`` is heard in place of the mix while a candidate is tried; ``onNew`` hears of another rendering. */
export function useMeters(mix: Mix, name: string, solo: string[], tried: Mix | null, onNew: () => void, within: Within = ALONE) {
  const library = useShared((state) => state.library);
  const settled = useSettled(mix, 110, true);
  const layout = useQuery({
    queryKey: ["layout", library, settled, within.key],
    placeholderData: keepPreviousData,
    enabled: settled.members.length > 0,
    queryFn: ({ signal }) =>
      about(settled, async (told) => {
        const digest = await within.plain(told);
        return await got(api.POST("/api/lib/{library}/stack/layout", { params: { path: { library } }, body: { digest }, signal }));
      }),
  });
  const listened = useMemo(() => soloed(tried ?? settled, solo), [tried, settled, solo]);
  const sounds = within !== ALONE || audible(listened);
  const opened = useQuery({
    queryKey: ["opened", library, listened, within.key],
    // what was heard goes on, and its playhead, until the next is ready
    placeholderData: keepPreviousData,
    ...untilReady,
    // what is on its way out is not opened again, by whatever has everything opened anew
    enabled: sounds && (tried !== null || settled === mix),
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => about(listened, async (told) => openToKeep({ told: await within.heard(told) }, library, name)),
  });
  const now = sounds ? opened.data : undefined;
  /** The present state; none while it is made ready. */
  const ready = opened.isPlaceholderData ? undefined : now;
  const sum = useQuery({
    queryKey: ["sum", library, settled],
    placeholderData: keepPreviousData,
    // meters wait for what is to be heard; what may last as long as a film is measured along it by who shows that
    enabled: within === ALONE && settled.members.length > 0 && settled === mix && (!!ready || !sounds),
    queryFn: ({ signal }) =>
      about(settled, (digest) =>
        slowly(signal, () => got(api.POST("/api/lib/{library}/stack/sum", { params: { path: { library } }, body: { digest }, signal }))),
      ),
  });
  const meters = settled.members.length ? sum.data : undefined;
  const [crowded, setCrowded] = useState(true);
  const rested = useSettled(mix, 500);
  const crowds = useQuery({
    queryKey: ["crowding", library, rested],
    placeholderData: keepPreviousData,
    retry: false,
    // like the meters it waits for what is to be heard
    enabled: within === ALONE && crowded && rested.members.length > 1 && rested === mix && (!!ready || !sounds),
    queryFn: ({ signal }) =>
      about(rested, (digest) =>
        slowly(signal, () => got(api.POST("/api/lib/{library}/stack/crowding", { params: { path: { library } }, body: { digest }, signal }))),
      ),
  });
  const crowding = crowded && rested.members.length > 1 ? (crowds.data ?? null) : null;
  const newer = useQuery({
    queryKey: ["newer", library, settled.members.map((one) => [one.id, one.origin])],
    // a design may have been changed in Stack a moment ago
    staleTime: 0,
    enabled: settled.members.some((one) => one.origin),
    queryFn: ({ signal }) =>
      about(settled, (digest) => got(api.POST("/api/lib/{library}/stack/newer", { params: { path: { library } }, body: { digest }, signal }))),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another rendering is a reason
  useEffect(() => {
    if (!now) return;
    onNew();
    const before = useListening.getState().heard;
    if (before?.title !== name) {
      const at = within.at?.() ?? 0;
      player.show(now);
      if (at) player.seek(at);
    } else {
      // the strike line may have moved inside the rendering: stay at the same moment around it
      const around = (live.read - before.opened.zero) / before.opened.rate;
      void player.swap(now, Math.max(0, around + now.opened.zero / now.opened.rate));
    }
  }, [now?.opened.digest]);

  return { layout: layout.data ?? null, now, ready, sum, meters, crowding, crowded, setCrowded, newer: newer.data ?? [] };
}
