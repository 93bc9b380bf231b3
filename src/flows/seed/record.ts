import { join } from "node:path";
import * as z from "zod";
import { readText, writeAll } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";

const shape = z.object({
  seed: z.int().optional().catch(undefined),
  today: z
    .string()
    .regex(/^\d{4}-\d{2}-\d{2}$/)
    .optional()
    .catch(undefined),
  rows: z.record(z.string(), z.int().nonnegative()).optional().catch(undefined),
});

/**
 * What sample rows follow from, written down at the first seeding so that they stay the same: the number, the day
 * from which days count back, and how many rows entities got where nobody said.
 */
export interface SeedingRecord {
  seed?: number | undefined;
  today?: string | undefined;
  rows?: Record<string, number> | undefined;
}

function pathIn(project: Project): string {
  return join(project.record, "seeding.json");
}

/** What is written down; nothing where there is no such file, or none that can be read. */
export function readSeedingRecord(project: Project): SeedingRecord {
  try {
    return shape.parse(JSON.parse(readText(pathIn(project)) ?? "{}"));
  } catch {
    return {};
  }
}

/** Writes it down, where it is new. */
export function writeSeedingRecord(project: Project, record: SeedingRecord): void {
  const path = pathIn(project);
  const text = `${JSON.stringify(record, null, 2)}\n`;
  if (readText(path) !== text) writeAll([{ path, text }], project.root);
}
