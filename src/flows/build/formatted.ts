import { formatFiles } from "../../io/formatting/formatter.ts";

/** A file that somebody edited, and its text by now. */
export interface ChangedFile {
  path: string;
  found: string;
  text: string;
}

/** The texts of files by path, formatted where what was found was. */
export async function formattedAsFound(
  files: readonly ChangedFile[],
): Promise<Map<string, string>> {
  const both = files.flatMap(({ path, found, text }) => [
    { path: `found/${path}`, text: found },
    { path: `changed/${path}`, text },
  ]);
  // What the formatter can't read stays as it is.
  const made = await formatFiles(both).catch(() => both);
  const texts = new Map(made.map(({ path, text }) => [path, text]));
  return new Map(
    files.map(({ path, found, text }) => {
      const isFormatted = texts.get(`found/${path}`) === found;
      return [path, isFormatted ? (texts.get(`changed/${path}`) ?? text) : text];
    }),
  );
}
