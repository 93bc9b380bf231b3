import { isFiles } from "../../fields/files.ts";
import type { FeatureCode } from "./feature.ts";

/** The files of records, where some field has any; it has no code of its own in an entity. */
export const filesCode: FeatureCode = {
  made: (module, { entity, camel, file }) =>
    entity.fields.some(({ type }) => isFiles(type))
      ? `${module.use("files", "../../kit/features/files/files.ts")}(${module.use(`${camel}Entity`, `./${file}.ts`)})`
      : undefined,
};
