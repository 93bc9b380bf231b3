import { Failure } from "../../core/failure.ts";
import {
  address,
  cellText,
  columnLetters,
  columnNumber,
  isEmpty,
  type Row,
} from "../../core/tabular/cells.ts";
import type { NotedCell, TextFormat } from "../../core/tabular/plan.ts";
import { type Area, isInside } from "../../core/tabular/shapes/areas.ts";
import { mostTurned, turned } from "../../core/tabular/shapes/turned.ts";
import { type Sheet, sheetName } from "./sheets.ts";
import type { ReadStep } from "./text.ts";

/** A sheet with nothing but the cells of an area, at their places. */
export function insideArea(sheet: Sheet, area: Area): Sheet {
  return {
    ...sheet,
    formulas: [],
    remarks: sheet.remarks.filter(({ cell }) => isAt(cell, area)),
    lookUntil: area.top,
    *read(text, onStrayQuotes) {
      for (const { first, share, rows } of sheet.read(text, onStrayQuotes)) {
        const inside = rows.map((row, at): Row => {
          const number = first + at;
          return row.map((cell, column) => (isInside(area, number, column) ? cell : null));
        });
        yield { first, share, rows: inside };
      }
    },
  };
}

function isAt(cell: string, area: Area): boolean {
  const [, letters = "", row] = /^([A-Z]+)(\d+)$/.exec(cell) ?? [];
  return isInside(area, Number(row), columnNumber(letters) ?? -1);
}

/** The cells of a sheet that are in none of some areas. */
export function* cellsOutside(
  sheet: Sheet,
  areas: readonly Area[],
  text?: TextFormat,
): Generator<NotedCell> {
  for (const { first, rows } of sheet.read(text)) {
    for (const [at, row] of rows.entries()) {
      for (const [column, cell] of row.entries()) {
        if (isEmpty(cell) || areas.some((area) => isInside(area, first + at, column))) continue;
        const reason = "beside the tables";
        yield { address: address(column, first + at), text: cellText(cell), reason };
      }
    }
  }
}

/** A sheet with its rows and columns exchanged, in which a record is a row; its first column is this row. */
export function turnedSheet(sheet: Sheet, top = 1): Sheet {
  return {
    ...sheet,
    merges: [],
    formulas: [],
    lookUntil: mostTurned,
    addresses: {
      cell: (column, row) => address(row - 1, column + top),
      row: (row) => `column ${columnLetters(row - 1)}`,
    },
    *read(text, onStrayQuotes): Iterable<ReadStep> {
      const rows: Row[] = [];
      let share = 1;
      for (const step of sheet.read(text, onStrayQuotes)) {
        rows.push(...step.rows);
        share = step.share;
        if (rows.length > mostTurned) throw tooLong(sheet);
      }
      const last = rows.findLastIndex((row) => row.some((cell) => !isEmpty(cell)));
      yield { first: 1, rows: turned(rows.slice(top - 1, last + 1)), share };
    },
  };
}

function tooLong(sheet: Sheet): Failure {
  return new Failure(
    "input",
    `${sheetName(sheet)} has more than ${mostTurned.toLocaleString("en")} rows, and can't be turned`,
    "take `turned` out of the plan: its records are rows",
  );
}
