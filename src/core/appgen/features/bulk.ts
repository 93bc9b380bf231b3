import type { FeatureCode } from "./feature.ts";

/** Changing and deleting many records at once; it has no code of its own in an entity. */
export const bulkCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("bulk", "../../kit/features/bulk/bulk.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
