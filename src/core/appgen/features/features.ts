import { bulkCode } from "./bulk.ts";
import { deleteCode } from "./delete.ts";
import { detailCode } from "./detail.ts";
import { exportCode } from "./export.ts";
import type { FeatureCode } from "./feature.ts";
import { formCode } from "./form.ts";
import { historyCode } from "./history.ts";
import { listCode } from "./list.ts";

/** What every entity can do, in the order of its `hive.features.ts`. */
export const featureCodes: readonly FeatureCode[] = [
  listCode,
  formCode,
  detailCode,
  exportCode,
  historyCode,
  deleteCode,
  bulkCode,
];
