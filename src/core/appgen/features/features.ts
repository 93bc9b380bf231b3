import { archiveCode } from "./archive.ts";
import { bulkCode } from "./bulk.ts";
import { deleteCode } from "./delete.ts";
import { detailCode } from "./detail.ts";
import { exportCode } from "./export.ts";
import type { FeatureCode } from "./feature.ts";
import { formCode } from "./form.ts";
import { gridCode } from "./grid.ts";
import { historyCode } from "./history.ts";
import { importCode } from "./import.ts";
import { listCode } from "./list.ts";
import { orderCode } from "./order.ts";

/** What every entity can do, in the order of its `hive.features.ts`. */
export const featureCodes: readonly FeatureCode[] = [
  listCode,
  formCode,
  detailCode,
  orderCode,
  gridCode,
  importCode,
  exportCode,
  historyCode,
  archiveCode,
  deleteCode,
  bulkCode,
];
