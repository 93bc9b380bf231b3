import type { FeatureCode } from "./feature.ts";

/** Deleting records, which has no code of its own in an entity. */
export const deleteCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("remove", "../../kit/features/delete/delete.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
