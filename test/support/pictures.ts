import { existsSync, readdirSync } from "node:fs";
import sharp from "sharp";

/** Hives with files of every kind, none of them at first. */
export const modelWithFiles = `levadura: 1
app: {name: Hive Book, language: en-GB, database: sqlite}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: see}
entities:
  Hive:
    title: "{code}"
    fields:
      code: text ..20, required, unique
      photo: image, size 300 kB
      shots: image ..3
      papers: file 2..4, size 100 kB
      secret: file
    seed: 0
    rights: {office: everything, guests: ["see where code <> 'B-99'", hide secret]}
`;

/** A picture of one colour, as a file of a format. */
export function picture(
  format: "jpeg" | "png" | "webp" | "gif" | "avif",
  color = "#c98b2b",
  size = 900,
): Promise<Buffer> {
  return sharp({ create: { width: size, height: (size * 2) / 3, channels: 3, background: color } })
    .toFormat(format)
    .toBuffer();
}

export function named(content: Buffer | string, name: string, type = "image/jpeg"): File {
  return new File([typeof content === "string" ? content : new Uint8Array(content)], name, {
    type,
  });
}

/** All files below a folder. */
export function filesBelow(folder: string): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map(({ name }) => name)
    .sort();
}
