import type { Entity } from "../../entity/entity.ts";
import { isFiles, uploadedAt } from "../../fields/files.tsx";
import { filesIn, isKey } from "../../files/stored-file.ts";
import { uploadsOf } from "../../store/uploads.ts";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { serveFile } from "./serve.ts";

/** The files of records, for those who see the record and the field. */
export function files<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  return {
    routes: [
      {
        method: "GET",
        path: `${entity.path}/${recordPart}/files/:field/:key`,
        needs: { action: "see", entity },
        answer: async (c, scope) => {
          const record = await askedRecord(c, scope, entity);
          const name = c.req.param("field") ?? "";
          const field = Object.hasOwn(entity.fields, name) ? entity.fields[name] : undefined;
          if (!record || !field || !isFiles(field) || scope.isHidden(entity, name)) {
            return c.notFound();
          }
          const file = filesIn(record[name]).find(({ key }) => key === c.req.param("key"));
          return file ? serveFile(c, scope, file) : c.notFound();
        },
      },
    ],
  };
}

/** Files that somebody sent and that no record was saved with yet, for whoever sent them. */
export const sentFiles: Feature = {
  routes: [
    {
      method: "GET",
      path: `${uploadedAt}/:key`,
      needs: "nothing",
      answer: async (c, scope) => {
        const key = c.req.param("key") ?? "";
        const [file] = isKey(key) ? await uploadsOf(scope, [key]) : [];
        return file ? serveFile(c, scope, file) : c.notFound();
      },
    },
  ],
};
