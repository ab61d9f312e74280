/** Every state of a design crosses the wire once, as what changed of the state before; what is asked about it afterwards names its digest. */
import { compare } from "fast-json-patch";
import { api, got, type Mix, Refused, type Schemas } from "../api/client";

type Patch = Schemas["PatchOp"][];

const keys = new WeakMap<object, Promise<string>>();
/** The state that was told last; its digest is known. */
let last: { mix: Mix; digest: string } | null = null;

async function whole(mix: Mix): Promise<string> {
  return (await got(api.POST("/api/stack/told", { body: { mix, base: "", patch: [] } }))).digest;
}

async function told(mix: Mix): Promise<string> {
  const before = last;
  const patch = before ? (compare(before.mix, mix) as Patch) : [];
  try {
    const body = { mix: null, base: before?.digest ?? "", patch };
    // a state that has little to do with the one before is sent as it is
    const small = before !== null && JSON.stringify(patch).length * 2 < JSON.stringify(mix).length;
    const { digest } = small ? await got(api.POST("/api/stack/told", { body })) : { digest: "" };
    const found = digest || (await whole(mix));
    last = { mix, digest: found };
    return found;
  } catch (error) {
    // the server was started anew, or it no longer knows the state before
    if (!(error instanceof Refused && before !== null && [404, 422].includes(error.status))) throw error;
    const digest = await whole(mix);
    last = { mix, digest };
    return digest;
  }
}

/** The digest of a state; it is told when it was not. */
function digestOf(mix: Mix): Promise<string> {
  const known = keys.get(mix);
  if (known) return known;
  const made = told(mix);
  keys.set(mix, made);
  made.catch(() => keys.delete(mix));
  return made;
}

/** Ask something about a state by its digest; when the server knows it no more, it is told once again. */
export async function about<T>(mix: Mix, ask: (digest: string) => Promise<T>): Promise<T> {
  const digest = await digestOf(mix);
  try {
    return await ask(digest);
  } catch (error) {
    if (!(error instanceof Refused && error.status === 404)) throw error;
    keys.delete(mix);
    last = null;
    return ask(await digestOf(mix));
  }
}
