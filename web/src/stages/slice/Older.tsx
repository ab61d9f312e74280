import { Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Plan } from "../../api/client";
import type { History } from "../../documents/useDocument";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { notMade } from "./notMade";
import type { PlanView } from "./usePlan";

const NAMED = 1;

/** Said when a sound has changed since it was sliced: its slices are found in the newer state on one key, and one-shots of the older one made anew. */
export function Older({ loaded, history }: { loaded: PlanView; history: History<Plan> }) {
  const library = useShared((state) => state.library);
  const path = { library, id: loaded.sound };
  const key = ["older", library, loaded.sound];
  const older = useQuery({ queryKey: key, queryFn: () => got(api.GET("/api/lib/{library}/plans/{id}/older", { params: { path } })) }).data;
  const changed = older?.changed ?? false;
  const take = async () => {
    try {
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/newer", { params: { path } }));
      // a step of undo, so that those before it still fit
      history.accept(fresh.plan, fresh.revision);
      queries.setQueryData(["plan", library, loaded.sound], fresh);
      await queries.invalidateQueries({ queryKey: key });
      const outside = fresh.lost ?? 0;
      tell(
        `Its slices are found in ${loaded.name} as it is now; what you corrected stays${outside ? `, but for ${outside} outside of it now` : ""}.`,
      );
    } catch (error) {
      complain(error);
    }
  };
  const remake = async () => {
    try {
      const started = await got(api.POST("/api/lib/{library}/plans/{id}/remake", { params: { path } }));
      const { result } = await whenDone(started.job, "remake");
      if (!result) return;
      const made = `${result.remade} one-shots are made anew from ${loaded.name} as it is now; their names and what is said of them stay.`;
      tell(`${made}${notMade(result.failed)}`, !!result.failed?.length);
    } catch (error) {
      complain(error);
    }
  };
  useKeys({ newer: () => void take() }, { on: changed });
  const names = older?.one_shots.map((one) => one.name) ?? [];
  if (!changed && !names.length) return null;
  const listed = `${names.slice(0, NAMED).join(", ")}${names.length > NAMED ? ` and ${names.length - NAMED} more` : ""}`;
  return (
    <Flex
      role="status"
      aria-label="Changed since it was sliced"
      align="center"
      gap="10px"
      px="14px"
      py="6px"
      bg="amberSoft"
      wrap="wrap"
      flexShrink={0}
    >
      {changed && (
        <>
          <span>{loaded.name} has changed since its slices were found.</span>
          <Do act="newer" onClick={() => void take()}>
            Take it as it is now
          </Do>
        </>
      )}
      {names.length > 0 && (
        <>
          <span title={names.join(", ")}>Cut from an older state: {listed}.</span>
          <Do onClick={() => void remake()} hint="The same moments, finish, names and tags, from the sound as it is now">
            Remake {names.length === 1 ? "it" : `these ${names.length}`}
          </Do>
        </>
      )}
    </Flex>
  );
}
