import { resolve } from "node:path";
import type { FileStore } from "../../../kit/files/file-store.ts";
import { openFiles } from "../../../kit/files/location.ts";
import { Failure } from "../../core/failure.ts";
import type { Project } from "../../io/project/project.ts";
import { environmentFile } from "../database.ts";

/** Where the files of a project are: FILES_URL, from the environment or from `.env`; otherwise the folder `files`. */
export function filesUrl(project: Project): string {
  const asked = process.env.FILES_URL || environmentFile(project).FILES_URL;
  if (!asked) return project.files;
  if (!/^[a-z0-9]+:\/\//i.test(asked)) return resolve(project.root, asked);
  const address = URL.canParse(asked) ? new URL(asked) : undefined;
  const isBucket = address?.protocol === "s3:" && address.pathname.length > 1;
  if (isBucket && address.username && address.password) return asked;
  throw new Failure(
    "usage",
    "FILES_URL is no address of files",
    "write a folder, or a bucket as s3://KEY:SECRET@127.0.0.1:9000/hive-book",
  );
}

/** The files of a project. */
export function filesOf(project: Project): FileStore {
  return openFiles(filesUrl(project));
}
