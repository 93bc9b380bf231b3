import { existsSync, readdirSync } from "node:fs";
import sharp from "sharp";

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
