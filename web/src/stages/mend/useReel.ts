/** A reel as a document, what is suggested for its takes, and the row of its takes opened to be heard and drawn. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, got, type Node, type Opened, untilReady } from "../../api/client";
import { useDocument } from "../../documents/useDocument";
import { openSoon, openWhole, useMeasured } from "../../listening/opening";
import { queries, useShared } from "../../session/store";
import { onStrip, type Reel, type ReelView, type Suggestions } from "./marks";

export function useReel(loaded: ReelView, raw: boolean) {
  const library = useShared((state) => state.library);
  const [view, setView] = useState(loaded);
  const keep = (fresh: ReelView) => {
    setView(fresh);
    queries.setQueryData(["reel", library, loaded.id], fresh);
  };
  const history = useDocument({
    kind: "reel",
    id: loaded.id,
    first: loaded.reel,
    revision: loaded.revision,
    called: loaded.name,
    docOf: (shown) => shown.reel,
    bodyOf: (reel: Reel) => reel,
    onShown: keep,
  });
  const reel = history.doc ?? loaded.reel;
  // marks as they are now, names and sums as the server told last
  const now = useMemo((): ReelView => ({ ...view, reel }), [view, reel]);
  const change = (values: Partial<Reel>, gesture?: string) => history.change({ ...(history.now() ?? reel), ...values }, gesture);

  const told = useQueries({
    queries: view.takes.map((take) => ({
      queryKey: ["suggested", library, take.id],
      staleTime: Number.POSITIVE_INFINITY,
      queryFn: () => got(api.GET("/api/lib/{library}/suggestions/{id}", { params: { path: { library, id: take.id } } })),
    })),
  });
  const suggested = useMemo(
    () => Object.fromEntries(view.takes.map((take, i) => [take.id, told[i]?.data])) as Record<number, Suggestions | undefined>,
    [view.takes, told],
  );
  const found = useMemo(() => onStrip(now, suggested), [now, suggested]);

  const target = (raw ? view.raw : view.now) as Node;
  const opened = useQuery({
    queryKey: ["opened", library, "reel", target],
    ...untilReady,
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => openSoon(library, { node: target }),
  });
  const key = ["opened", library, "reel", target];
  useMeasured<Opened>(key, opened.isPlaceholderData ? undefined : opened.data, library, { node: target }, (_, fresh) => fresh);
  // the picture is that of the raw takes: it stands still while steps are tried, and marks are set on it
  const drawn = useQuery({
    queryKey: ["opened", library, "reel", view.raw],
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => openWhole(library, { node: view.raw as Node }),
  });
  const waiting = told.filter((one) => one.isPending).length;
  return { view, now, reel, history, change, suggested, waiting, found, opened, drawn, saved: history.saved };
}

export type EditedReel = ReturnType<typeof useReel>;
