import * as z from "zod";

/** A file that a record has. Its content is in the file store, under its key. */
const storedFile = z.object({
  /** 32 hexadecimal digits that nobody can guess. */
  key: z.string().regex(/^[0-9a-f]{32}$/),
  /** What whoever sent it calls it. */
  name: z.string().default(""),
  /** The media type that its content has, whatever its name says. */
  type: z.string().default("application/octet-stream"),
  bytes: z.number().default(0),
  /** Of pictures, in pixels as they are looked at. */
  width: z.number().optional(),
  height: z.number().optional(),
});

export type StoredFile = z.infer<typeof storedFile>;

const storedFiles = z.array(storedFile);

/** The files in a column, which holds them as a text of JSON; none where it holds something else. */
export function filesIn(held: unknown): StoredFile[] {
  if (typeof held !== "string" || !held.startsWith("[")) return [];
  try {
    return storedFiles.safeParse(JSON.parse(held)).data ?? [];
  } catch {
    return [];
  }
}

/** Files as a column holds them; null for none. */
export function heldFiles(files: readonly Pick<StoredFile, "key">[]): string | null {
  return files.length > 0 ? JSON.stringify(files) : null;
}

export function isKey(text: string): boolean {
  return /^[0-9a-f]{32}$/.test(text);
}

/** Whether a file is a picture that browsers show. */
export function isPicture({ width }: StoredFile): boolean {
  return width !== undefined;
}
