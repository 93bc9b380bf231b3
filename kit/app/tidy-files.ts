import { formulas } from "../database/current-dialect.ts";
import { keptFolder } from "../database/location.ts";
import { openFiles } from "../files/location.ts";
import { filesInUse, setAside } from "../files/use.ts";
import { withConnection } from "../migrations/startup.ts";

/**
 * Says which files are in use. With the word `remove-unused` on the command line, those that nothing refers to are moved from the
 * store into the folder `kept`.
 */
export function tidyFiles(
  columns: readonly (readonly [table: string, column: string])[],
  otherwise?: string,
): Promise<void> {
  return withConnection(otherwise, async (connection) => {
    const store = openFiles();
    const { quoted } = formulas;
    const asked = columns.map(([table, column]) => ({
      table: quoted(table),
      column: quoted(column),
    }));
    const use = await filesInUse(connection, asked, store, [keptFolder()]);
    for (const [at, [table, column]] of columns.entries()) {
      console.log(`${table}.${column}: ${files(use.columns[at]?.files ?? 0)}`);
    }
    if (use.missing.length > 0) {
      console.log(`Not in ${store.place}: ${files(use.missing.length)} that records refer to.`);
    }
    const { keys, bytes } = use.unused;
    const words = `${files(keys.length)} of ${Math.ceil(bytes / 1000).toLocaleString("en")} kB`;
    if (keys.length === 0) console.log("All other files are in use.");
    else if (!process.argv.includes("remove-unused")) {
      console.log(`Not in use: ${words}. npm run files -- remove-unused moves them into kept/.`);
    } else {
      const folder = await setAside(store, keys, keptFolder());
      console.log(`Moved ${words} into ${folder}.`);
    }
  });
}

function files(count: number): string {
  return count === 1 ? "1 file" : `${count.toLocaleString("en")} files`;
}
