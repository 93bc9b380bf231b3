import { apiCode } from "./api.ts";
import { archiveCode } from "./archive.ts";
import { bulkCode } from "./bulk.ts";
import { deleteCode } from "./delete.ts";
import { detailCode } from "./detail.ts";
import { exportCode } from "./export.ts";
import type { FeatureCode } from "./feature.ts";
import { filesCode } from "./files.ts";
import { formCode } from "./form.ts";
import { gridCode } from "./grid.ts";
import { historyCode } from "./history.ts";
import { importCode } from "./import.ts";
import { listCode } from "./list.ts";
import { mergeCode } from "./merge.ts";
import { orderCode } from "./order.ts";
import { tagsCode } from "./tags.ts";

/** What every entity can do, in the order of its `hive.features.ts`. */
export const featureCodes: readonly FeatureCode[] = [
  listCode,
  formCode,
  detailCode,
  filesCode,
  tagsCode,
  orderCode,
  gridCode,
  importCode,
  exportCode,
  historyCode,
  archiveCode,
  mergeCode,
  deleteCode,
  bulkCode,
  apiCode,
];
