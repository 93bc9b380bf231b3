import type { Index, Schema, Table } from "../schema/schema.ts";

/** Something in a schema that exceeds a limit of the database. */
export interface Limit {
  table: string;
  /** The column that it is about; undefined for the whole table. */
  column?: string;
  message: string;
  help: string;
}

/** The limits of a database. */
export interface Limits {
  /** Its name in messages. */
  name: string;
  columns: number;
  indexes: number;
  /** The length of a name, in the unit by which it counts. */
  names?: { longest: number; unit: "bytes" | "characters"; measure(name: string): number };
  /** Whether it has no index of parts of words. */
  noWords?: true;
  /** Why an index can't be made; undefined where it can. */
  index?(table: Table, index: Index): string | undefined;
  /** Why the rows of a table would be too long; undefined where they wouldn't. */
  rows?(table: Table): { message: string; help: string } | undefined;
}

/** Whether a database limits nothing but how many columns a table has: then a small model needs no look at its schema. */
export function countsOnly({ columns: _, name: __, indexes, ...others }: Limits): boolean {
  return indexes === Number.POSITIVE_INFINITY && Object.keys(others).length === 0;
}

/** What of a schema a database can't have: said before anything is made. */
export function limitsOf(limits: Limits, { tables }: Schema): Limit[] {
  return tables.flatMap((table) => [
    ...nameLimits(limits, table),
    ...sizeLimits(limits, table),
    ...table.indexes.flatMap((index): Limit[] => {
      if (index.words) return wordLimits(limits, table);
      const message = limits.index?.(table, index);
      const [column = ""] = index.columns;
      const help = "give it a shorter range, or don't let it be unique";
      return message ? [{ table: table.name, column, message, help }] : [];
    }),
  ]);
}

function wordLimits({ name, noWords }: Limits, table: Table): Limit[] {
  if (!noWords) return [];
  const message = `${name} has no index of parts of words, which \`search: indexed\` asks for`;
  return [
    {
      table: table.name,
      message,
      help: "leave `search` out: lists are searched without it, row by row",
    },
  ];
}

function nameLimits({ name: database, names }: Limits, { name, columns }: Table): Limit[] {
  if (!names) return [];
  const { longest, unit, measure } = names;
  const tooLong = (what: string, text: string) =>
    `${what} \`${text}\` has ${measure(text)} ${unit}, and ${database} takes ${longest}`;
  const help = "give it a shorter name; `label` can say the whole";
  return [
    ...(measure(name) > longest
      ? [{ table: name, message: tooLong("the name of the table", name), help }]
      : []),
    ...columns
      .filter((column) => measure(column.name) > longest)
      .map((column) => ({
        table: name,
        column: column.name,
        message: tooLong("the name of the column", column.name),
        help,
      })),
  ];
}

function sizeLimits(limits: Limits, table: Table): Limit[] {
  const count = (what: string, there: number, most: number): Limit[] =>
    there <= most
      ? []
      : [
          {
            table: table.name,
            message: `the table ${table.name} has ${there} ${what}, and ${limits.name} takes ${most}`,
            help: "split the entity into two, with a reference between them",
          },
        ];
  const long = limits.rows?.(table);
  return [
    ...count("columns", table.columns.length, limits.columns),
    ...count("indexes", table.indexes.length + 1, limits.indexes),
    ...(long ? [{ table: table.name, ...long }] : []),
  ];
}
