import type { FeatureCode } from "./feature.ts";

/** Archiving records, where the model says that they can be; it has no code of its own in an entity. */
export const archiveCode: FeatureCode = {
  made: (module, { entity, camel, file }) =>
    entity.archive
      ? `${module.use("archive", "../../kit/features/archive/archive.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`
      : undefined,
};
