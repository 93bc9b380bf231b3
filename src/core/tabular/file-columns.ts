import { exceptionsOf, type Found, type InferenceContext, mostlyFits } from "./finding.ts";
import type { ColumnProfile } from "./profile.ts";
import { typeBit } from "./type-detection.ts";

const pictures = /\.(jpe?g|png|webp|gif|avif)$/i;
const documents =
  /\.(jpe?g|png|webp|gif|avif|tiff?|heic|pdf|docx?|odt|rtf|txt|md|xlsx?|ods|csv|pptx?|odp|zip|mp[34]|wav)$/i;

/** The names of the files in one cell: `front.jpg; back.jpg`. */
export function namesInCell(cell: string): string[] {
  return cell
    .split(/\s*[;\n]\s*/)
    .map((name) => name.trim())
    .filter(Boolean);
}

/** A column of names of files that are there. */
export function asFiles(
  profile: ColumnProfile,
  { hasFile }: InferenceContext,
  counted: number,
): Found | undefined {
  if (!hasFile || profile.distinct.overflowed) return undefined;
  const values = [...profile.distinct.values.values()];
  const cells = values.map(({ spellings, count }) => ({
    names: namesInCell(spellings[0]?.text ?? ""),
    count,
  }));
  const named = cells.filter(
    ({ names }) => names.length > 0 && names.every((name) => documents.test(name)),
  );
  if (named.length < cells.length) return undefined;
  const there = named.filter(({ names }) => names.every(hasFile));
  const fitting = there.reduce((sum, { count }) => sum + count, 0);
  if (!mostlyFits(fitting, counted)) return undefined;
  const most = Math.max(...named.map(({ names }) => names.length));
  const arePictures = named.every(({ names }) => names.every((name) => pictures.test(name)));
  const what = arePictures ? "pictures" : "files";
  return {
    kind: arePictures ? "image" : "file",
    why: `names of ${what} that are there`,
    ...(most > 1 && { files: most }),
    hints: {},
    exceptions: exceptionsOf(
      profile,
      (bits) => (bits & typeBit.fault) === 0,
      "not the name of a file",
    ),
  };
}
