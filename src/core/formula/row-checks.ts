import {
  type Calculation,
  looksAtMe,
  looksAtOthers,
  namedFields,
} from "../../../kit/formula/calculation.ts";
import { parseFormula } from "../../../kit/formula/parse.ts";
import { printFormula } from "../../../kit/formula/print.ts";
import { depthOf } from "../../../kit/formula/sql.ts";
import {
  type DatabaseKind,
  databases,
  type Entity,
  isComputed,
  type Model,
  type RowCheck,
} from "../model/model.ts";
import { tableOf } from "../schema/from-model.ts";
import { type HeldRule, rulesOf } from "./rules.ts";
import { formulaOf } from "./scope.ts";
import { formulaSql } from "./sql.ts";

/**
 * The model with the checks that its tables can obey by themselves: of its rules, as far as these look at one
 * row. `without` names those that wait, such as `hive.rule_removed`.
 */
export function withChecks(model: Model, without: ReadonlySet<string> = new Set()): Model {
  const entities = model.entities.map((entity): Entity => {
    const checks: RowCheck[] = [];
    for (const rule of rulesOf(entity)) {
      const check = checkOf(model, entity, rule);
      if (!check || checks.some(({ holds }) => holds === check.holds)) continue;
      const alike = checks.filter(({ name }) => name.replace(/_\d+$/, "") === check.name).length;
      checks.push({ ...check, name: alike > 0 ? `${check.name}_${alike + 1}` : check.name });
    }
    const { checks: _, ...rest } = entity;
    const taken = checks.filter(({ name }) => !without.has(`${tableOf(entity.name)}.${name}`));
    return { ...rest, ...(taken.length > 0 && { checks: taken }) };
  });
  return { ...model, entities };
}

/** The name of the check that holds rows to a rule; undefined where there is none. */
export function checkName(entity: Entity, rule: HeldRule): string | undefined {
  const told = toldRule(rule);
  return entity.checks?.find(({ holds }) => holds === told || holds.startsWith(`${told}; `))?.name;
}

function toldRule({ told, formula }: HeldRule): string {
  if (told !== undefined) return told;
  const parsed = parseFormula(formula);
  return "complaint" in parsed ? formula : printFormula(parsed.expression).replace(/^= /, "");
}

/** The longest name of a check, so that every database takes it. */
const longestName = 50;

/** A rule as a check of its table; undefined where it looks at more than a row, or no database can express it. */
function checkOf(model: Model, entity: Entity, rule: HeldRule): RowCheck | undefined {
  const found = formulaOf(model, entity, rule.formula);
  if ("complaint" in found) return undefined;
  const { calculation } = found;
  const columns = [...new Set(namedFields(calculation))];
  const isFixed =
    !looksAtOthers(calculation) && !looksAtMe(calculation) && !looksAtTime(calculation);
  if (!isFixed || columns.length === 0) return undefined;
  // What it says through a computed field changes with that.
  const through = entity.fields
    .filter(isComputed)
    .filter(({ name }) => namesOf(rule.formula).has(name))
    .map(({ name, type }) => `${name} ${type.formula}`);
  const entries = databases.flatMap((database) => {
    const sql = checkSql(calculation, database);
    return sql === undefined ? [] : [[database, sql] as const];
  });
  if (entries.length === 0) return undefined;
  return {
    name: `rule_${columns.join("_")}`.slice(0, longestName),
    holds: [toldRule(rule), ...through].join("; "),
    columns,
    sql: Object.fromEntries(entries),
  };
}

function namesOf(formula: string): Set<string> {
  return new Set(formula.match(/[\p{L}_][\p{L}\p{N}\p{M}_]*/gu));
}

/** How deep a check may be: SQLite's parser ends at 100. */
const deepest = 60;

function looksAtTime(calculation: Calculation): boolean {
  return calculation.kind === "operation"
    ? calculation.given.some(looksAtTime)
    : calculation.kind === "today" || calculation.kind === "now";
}

/** A condition as a check; undefined where the database would have to look into another table for it, be it of letters. */
function checkSql(calculation: Calculation, database: DatabaseKind): string | undefined {
  const sql = formulaSql(calculation, database, { row: "", today: "", now: "", single: true });
  if (depthOf(sql) > deepest) return undefined;
  const plain = sql.replace(/'(?:[^']|'')*'/g, "''");
  return /\(select\b|\(with\b|__order"/.test(plain) ? undefined : sql;
}
