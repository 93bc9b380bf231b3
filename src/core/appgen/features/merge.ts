import type { FeatureCode } from "./feature.ts";

/** Merging two records that are the same; it has no code of its own in an entity. */
export const mergeCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("merge", "../../kit/features/merge/merge.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
