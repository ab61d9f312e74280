/** Sounds are opened to be heard; long ones are heard by estimates until their steps have measured all of them. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, got, type Opened, type Schemas } from "../api/client";
import { queries } from "../session/store";

export type ToOpen = Partial<Schemas["ToOpen"]>;

export const AGAIN_MS = 1000;

/** Make something ready to be heard; where all of a long sound must be measured first, that is waited for. */
export const openWhole = (library: string, body: ToOpen) =>
  got(
    api.POST("/api/lib/{library}/open", {
      params: { path: { library } },
      body: { node: null, told: "", sound: null, chain: [], estimate: false, ...body },
    }),
  );

/** Make something ready to be heard at once: by estimates for now, where all of a long sound must be measured first. */
export const openSoon = (library: string, body: ToOpen) => openWhole(library, { ...body, estimate: true });

/** Keep what a question gave up to date: once what it opened is measured, ``put`` says what its answer is then. */
export function useMeasured<T>(
  key: readonly unknown[],
  opened: Opened | undefined,
  library: string,
  body: ToOpen,
  put: (old: T, opened: Opened) => T,
) {
  const again = useQuery({
    queryKey: ["measured", opened?.digest],
    enabled: !!opened?.estimated,
    refetchInterval: (query) => (query.state.data?.estimated === false ? false : AGAIN_MS),
    gcTime: 0,
    queryFn: () => openSoon(library, body),
  });
  const measured = again.data;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only that it is measured is a reason
  useEffect(() => {
    if (opened?.estimated && measured && !measured.estimated) queries.setQueryData<T>(key, (old) => old && put(old, measured));
  }, [measured?.digest, opened?.digest]);
}
