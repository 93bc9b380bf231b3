import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Papa from "papaparse";
import { readModel } from "../../src/core/model/read.ts";
import { levadura, temporaryFolder } from "../support/program.ts";
import { ask, type CorpusSheet } from "./sheet.ts";

/** What became of the cells of a sheet: right, shown as doubtful, or wrong without a word. */
export interface Score {
  right: number;
  doubtful: number;
  /** Cells that are stored as something else, with nothing said. */
  silent: string[];
  /** Columns of another type than a careful person's. */
  mistyped: string[];
  /** Sheets that were taken for one in another language. */
  foreign: string[];
  cells: number;
  columns: number;
}

interface ImportedSheet {
  entity: string;
  fields: { name: string; column: string; is?: string; guess?: string; open?: unknown }[];
}

/** Imports a sheet as it is proposed, and compares what is stored with what a careful person would. */
export async function scored(sheet: CorpusSheet): Promise<Score> {
  const folder = temporaryFolder();
  writeFileSync(join(folder, sheet.file), sheet.bytes);
  const { out, err, status } = await levadura(["import", sheet.file, "--yes", "--json"], folder);
  if (status !== 0) throw new Error(`${sheet.file}: ${err}${out}`);
  const { sheets } = JSON.parse(out) as { sheets: ImportedSheet[] };
  const { model } = readModel(readFileSync(join(folder, "model.yaml"), "utf8"));
  const [made] = sheets;
  if (!made || !model) throw new Error(`${sheet.file} became nothing`);
  const data = Papa.parse<string[]>(
    readFileSync(join(folder, "data", `${made.entity}.csv`), "utf8").trim(),
  );
  const [header = [], ...rows] = data.data;
  const aside = setAside(folder, sheet.above?.length ?? 0);
  const score: Score = {
    right: 0,
    doubtful: 0,
    silent: [],
    mistyped: [],
    foreign: [],
    cells: 0,
    columns: 0,
  };
  // Other languages than these are taken for English.
  const language = "en de es fr it pt".split(" ").includes(sheet.language) ? sheet.language : "en";
  if (model.app.language !== language) score.foreign.push(`${sheet.file}: ${model.app.language}`);
  sheet.columns.forEach(({ header: title, is, cells }, at) => {
    const field = made.fields.find(({ column }) => column === title);
    const place = field ? header.indexOf(field.name) : -1;
    score.columns++;
    if (!is.split("|").some((each) => field?.is?.startsWith(each)))
      score.mistyped.push(`${sheet.file}, ${title}: ${field?.is ?? "left out"}, not ${is}`);
    const isDoubted = field?.guess !== undefined || field?.open !== undefined;
    cells.forEach(([written, stored], row) => {
      score.cells++;
      const found = place < 0 ? undefined : (rows[row]?.[place] ?? "");
      const isAside = aside.some((text) => text === `${at},${row}`);
      if (stored !== ask && found === (stored ?? "")) score.right++;
      else if (isDoubted || isAside || field === undefined) score.doubtful++;
      else {
        const wanted = stored === ask ? "a question" : JSON.stringify(stored);
        score.silent.push(
          `${sheet.file}, ${title}, ${JSON.stringify(written)}: ${JSON.stringify(found)}, not ${wanted}`,
        );
      }
    });
  });
  return score;
}

/** The cells that were set aside, as column and row of the table, both counted from 0. */
function setAside(folder: string, above: number): string[] {
  const place = join(folder, "data/set-aside");
  if (!existsSync(place)) return [];
  return readdirSync(place).flatMap((name) => {
    const { data } = Papa.parse<string[]>(readFileSync(join(place, name), "utf8").trim());
    return data.flatMap((row) => {
      const found = row.map((cell) => /^([A-Z])(\d+)$/.exec(cell)).find(Boolean);
      const column = (found?.[1] ?? "A").charCodeAt(0) - 65;
      return found ? [`${column},${Number(found[2]) - 2 - above}`] : [];
    });
  });
}

/** All scores as one. */
export function added(scores: readonly Score[]): Score {
  return scores.reduce((sum, each) => ({
    right: sum.right + each.right,
    doubtful: sum.doubtful + each.doubtful,
    silent: [...sum.silent, ...each.silent],
    mistyped: [...sum.mistyped, ...each.mistyped],
    foreign: [...sum.foreign, ...each.foreign],
    cells: sum.cells + each.cells,
    columns: sum.columns + each.columns,
  }));
}
