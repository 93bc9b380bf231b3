import type { FeatureCode } from "./feature.ts";

/** Changing and deleting many records at once; it has no code of its own in an entity. */
export const manyCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("many", "../../kit/features/many/many.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
