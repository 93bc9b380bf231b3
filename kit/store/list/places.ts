import { type RawBuilder, type SqlBool, sql } from "kysely";
import { orderValue } from "../../database/current-dialect.ts";
import type { Term } from "./order.ts";

/** Some rows in their order, from which rows are taken: a statement without its limits. */
export interface Source {
  /** The tables, after `from`. */
  from: RawBuilder<unknown>;
  /** What joins them, and what makes their rows belong here. */
  joined: readonly RawBuilder<SqlBool>[];
  /** What rows are ordered by, the last of which is different for each. */
  terms: readonly OrderedTerm[];
}

/** A column of an order; a nullable one may have no value. */
export interface OrderedTerm extends Term {
  nullable: boolean;
}

/**
 * The conditions of the rows that come behind one of them, in parts that follow one another, so that the database goes
 * through an index from there on. `blanks` says in which columns that row has nothing.
 */
export function behind(
  source: Source,
  row: RawBuilder<SqlBool>,
  blanks: readonly boolean[],
): RawBuilder<SqlBool>[] {
  const [first, ...more] = source.terms;
  if (!first) return [];
  const value = orderValue(first.column, first.text);
  const anchor = anchorOf(source, first, row);
  const rest = more.length > 0 ? beyond(source, more, row, blanks.slice(1)) : nothing;
  if (blanks[0]) {
    const same = sql<SqlBool>`${value} is null and ${rest}`;
    // Rows without a value are the first of an ascending order, and the last of a descending one.
    return first.descending ? [same] : [same, sql<SqlBool>`${value} is not null`];
  }
  const sign = sql.raw(first.descending ? "<" : ">");
  const following = sql<SqlBool>`${value} ${sign}= ${anchor} and (${value} ${sign} ${anchor} or ${rest})`;
  const isLast = more.length === 0;
  const found = isLast ? sql<SqlBool>`${value} ${sign} ${anchor}` : following;
  return first.descending && first.nullable ? [found, sql<SqlBool>`${value} is null`] : [found];
}

const nothing = sql<SqlBool>`1 = 0`;

/** What a row has in a column, in SQL. */
function anchorOf(
  { from, joined }: Source,
  { column, text }: Term,
  row: RawBuilder<SqlBool>,
): RawBuilder<unknown> {
  return sql`(select ${orderValue(column, text)} from ${from} where ${sql.join([...joined, row], sql` and `)})`;
}

/** That a row comes behind another one by some columns, of which the earlier ones are the same. */
function beyond(
  source: Source,
  [term, ...more]: readonly OrderedTerm[],
  row: RawBuilder<SqlBool>,
  [isBlank, ...blanks]: readonly boolean[],
): RawBuilder<SqlBool> {
  if (!term) return nothing;
  const value = orderValue(term.column, term.text);
  const anchor = anchorOf(source, term, row);
  const rest = more.length > 0 ? beyond(source, more, row, blanks) : undefined;
  if (isBlank) {
    const same = rest && sql<SqlBool>`(${value} is null and ${rest})`;
    if (term.descending) return same ?? nothing;
    return same
      ? sql<SqlBool>`(${value} is not null or ${same})`
      : sql<SqlBool>`${value} is not null`;
  }
  const parts = [
    sql<SqlBool>`${value} ${sql.raw(term.descending ? "<" : ">")} ${anchor}`,
    ...(term.descending && term.nullable ? [sql<SqlBool>`${value} is null`] : []),
    ...(rest ? [sql<SqlBool>`(${value} = ${anchor} and ${rest})`] : []),
  ];
  return parts.length === 1 ? (parts[0] ?? nothing) : sql<SqlBool>`(${sql.join(parts, sql` or `)})`;
}
