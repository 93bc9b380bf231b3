import type { FeatureCode } from "./feature.ts";

/** Offering the tags that other records have; it has no code of its own in an entity. */
export const tagsCode: FeatureCode = {
  made: (module, { entity, camel, file }) =>
    entity.fields.some(({ type }) => type.kind === "tags")
      ? `${module.use("tags", "../../kit/features/tags/tags.ts")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`
      : undefined,
};
