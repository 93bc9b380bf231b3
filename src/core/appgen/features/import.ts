import type { FeatureCode } from "./feature.ts";

/** Taking rows of a file into a list; it has no code of its own in an entity. */
export const importCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("importing", "../../kit/features/import/import.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
