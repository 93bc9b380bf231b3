import {
  ColumnUpdateNode,
  type InsertQueryNode,
  type KyselyPlugin,
  type OperationNode,
  PrimitiveValueListNode,
  type RootOperationNode,
  type UpdateQueryNode,
  ValueListNode,
  ValueNode,
  ValuesNode,
} from "kysely";

/** The columns that hold moments, by table. */
export type Moments = Readonly<Record<string, readonly string[]>>;

/** What every record has. */
const stamps: readonly string[] = ["created_at", "updated_at"];

/** Writes moments as the server takes them: it refuses `2026-05-03T07:00:00Z`. */
export class MomentsPlugin implements KyselyPlugin {
  constructor(readonly moments: Moments = {}) {}

  transformQuery({ node }: { node: RootOperationNode }): RootOperationNode {
    if (node.kind === "InsertQueryNode") return this.#inserted(node);
    return node.kind === "UpdateQueryNode" ? this.#updated(node) : node;
  }

  async transformResult<Result>({ result }: { result: Result }): Promise<Result> {
    return result;
  }

  #columns(table: OperationNode | undefined): ReadonlySet<string> {
    const name = table?.kind === "TableNode" ? tableName(table) : "";
    return new Set([...stamps, ...(this.moments[name] ?? [])]);
  }

  #inserted(node: InsertQueryNode): InsertQueryNode {
    const { columns, values } = node;
    if (!columns || values?.kind !== "ValuesNode") return node;
    const known = this.#columns(node.into);
    const held = columns.map(({ column }) => known.has(column.name));
    const rows = (values as ValuesNode).values.map((row) =>
      row.kind === "PrimitiveValueListNode"
        ? PrimitiveValueListNode.create(
            row.values.map((value, at) => (held[at] ? written(value) : value)),
          )
        : ValueListNode.create(row.values.map((value, at) => (held[at] ? inNode(value) : value))),
    );
    return { ...node, values: ValuesNode.create(rows) };
  }

  #updated(node: UpdateQueryNode): UpdateQueryNode {
    const known = this.#columns(node.table);
    const updates = node.updates?.map((update) => {
      const { column, value } = update;
      const name = column.kind === "ColumnNode" ? columnName(column) : "";
      return known.has(name) ? ColumnUpdateNode.create(column, inNode(value)) : update;
    });
    return { ...node, ...(updates && { updates }) };
  }
}

function tableName(node: OperationNode): string {
  return (node as unknown as { table: { identifier: { name: string } } }).table.identifier.name;
}

function columnName(node: OperationNode): string {
  return (node as unknown as { column: { name: string } }).column.name;
}

function inNode(node: OperationNode): OperationNode {
  return node.kind === "ValueNode" ? ValueNode.create(written((node as ValueNode).value)) : node;
}

/** A moment as the server takes it. */
export function written(moment: unknown): unknown {
  const found = typeof moment === "string" && /^(\d{4}-\d\d-\d\d)T(\d\d:\d\d:\d\d)Z$/.exec(moment);
  return found ? `${found[1]} ${found[2]}` : moment;
}
