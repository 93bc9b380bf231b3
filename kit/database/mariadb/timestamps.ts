import {
  ColumnNode,
  ColumnUpdateNode,
  type InsertQueryNode,
  type KyselyPlugin,
  type OperationNode,
  PrimitiveValueListNode,
  type RootOperationNode,
  TableNode,
  type UpdateQueryNode,
  ValueListNode,
  ValueNode,
  ValuesNode,
} from "kysely";

/** The columns that hold moments, by table. */
export type TimestampColumns = Readonly<Record<string, readonly string[]>>;

/** What every record has. */
const stamps: readonly string[] = ["created_at", "updated_at"];

/** Writes moments as the server takes them: it refuses `2026-05-03T07:00:00Z`. */
export class TimestampsPlugin implements KyselyPlugin {
  constructor(readonly moments: TimestampColumns = {}) {}

  transformQuery({ node }: { node: RootOperationNode }): RootOperationNode {
    if (node.kind === "InsertQueryNode") return this.#inserted(node);
    return node.kind === "UpdateQueryNode" ? this.#updated(node) : node;
  }

  async transformResult<Result>({ result }: { result: Result }): Promise<Result> {
    return result;
  }

  #columns(table: OperationNode | undefined): ReadonlySet<string> {
    const name = table && TableNode.is(table) ? table.table.identifier.name : "";
    return new Set([...stamps, ...(this.moments[name] ?? [])]);
  }

  #inserted(node: InsertQueryNode): InsertQueryNode {
    const { columns, values } = node;
    if (!columns || !values || !ValuesNode.is(values)) return node;
    const known = this.#columns(node.into);
    const held = columns.map(({ column }) => known.has(column.name));
    const rows = values.values.map((row) =>
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
      const name = ColumnNode.is(column) ? column.column.name : "";
      return known.has(name) ? ColumnUpdateNode.create(column, inNode(value)) : update;
    });
    return { ...node, ...(updates && { updates }) };
  }
}

function inNode(node: OperationNode): OperationNode {
  return ValueNode.is(node) ? ValueNode.create(written(node.value)) : node;
}

/** A moment as the server takes it. */
export function written(moment: unknown): unknown {
  const found = typeof moment === "string" && /^(\d{4}-\d\d-\d\d)T(\d\d:\d\d:\d\d)Z$/.exec(moment);
  return found ? `${found[1]} ${found[2]}` : moment;
}
