import { readModel } from "../../src/core/model/read.ts";
import { Blanks, blankSpellings, type Cell, plainAddresses } from "../../src/core/tabular/cells.ts";
import type { Spill } from "../../src/core/tabular/distinct.ts";
import type { ProfiledSheet } from "../../src/core/tabular/draft.ts";
import { findLayout, type Merge } from "../../src/core/tabular/layout.ts";
import { planModel } from "../../src/core/tabular/plan-model.ts";
import { SheetProfiler } from "../../src/core/tabular/profile.ts";
import { proposePlan } from "../../src/core/tabular/proposal.ts";

/** Evidence that grows, kept in memory for once. */
export function spillInMemory(): Spill {
  const parts: Uint8Array[] = [];
  return {
    append: (bytes) => parts.push(bytes.slice()),
    *read(size) {
      const all = Buffer.concat(parts);
      for (let at = 0; at < all.length; at += size) yield all.subarray(at, at + size);
    },
  };
}

/** A sheet of these rows, looked at as an import does. */
export function profiled(sheet: string, rows: Cell[][], merges: Merge[] = []): ProfiledSheet {
  const layout = findLayout(rows.slice(0, 60), merges);
  if (!layout) throw new Error("no table");
  const profiler = new SheetProfiler(layout, { blanks: new Blanks(blankSpellings) }, spillInMemory);
  profiler.take({ first: 1, rows });
  return {
    file: "book.xlsx",
    sheet,
    above: [],
    profile: profiler.finish(),
    addresses: plainAddresses,
    shape: { plan: {}, why: [], leave: [] },
  };
}

const app = { name: "Bees", language: "en", currency: "EUR", timezone: "UTC" };

/** What is proposed for sheets, by their names, and the model that comes of it. */
export function proposed(sheets: Record<string, Cell[][]>) {
  const looked = Object.entries(sheets).map(([name, rows]) => profiled(name, rows));
  const { plan, notes } = proposePlan(looked, { app, today: "2026-05-03" });
  const planned = planModel(plan);
  const fields = Object.fromEntries(
    plan.sheets.flatMap(({ entity, fields: each }) =>
      each.map(({ name, is }) => [`${entity}.${name}`, is]),
    ),
  );
  return { plan, notes, planned, fields, model: readModel(planned.text).model };
}

/** A sheet of one column below a header. */
export function column(header: string, values: readonly Cell[]): Cell[][] {
  return [[header], ...values.map((value) => [value])];
}
