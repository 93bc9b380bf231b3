import { basename } from "node:path";
import { isDeepStrictEqual } from "node:util";
import { Failure } from "../../core/failure.ts";
import { type Addresses, plainAddresses, type Row } from "../../core/tabular/cells.ts";
import { headRows, type Merge } from "../../core/tabular/layout.ts";
import type { TextFormat } from "../../core/tabular/plan.ts";
import { KeptRows } from "./kept-rows.ts";
import { sniffFile } from "./sniff.ts";
import { keepStandardInput, type TemporaryFolder } from "./temporary.ts";
import { findTextFormat, type ReadStep, readTextRows } from "./text.ts";
import { type CellRemark, readSpooledRows, type SpooledSheet, spoolWorkbook } from "./workbook.ts";

/** A sheet of rows, which can be read from its beginning any number of times. */
export interface Sheet {
  /** The name of its file, without the folder; `-` for standard input. */
  file: string;
  /** Its name in a workbook. */
  sheet?: string;
  hidden: boolean;
  /** How it is written, for text. */
  text?: TextFormat;
  merges: Merge[];
  formulas: SpooledSheet["formulas"];
  /** Comments and links of its cells. */
  remarks: readonly CellRemark[];
  addresses: Addresses;
  /** The row by which its table has begun, where that may be later than usual. */
  lookUntil?: number;
  read(text?: TextFormat, onStrayQuotes?: (row: number) => void): Iterable<ReadStep>;
}

/** Opens files of any kind that is taken: each sheet in them is one. `-` is standard input. */
export async function openSheets(
  paths: readonly string[],
  folder: TemporaryFolder,
  /** Is told what is read, and about how many milliseconds it takes where that can be told. */
  working: (on: string, about?: number) => void,
): Promise<Sheet[]> {
  const sheets: Sheet[] = [];
  for (const path of paths) {
    const name = path === "-" ? "-" : basename(path);
    const known = path === "-" ? folder.newPath() : path;
    if (path === "-") await keepStandardInput(known);
    const on = `reading ${name === "-" ? "standard input" : name}`;
    working(on);
    const kind = sniffFile(known, name === "-" ? "standard input" : name);
    if (kind === "archive") {
      const book = await spoolWorkbook(known, name, folder, (about) => working(on, about));
      sheets.push(...workbookSheets(book, name, folder));
    } else sheets.push(textSheet(known, name, folder));
  }
  return sheets;
}

function workbookSheets(
  spooled: readonly SpooledSheet[],
  file: string,
  folder: TemporaryFolder,
): Sheet[] {
  const filled = spooled.filter(({ rows }) => rows > 0);
  if (filled.length === 0) throw new Failure("input", `${file} has no rows`);
  return filled.map((each) => {
    const kept = new KeptRows(folder, () => readSpooledRows(each));
    return {
      file,
      sheet: each.name,
      hidden: each.hidden,
      merges: each.merges,
      formulas: each.formulas,
      remarks: each.remarks,
      addresses: plainAddresses,
      read: () => kept.read(),
    };
  });
}

function textSheet(path: string, file: string, folder: TemporaryFolder): Sheet {
  const found = findTextFormat(path, file);
  const kept = new KeptRows(folder, (onStray) => readTextRows(path, file, found, onStray));
  return {
    file,
    hidden: false,
    text: found,
    merges: [],
    formulas: [],
    remarks: [],
    addresses: plainAddresses,
    read: (text = found, onStrayQuotes) =>
      isDeepStrictEqual(text, found)
        ? kept.read(onStrayQuotes)
        : readTextRows(path, file, text, onStrayQuotes),
  };
}

/** The first rows of a sheet, by which its table is found. */
export function headOf(sheet: Sheet, text?: TextFormat): Row[] {
  return firstRows(sheet, (sheet.lookUntil ?? 1) - 1 + headRows, text);
}

/** So many rows from the beginning of a sheet, or as many as it has. */
export function firstRows(sheet: Sheet, most: number, text?: TextFormat): Row[] {
  const found: Row[] = [];
  for (const { rows } of sheet.read(text)) {
    found.push(...rows.slice(0, most - found.length));
    if (found.length >= most) break;
  }
  return found;
}

/** A sheet's name in messages. */
export function sheetName({ file, sheet }: { file: string; sheet?: string }): string {
  const name = file === "-" ? "standard input" : file;
  return sheet === undefined ? name : `${name}, sheet ${sheet}`;
}
