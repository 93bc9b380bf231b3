import { join } from "node:path";

/** An empty database for tests, in a temporary folder. */
export async function makeScratch(folder: string) {
  return { address: `sqlite:${join(folder, "test.db")}`, remove: async () => undefined };
}
