import type { FeatureCode } from "./feature.ts";

/** The records of an entity for programs; it has no code of its own in an entity. */
export const apiCode: FeatureCode = {
  made: (module, { camel, file }) =>
    `${module.use("api", "../../kit/features/api/api.ts")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`,
};
