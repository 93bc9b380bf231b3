import type { FeatureCode } from "./feature.ts";

/** The rows of a list as a grid to type into; it has the columns of the list. */
export const gridCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("grid", "../../kit/features/grid/grid.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${camel}Columns`, `./${file}.list.tsx`)})`,
};
