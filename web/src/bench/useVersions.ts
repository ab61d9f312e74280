/** Kept versions of a design or a scene: listed, kept, named, put away. */
import { useQuery } from "@tanstack/react-query";
import { type Kind, putAway } from "../documents/named";
import { queries } from "../session/store";
import { complain, tell } from "../ui/messages";

/** What is shown of any version; what is undefined is not known of its kind. */
export interface Kept {
  id: number;
  name: string;
  notes: string;
  created: string;
  lufs?: number | null;
  seconds?: number;
  outline?: string;
}

/** Where versions of a document are. */
interface At<V extends Kept, D> {
  key: readonly unknown[];
  kind: Kind;
  list: () => Promise<V[]>;
  keep: (doc: D) => Promise<V>;
  change: (id: number, values: { name: string | null; notes: string | null }) => Promise<unknown>;
}

export function useVersions<V extends Kept, D>(at: At<V, D>) {
  const key = ["versions", ...at.key];
  const versions = useQuery({ queryKey: key, queryFn: at.list });
  const fresh = () => queries.invalidateQueries({ queryKey: key });
  return {
    key,
    list: versions.data ?? [],
    keep: async (doc: D) => {
      try {
        const made = await at.keep(doc);
        await fresh();
        tell(`${made.name} is kept; ' compares it with what is now.`);
      } catch (error) {
        complain(error);
      }
    },
    change: (id: number, values: { name?: string; notes?: string }) => at.change(id, { name: null, notes: null, ...values }).then(fresh, complain),
    putAway: (id: number) => putAway(at.kind, id),
  };
}

export type Versioning<V extends Kept> = Omit<ReturnType<typeof useVersions<V, never>>, "keep">;
