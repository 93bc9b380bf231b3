import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { Readable } from "node:stream";
import type { FileStore } from "../../../kit/files/file-store.ts";
import { folderStore } from "../../../kit/files/folder.ts";
import { pngOf } from "../../../kit/files/pictures.ts";
import { heldFiles, type StoredFile } from "../../../kit/files/stored-file.ts";
import { keyOfContent, takeIn } from "../../../kit/files/take-in.ts";
import { filesRange, isFiles, usualSize } from "../../core/fields/files.ts";
import type { Entity, Field, Model } from "../../core/model/model.ts";
import { slugOf } from "../../core/naming/words.ts";
import { picturesPerField, samplePicture } from "../../core/seeding/pictures.ts";
import type { SampleFiles } from "../../core/seeding/sampling.ts";

/** Where sample files go, and what stands for some of them in a row. */
interface Keeping<Kept> {
  keep(name: string, content: Buffer, kind: "image" | "file"): Promise<Kept>;
  text(files: readonly Kept[]): string;
}

/** Sample files in a store, as the columns of a database hold them. */
export function filesInStore(
  model: Model,
  seed: number,
  counts: ReadonlyMap<string, number>,
  store: FileStore,
): Promise<SampleFiles> {
  return sampleFiles<StoredFile>(model, seed, counts, {
    keep: async (name, content, kind) => {
      const wanted = { isPicture: kind === "image", size: usualSize[kind] };
      const taken = await takeIn(store, Readable.from([content]), name, wanted, keyOfContent);
      if ("refused" in taken)
        throw new Error(`the sample file ${name} is refused: ${taken.refused}`);
      return taken.file;
    },
    text: (files) => heldFiles(files) ?? "",
  });
}

/** Sample files beside the files with sample rows: by their names for CSV, otherwise as a store has them. */
export function filesInFolder(
  model: Model,
  seed: number,
  counts: ReadonlyMap<string, number>,
  folder: string,
  format: string,
): Promise<SampleFiles> {
  if (format !== "csv")
    return filesInStore(model, seed, counts, folderStore(join(folder, "files")));
  return sampleFiles<string>(model, seed, counts, {
    keep: async (name, content) => {
      mkdirSync(join(folder, "files"), { recursive: true });
      writeFileSync(join(folder, "files", name), content);
      return `files/${name}`;
    },
    text: (files) => files.join("; "),
  });
}

/** Makes the files of all fields that have some, of entities that get rows. */
async function sampleFiles<Kept>(
  model: Model,
  seed: number,
  counts: ReadonlyMap<string, number>,
  keeping: Keeping<Kept>,
): Promise<SampleFiles> {
  const made = new Map<string, readonly string[]>();
  for (const entity of model.entities) {
    if (!counts.get(entity.name)) continue;
    for (const field of entity.fields) {
      const { type } = field;
      if (!isFiles(type)) continue;
      const files: Kept[] = [];
      for (let number = 0; number < picturesPerField; number++) {
        files.push(await oneFile(seed, entity, field, number, type.kind, keeping));
      }
      const { least, most } = filesRange(type);
      made.set(
        `${entity.name}.${field.name}`,
        files.map((_, at) => {
          const several = Math.max(least, Math.min(most, 1 + (at % 3)));
          const some = Array.from(
            { length: several },
            (_, next) => files[(at + next) % files.length],
          );
          return keeping.text(some as Kept[]);
        }),
      );
    }
  }
  return made;
}

async function oneFile<Kept>(
  seed: number,
  entity: Entity,
  field: Field,
  number: number,
  kind: "image" | "file",
  { keep }: Keeping<Kept>,
): Promise<Kept> {
  const name = `${slugOf(entity.label) || "record"}-${slugOf(field.label) || kind}-${number + 1}`;
  if (kind === "file") {
    const text = `${field.label} ${number + 1}\n\nA sample of what the field "${field.label}" of ${entity.plural} holds.\n`;
    return keep(`${name}.txt`, Buffer.from(text), kind);
  }
  const svg = samplePicture(seed, `${entity.name}.${field.name}`, number);
  return keep(`${name}.png`, Buffer.from(await pngOf(svg, 72)), kind);
}
