import type { FieldType, FilesOf } from "./field-type.ts";
import type { Storage } from "./storage.ts";

/** Whether a type is one of files. */
export function isFiles(type: FieldType): type is FilesOf<"image"> | FilesOf<"file"> {
  return type.kind === "image" || type.kind === "file";
}

/** How many files a field has at least, where it has any, and at most. */
export function filesRange({ min = 1, max = 1 }: { min?: number; max?: number }) {
  return { least: min, most: Math.max(min, max) };
}

/** The most files that one field may have. */
export const mostFiles = 50;

/** The most bytes of one file, whatever the model says. */
export const largestSize = 200_000_000;

/** The most bytes of a file where the model doesn't say it. */
export const usualSize = { image: 15_000_000, file: 25_000_000 } as const;

export const fileOptions = ["required", "required when", "size"] as const;

/** Files lie beside the database; the column says what they are called and where they are. */
export const filesStorage: Storage<FieldType> = {
  column: () => ({ kind: "files" }),
  checks: () => [],
  value: (text) => text,
};

const units: Readonly<Record<string, number>> = { kb: 1000, mb: 1_000_000 };

/** The bytes of a size as a model has it: `500 kB`, `5 MB`; undefined where it is none. */
export function readSize(text: string): number | undefined {
  const [, digits, unit = ""] = /^(\d{1,6}(?:\.\d{1,3})?)\s*(kb|mb)$/i.exec(text.trim()) ?? [];
  const bytes = Math.round(Number(digits) * (units[unit.toLowerCase()] ?? Number.NaN));
  return bytes >= 1000 && bytes <= largestSize ? bytes : undefined;
}
