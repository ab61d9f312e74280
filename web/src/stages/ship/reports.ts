/** Reports of files: what failed of them, what is only told. */
import type { Schemas } from "../../api/client";

export type FileReport = Schemas["FileReport"];

/** A file of a shipment: read back, or not written, with the reason. */
export interface ReportRow {
  path: string;
  report?: FileReport;
  reason?: string;
}

export const failed = (one: FileReport) => one.checks.filter((check) => !check.ok && !check.warning);
export const warned = (one: FileReport) => one.checks.filter((check) => !check.ok && check.warning);
