import { join } from "node:path";

/** An empty database for tests, in a folder that goes with it. */
export async function makeScratch(folder: string) {
  return { address: `sqlite:${join(folder, "test.db")}`, remove: async () => undefined };
}
