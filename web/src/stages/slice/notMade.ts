import type { Schemas } from "../../api/client";

/** What of some one-shots could not be made, said after what was: how many, and why the first. */
export const notMade = (failed: Schemas["OneShots"]["failed"] = []) =>
  failed.length ? ` ${failed.length} could not be made: ${failed[0].path}: ${failed[0].reason}` : "";
