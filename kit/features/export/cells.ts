import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences, type Row } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import type { Link } from "../../entity/links.ts";
import type { Field } from "../../fields/field.ts";
import { fileNames, isFiles } from "../../fields/files.tsx";
import { typeOf } from "../../fields/types.ts";
import { durationText } from "../../formula/durations.ts";
import { toLocal } from "../../formula/zones.ts";
import { betweenTitles } from "../../store/cell-texts.ts";
import { type Columns, labelOfShown, type OwnColumn, shownColumns } from "../../ui/columns.ts";
import { labelOfColumn } from "../../ui/value.tsx";

/** What is in a cell of an exported table. A moment is by the clock on the person's wall: `2026-05-03T09:30`. */
export type Cell = string | number | null | { day: string } | { moment: string };

/** A column of an exported table. */
export interface ExportColumn {
  label: string;
  numeric: boolean;
  /** Whether its numbers are amounts of money. */
  isMoney: boolean;
  /** The only field that it reads; undefined where it may read any. */
  reads?: string;
  cell(row: Row): Cell;
}

/** The columns of a list that the person sees, for tables in files. */
export function exportColumns<Known extends Entity>(
  scope: Scope,
  entity: Known,
  columns: Columns<Known>,
): ExportColumn[] {
  const known = entity as unknown as Entity;
  const made = shownColumns(scope, entity, columns).map((column) =>
    typeof column === "string"
      ? fieldColumn(scope, known, column)
      : ownColumn(scope, known, column),
  );
  if (made.length > 0) return made;
  const { heading } = scope.namesOf(known);
  return [{ label: heading, numeric: false, isMoney: false, cell: (row) => row.displayTitle }];
}

function fieldColumn(scope: Scope, entity: Entity, name: string): ExportColumn {
  const field = entity.fields[name];
  const label = labelOfColumn(scope, entity, name);
  return {
    label: field?.unit ? `${label} (${labelIn(field.unit, scope.language)})` : label,
    numeric: field ? typeOf(field).numeric : name === "id" || name === "version",
    isMoney: field?.kind === "money",
    reads: name,
    cell: field
      ? (row) => fieldCell(scope, row, name, field)
      : (row) => plainCell(scope, row[name]),
  };
}

/** A column that a page makes by itself: the text of what it shows. */
function ownColumn(scope: Scope, entity: Entity, column: OwnColumn<Row>): ExportColumn {
  const label = labelOfShown(scope, entity, column);
  const cell = (row: Row) => withoutTags(String(column.cell(row, scope) ?? ""));
  return { label, numeric: false, isMoney: false, cell };
}

function withoutTags(html: string): string {
  const signs: Readonly<Record<string, string>> = {
    lt: "<",
    gt: ">",
    quot: '"',
    "#39": "'",
    amp: "&",
  };
  return html
    .replace(/<[^>]*>/g, "")
    .replace(/&(lt|gt|quot|#39|amp);/g, (sign, name: string) => signs[name] ?? sign);
}

/** A moment that every record has, or a number. */
function plainCell({ timezone }: Scope, value: unknown): Cell {
  if (typeof value === "number") return value;
  return { moment: toLocal(timezone, String(value)) };
}

function fieldCell(scope: Scope, row: Row, name: string, field: Field): Cell {
  if (isReference(field)) {
    const link = row[name.replace(/_id$/, "")] as Link | null | undefined;
    return link?.displayTitle ?? null;
  }
  const value = row[name];
  if (value === null || value === undefined) return null;
  if (isReferences(field))
    return (value as Link[]).map(({ displayTitle }) => displayTitle).join(betweenTitles);
  if (field.choices) return labelIn(field.choices[String(value)] ?? String(value), scope.language);
  if (isFiles(field)) return fileNames(value);
  if (field.kind === "boolean") return scope.format.boolean(Boolean(value));
  if (field.kind === "duration") return durationText(Number(value));
  if (field.kind === "date") return { day: String(value) };
  if (field.kind === "datetime") return { moment: toLocal(scope.timezone, String(value)) };
  return typeOf(field).numeric ? Number(value) : String(value);
}

/** A cell as text; dates and moments as standards write them. */
export function cellText(cell: Cell): string {
  if (cell === null) return "";
  if (typeof cell === "object") {
    return "day" in cell ? cell.day : cell.moment.replace("T", " ");
  }
  return typeof cell === "number" ? String(cell) : harmless(cell);
}

/** A text that no program for spreadsheets takes for a formula. */
export function harmless(text: string): string {
  return /^[\s]*[=+\-@\t\r]/.test(text) ? `'${text}` : text;
}
