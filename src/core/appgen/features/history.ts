import type { FeatureCode } from "./feature.ts";

/** The history of records, where people sign in; it has no code of its own in an entity. */
export const historyCode: FeatureCode = {
  made: (module, { camel, file, signsIn }) =>
    signsIn
      ? `${module.use("history", "../../kit/features/history/history.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`
      : undefined,
};
