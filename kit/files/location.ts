import { bucketStore } from "./bucket.ts";
import type { FileStore } from "./file-store.ts";
import { folderStore } from "./folder.ts";

/**
 * Where files are: FILES_URL, which is a folder, or the address of a bucket in a store that speaks S3. Otherwise the folder
 * `files`, where the application is started. Nothing is reached before it is needed.
 */
export function openFiles(address = process.env.FILES_URL || "files"): FileStore {
  return address.startsWith("s3:") ? bucketStore(new URL(address)) : folderStore(address);
}
