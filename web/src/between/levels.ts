/** How finished files are levelled: the controls that matter to what is chosen. */
import type { Schemas } from "../api/client";

type Levelled = Pick<Schemas["Finish"], "level_by">;

export const levelNames = ({ level_by }: Levelled): ("peak_dbfs" | "loudness_lufs" | "ceiling_dbtp" | "gain_db")[] =>
  level_by === "loudness" ? ["loudness_lufs", "ceiling_dbtp"] : level_by === "one gain" ? ["gain_db"] : ["peak_dbfs"];
