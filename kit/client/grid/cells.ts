/** What is in a cell; with the numbers of the records that it names, where they were chosen. */
export interface Value {
  text: string;
  ids?: number[] | undefined;
}

/** How the cells of a column are typed. */
export interface Column {
  /** Blank where nothing is typed into it. */
  field: string;
  entry: string;
  choices: string[];
}

/** The cells of a grid by their places, and what is in them. */
export class Cells {
  readonly columns: readonly Column[];
  readonly body: HTMLTableSectionElement;
  readonly #template: HTMLTemplateElement | null;

  constructor(
    readonly table: HTMLTableElement,
    template: HTMLTemplateElement | null,
  ) {
    const body = table.tBodies[0];
    const head = table.tHead?.rows[0];
    if (!body || !head) throw new Error("A grid is a table with a head and a body.");
    this.body = body;
    this.#template = template;
    this.columns = [...head.cells].slice(1).map(({ dataset }) => ({
      field: dataset.field ?? "",
      entry: dataset.entry ?? "",
      choices: JSON.parse(dataset.choices ?? "[]") as string[],
    }));
    // Without scripts it is a table to read.
    table.setAttribute("role", "grid");
    table.setAttribute("aria-multiselectable", "true");
    for (const row of body.rows) makeReachable(row);
    this.addNewRow();
  }

  get height(): number {
    return this.body.rows.length;
  }

  get width(): number {
    return this.columns.length;
  }

  at(row: number, column: number): HTMLTableCellElement | undefined {
    return this.body.rows[row]?.cells[column + 1];
  }

  /** The place of a cell. */
  placeOf(cell: HTMLTableCellElement): { row: number; column: number } {
    return { row: rowOf(cell).sectionRowIndex, column: cell.cellIndex - 1 };
  }

  columnOf(cell: HTMLTableCellElement): Column | undefined {
    return this.columns[cell.cellIndex - 1];
  }

  /** The cell of a field in a row. */
  ofField(row: HTMLTableRowElement, field: string): HTMLTableCellElement | undefined {
    const at = this.columns.findIndex((column) => column.field === field);
    return at < 0 ? undefined : row.cells[at + 1];
  }

  /** Another row to type a new record in, at the end; undefined where none can be added. */
  addNewRow(): HTMLTableRowElement | undefined {
    const made = this.#template?.content.querySelector("tr")?.cloneNode(true);
    if (!(made instanceof HTMLTableRowElement)) return undefined;
    makeReachable(made);
    this.body.append(made);
    return made;
  }
}

function makeReachable(row: HTMLTableRowElement): void {
  for (const cell of [...row.cells].slice(1)) {
    cell.tabIndex = -1;
    if (isFixed(cell)) cell.setAttribute("aria-readonly", "true");
  }
}

export function rowOf(cell: HTMLTableCellElement): HTMLTableRowElement {
  return cell.parentElement as HTMLTableRowElement;
}

export function isFixed(cell: HTMLTableCellElement): boolean {
  return cell.dataset.text === undefined;
}

/** What is in a cell; of one that can't be typed into, what it shows. */
export function cellValue(cell: HTMLTableCellElement): Value {
  const { text, ids } = cell.dataset;
  if (text === undefined) return { text: cell.innerText.trim() };
  return { text, ...(ids !== undefined && { ids: JSON.parse(ids) as number[] }) };
}

export function setValue(cell: HTMLTableCellElement, { text, ids }: Value): void {
  cell.dataset.text = text;
  if (ids) cell.dataset.ids = JSON.stringify(ids);
  else delete cell.dataset.ids;
  cell.textContent = text;
}

export function isSame(one: Value, other: Value): boolean {
  return one.text === other.text && JSON.stringify(one.ids) === JSON.stringify(other.ids);
}
