import type { Sharp, SharpOptions } from "sharp";
import { type PictureSize, pictureSizes } from "./file-store.ts";

/** The most pixels of a picture: more would take more memory than one request may have. */
export const mostPixels = 40_000_000;

/** The pictures that are taken: browsers show them, and they can't hold programs. */
export const pictureTypes: ReadonlySet<string> = new Set([
  "image/jpeg",
  "image/png",
  "image/webp",
  "image/gif",
  "image/avif",
]);

const options: SharpOptions = {
  limitInputPixels: mostPixels,
  failOn: "error",
  // Of several frames, the first is looked at.
  pages: 1,
};

/** Pictures take memory and time: no more than so many are worked on at the same time. */
const mostAtOnce = 2;
let working = 0;
const waiting: (() => void)[] = [];

/** A picture with its size, smaller copies of it beside it. */
export interface Measured {
  width: number;
  height: number;
  /** The paths of smaller copies. */
  copies: Readonly<Record<PictureSize, string>>;
}

/**
 * Measures a picture, and writes smaller copies of it beside it. Throws where it can't be read to its end. The copies have
 * none of what cameras note, such as the place.
 */
export async function measured(path: string): Promise<Measured> {
  return oneOfFew(async () => {
    const { default: sharp } = await import("sharp");
    const { autoOrient } = await sharp(path, options).metadata();
    const copies = { small: `${path}.small`, large: `${path}.large` };
    for (const [size, width] of Object.entries(pictureSizes)) {
      const copy: Sharp = sharp(path, options)
        .autoOrient()
        .resize({ width, height: width, fit: "inside", withoutEnlargement: true })
        .webp({ quality: 78 });
      await copy.toFile(copies[size as PictureSize]);
    }
    return { width: autoOrient.width, height: autoOrient.height, copies };
  });
}

/** A drawing as a picture of points, twice as fine as a plain screen unless `density` says 72. */
export async function pngOf(svg: string, density = 144): Promise<Uint8Array> {
  return oneOfFew(async () => {
    const { default: sharp } = await import("sharp");
    return sharp(Buffer.from(svg), { density, limitInputPixels: mostPixels }).png().toBuffer();
  });
}

async function oneOfFew<Result>(work: () => Promise<Result>): Promise<Result> {
  if (working >= mostAtOnce) await new Promise<void>((resolve) => waiting.push(resolve));
  else working++;
  try {
    return await work();
  } finally {
    const next = waiting.shift();
    if (next) next();
    else working--;
  }
}
