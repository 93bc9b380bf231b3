import type { Child } from "hono/jsx";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences, type Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import type { Typed } from "../../entity/typed.ts";
import { choiceLabel } from "../../fields/choice.tsx";
import type { Field } from "../../fields/field.ts";
import { isFiles } from "../../fields/files.tsx";
import { typeOf } from "../../fields/types.ts";
import { cellText } from "../../store/cell-texts.ts";
import { type Columns, labelOfShown, shownColumns } from "../../ui/columns.ts";
import { shownValue } from "../../ui/value.tsx";

/** A column of a grid. */
export interface GridColumn {
  /** The field that is typed into it; undefined where it is only shown. */
  name: string | undefined;
  field: Field | undefined;
  label: string;
  numeric: boolean;
  /** What it shows where nothing is typed into it. */
  cell(row: Row, scope: Scope): Child;
}

/** The columns of a list as a grid has them; those that the person may never change are only shown. */
export function gridColumns<Known extends Entity>(
  scope: Scope,
  known: Known,
  columns: Columns<Known>,
): GridColumn[] {
  const entity = known as unknown as Entity;
  const withheld = scope.withheld("change", entity);
  return shownColumns(scope, known, columns).map((column): GridColumn => {
    const own = typeof column === "string" ? undefined : column;
    const name = typeof column === "string" ? column : column.field;
    const field = name === undefined ? undefined : entity.fields[name];
    const isKept = name !== undefined && withheld.has(name) && withheld.get(name) === undefined;
    const isUnseen =
      field &&
      (isReference(field) || isReferences(field)) &&
      !scope.may("see", scope.entities.named(field.to));
    const isTyped =
      !own &&
      field &&
      !isFiles(field) &&
      Object.hasOwn(entity.inputs, name ?? "") &&
      !isKept &&
      !isUnseen;
    return {
      name: isTyped ? name : undefined,
      field,
      label: labelOfShown(scope, entity, column),
      numeric: field ? typeOf(field).numeric : false,
      cell: own?.cell ?? ((row, scope) => shownValue(scope, row, name ?? "", field)),
    };
  });
}

/** How a field is typed into a cell. */
function entryOf(field: Field): "line" | "lines" | "choice" | "record" | "records" {
  if (isReference(field)) return "record";
  if (isReferences(field)) return "records";
  if (field.choices || field.kind === "boolean") return "choice";
  return field.kind === "long text" ? "lines" : "line";
}

export function GridHeadings({
  scope,
  entity,
  columns,
}: {
  scope: Scope;
  entity: Entity;
  columns: readonly GridColumn[];
}) {
  return (
    <thead>
      <tr>
        <th scope="col">{scope.namesOf(entity).heading}</th>
        {columns.map(({ name, field, label, numeric }) => (
          <th
            scope="col"
            class={numeric ? "text-end" : undefined}
            data-field={name}
            data-entry={name && field && entryOf(field)}
            data-choices={name && field && choicesOf(scope, field)}
          >
            {label}
            {name && field?.required && (
              <span class="required" aria-hidden="true">
                {" *"}
              </span>
            )}
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** The labels of what can be chosen in a column. */
function choicesOf(scope: Scope, field: Field): string | undefined {
  const { messages, language } = scope;
  if (field.kind === "boolean") return JSON.stringify([messages.yes, messages.no]);
  const values = Object.keys(field.choices ?? {});
  if (values.length === 0) return undefined;
  return JSON.stringify(values.map((value) => choiceLabel(field, value, language)));
}

/** A record as a row of the grid. */
export function GridRow({
  scope,
  columns,
  row,
  isFixed = false,
}: {
  scope: Scope;
  columns: readonly GridColumn[];
  row: Row;
  /** Whether the person may not change it. */
  isFixed?: boolean;
}) {
  return (
    <tr data-id={row.id} data-version={row.version}>
      <th scope="row">
        <a href={address(row)} tabindex={-1}>
          {row.displayTitle}
        </a>
      </th>
      {columns.map((column) => {
        const { name, field } = column;
        const isTyped = name !== undefined && field !== undefined && !isFixed;
        return isTyped ? (
          <TypedCell column={column} text={cellText(scope, row, name, field)} />
        ) : (
          <td class={column.numeric ? "text-end" : undefined} data-fixed>
            {column.cell(row, scope)}
          </td>
        );
      })}
    </tr>
  );
}

function TypedCell({ column, text }: { column: GridColumn; text: string }) {
  return (
    <td class={column.numeric ? "text-end" : undefined} data-text={text}>
      {text}
    </td>
  );
}

/** The row in which a new record is typed. */
export function NewRow({
  scope,
  columns,
  starts,
}: {
  scope: Scope;
  columns: readonly GridColumn[];
  starts: Typed;
}) {
  return (
    <tr data-new>
      <th scope="row">{scope.messages.newShort}</th>
      {columns.map((column) =>
        column.name !== undefined && column.field ? (
          <TypedCell
            column={column}
            text={startText(scope, column.field, starts.get(column.name))}
          />
        ) : (
          <td data-fixed />
        ),
      )}
    </tr>
  );
}

/** What a cell of a new row starts with; references are filled in when it is saved. */
function startText(scope: Scope, field: Field, typed: readonly string[] = []): string {
  if (isReference(field) || isReferences(field)) return "";
  const [text = ""] = typed;
  if (field.kind === "boolean") return scope.format.boolean(text === "yes");
  return field.choices && text ? choiceLabel(field, text, scope.language) : text;
}
