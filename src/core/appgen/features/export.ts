import type { FeatureCode } from "./feature.ts";

/** The list of an entity as a file; it has the columns of the list. */
export const exportCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("exporting", "../../kit/features/export/export.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${camel}Columns`, `./${file}.list.tsx`)})`,
};
