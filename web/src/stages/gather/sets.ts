/** Sounds put into sets, and taken out of them. */
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { stale, theseOrChosen, undo } from "./describing";

export async function putInSet(set: number, ids?: number[], before: number | null = null): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{id}", {
        params: { path: { library, id: set } },
        body: { ...theseOrChosen(ids), name: null, before, take_out: [] },
      }),
    );
    stale();
    tell("Put on the set.", false, undo);
  } catch (error) {
    complain(error);
  }
}

export async function takeOutOfSet(set: number, ids: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{id}", {
        params: { path: { library, id: set } },
        body: { ids: [], all_of: null, name: null, before: null, take_out: ids },
      }),
    );
    stale();
    tell("Taken off the set.", false, undo);
  } catch (error) {
    complain(error);
  }
}

export async function newSet(name: string, ids?: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(api.POST("/api/lib/{library}/sets", { params: { path: { library } }, body: { ...theseOrChosen(ids), name } }));
    stale();
    tell(`The set ${name} is on the left.`, false, undo);
  } catch (error) {
    complain(error);
  }
}
