import { printName } from "../../../kit/formula/print.ts";
import {
  type Entity,
  entityNamed,
  type Field,
  isMany,
  isReference,
  type Model,
  namedViews,
} from "../model/model.ts";
import { queryText } from "../model/query-text.ts";
import { columnOf, tableOf } from "../schema/from-model.ts";
import { labelCode } from "./labels.ts";
import { Module, object, quote } from "./module.ts";

/** A part of the start page: a list as its address has it. */
interface TileCode {
  of: Entity;
  query: string;
  name?: string;
  groups?: readonly string[];
}

/** `dashboard.ts`: what the start page shows. */
export function dashboardModule(model: Model): string {
  const module = new Module();
  const tiles = model.dashboard ? chosenTiles(model) : suggestedTiles(model);
  const filter = commonTarget(
    model,
    tiles.map(({ of }) => of),
  );
  const code = tiles.map(({ of, name, query, groups }) =>
    object([
      ["of", quote(tableOf(of.name))],
      ...(name === undefined ? [] : [["name", name] as const]),
      ["query", quote(query)],
      ...(groups ? [["for", JSON.stringify(groups)] as const] : []),
    ]),
  );
  module.add(
    `export const dashboard: ${module.type("Dashboard", "./kit/features/dashboard/tile.ts")} = ${object(
      [
        ["tiles", `[${code.join(",\n")}]`],
        ...(filter ? [["filter", quote(tableOf(filter.name))] as const] : []),
      ],
    )};`,
    `What the start page shows: reports and lists, each with what stands behind the \`?\` of its address.
\`filter\` is the table of the records by which all of it can be filtered.`,
  );
  return module.print();
}

function chosenTiles(model: Model): TileCode[] {
  return (model.dashboard ?? []).flatMap(({ entity, view }) => {
    const of = entityNamed(model, entity);
    const found = namedViews(of).find(({ name }) => name === view);
    if (!found) return [];
    const { names: labels, query, groups } = found;
    return [{ of, name: labelCode({ label: view, labels }), query, ...(groups && { groups }) }];
  });
}

/** How many of each kind of tile are suggested. */
const most = { trends: 3, rings: 2, lists: 2, own: 2 };

/** What the fields of the entities suggest: how much happens, what is one's own, where and in which states things are, what is late, and what was last. */
function suggestedTiles(model: Model): TileCode[] {
  const events = model.entities.filter(isEvent).toSorted((one, other) => {
    const [left, right] = [amountOf(one), amountOf(other)];
    return Number(right !== undefined) - Number(left !== undefined);
  });
  const trends = events.slice(0, most.trends).map(
    (of): TileCode => ({
      of,
      query: report(of, { by: `${dayOf(of)}:month`, drawn: "trend" }),
    }),
  );
  const [first] = events;
  const stack = first && stateOf(first);
  const months: TileCode[] = first
    ? [
        {
          of: first,
          query: report(first, {
            by: `${dayOf(first)}:month`,
            ...(stack && { across: nameOf(stack) }),
            drawn: "columns",
          }),
        },
      ]
    : [];
  const origin = first && originOf(model, first);
  const origins: TileCode[] =
    first && origin
      ? [
          {
            of: first,
            query: report(first, { by: origin, order: "-1", first: "8", drawn: "bars" }),
          },
        ]
      : [];
  const states = model.entities
    .flatMap((of) => {
      const field = stateOf(of);
      return field ? [{ of, field }] : [];
    })
    .toSorted((one, other) => Number(isMain(other)) - Number(isMain(one)))
    .slice(0, most.rings)
    .map(({ of, field }): TileCode => {
      const query = new URLSearchParams({ layout: "report", by: nameOf(field), drawn: "ring" });
      return { of, query: queryText(query) };
    });
  const own = model.entities
    .filter((each) => !isEvent(each) && each.name !== model.users?.record)
    .flatMap((of): TileCode[] => {
      const field = ownedBy(model, of);
      if (!field) return [];
      const due = dueOf(of);
      const query = new URLSearchParams([
        [columnOf(field), "me"],
        ...openOnes(of),
        ...(due ? [["sort", columnOf(due)]] : []),
      ]);
      return [{ of, query: queryText(query) }];
    });
  const late = model.entities.flatMap((of): TileCode[] => {
    const field = dueOf(of);
    if (!field) return [];
    const query = new URLSearchParams([
      [columnOf(field), "past"],
      ...openOnes(of),
      ["sort", columnOf(field)],
    ]);
    return [{ of, query: queryText(query) }];
  });
  const last = events
    .slice(0, most.lists)
    .map(
      (of): TileCode => ({ of, query: queryText(new URLSearchParams({ sort: `-${dayOf(of)}` })) }),
    );
  const lists = [...late.slice(0, most.lists), ...last];
  return [...trends, ...own.slice(0, most.own), ...months, ...origins, ...states, ...lists];
}

/** The field that says whose a record is, where people are records themselves. */
function ownedBy({ users }: Model, { fields }: Entity): Field | undefined {
  return fields.find(
    (field) => (isReference(field) || isMany(field)) && field.type.entity === users?.record,
  );
}

/** The filters for the records that aren't done, where an entity says when they are. */
function openOnes({ fields }: Entity): [string, string][] {
  return fields
    .filter(({ name, type }) => doneNames.test(name) && isStored(type.kind))
    .map((each) =>
      each.type.kind === "boolean" ? [columnOf(each), "no"] : [`${columnOf(each)}.blank`, "yes"],
    );
}

/** A report of the last year: of the amount of an entity, or of the number of its records. */
function report(of: Entity, more: Readonly<Record<string, string>>): string {
  const amount = amountOf(of);
  const { by = "", ...rest } = more;
  const query = new URLSearchParams({
    layout: "report",
    by,
    ...(amount && { show: `sum:${nameOf(amount)}` }),
    ...rest,
  });
  query.set(dayOf(of), "last-12-months");
  return queryText(query);
}

/** The names by which formulas call fields. */
function nameOf({ name }: Field): string {
  return printName(name);
}

/** Whether the records of an entity are of days, such as inspections, and belong to others. */
function isEvent({ calendar, fields, sort }: Entity): boolean {
  const from = fields.find(({ name }) => name === calendar?.from);
  if (!from || !isDay(from.type.kind)) return false;
  const isLatestFirst = sort[0]?.field === from.name && sort[0].descending;
  return isLatestFirst === true && fields.some((field) => isReference(field) && field.required);
}

function dayOf({ calendar, fields }: Entity): string {
  const field = fields.find(({ name }) => name === calendar?.from);
  return field ? columnOf(field) : "";
}

/** Units whose numbers can be added up. */
const additive =
  /^(k?g|mg|t|lbs?|oz|m?l|cl|hl|k?m|cm|h|hours?|min|minutes?|days?|pieces?|pcs|units?|horas?|días?|piezas?|unidades)$/iu;

/** The number that sums of an entity are of: one that everybody fills in, of money or of a unit that adds up. */
function amountOf({ fields }: Entity): Field | undefined {
  return fields.find(
    ({ type, required, unit = "", name }) =>
      required &&
      (type.kind === "money" || (isNumber(type.kind) && additive.test(unit))) &&
      !/(^|_)(per|price|rate|precio|tarifa)(_|$)/u.test(name),
  );
}

function isNumber(kind: Field["type"]["kind"]): boolean {
  return kind === "decimal" || kind === "integer";
}

/** What the records of an entity come from in the end: the apiary of the hive of a harvest, as formulas call it. */
function originOf(model: Model, entity: Entity): string | undefined {
  const names: string[] = [];
  const seen = new Set([entity.name]);
  let at = entity;
  while (names.length < 3) {
    const field = at.fields.find((each) => isReference(each) && each.required);
    const target = field && isReference(field) ? field.type.entity : undefined;
    if (!field || target === undefined || seen.has(target)) break;
    seen.add(target);
    names.push(nameOf(field));
    at = entityNamed(model, target);
  }
  return names.length > 0 ? names.join(".") : undefined;
}

/** The choice that says in which state a record is. */
function stateOf({ fields, tabs }: Entity): Field | undefined {
  const choices = fields.filter(({ type }) => type.kind === "choice" && type.choices.length <= 8);
  return (
    choices.find(({ name }) => name === tabs) ?? choices.find(({ colors }) => colors) ?? choices[0]
  );
}

function isMain({ of, field }: { of: Entity; field: Field }): boolean {
  return field.name === of.tabs || field.colors !== undefined;
}

const dueNames =
  /^(due|deadline|expires|expiry|vence|vencimiento|plazo)$|(^|_)(due|deadline|vence)(_|$)/u;
const doneNames =
  /^(done|finished|completed|closed|returned|paid|settled|hecho|terminado|cerrado|devuelto|pagado)$|_(done|finished|completed|closed|returned|paid)$/u;

function dueOf({ fields }: Entity): Field | undefined {
  return fields.find(({ name, type }) => dueNames.test(name) && isDay(type.kind));
}

function isDay(kind: Field["type"]["kind"]): boolean {
  return kind === "date" || kind === "datetime";
}

function isStored(kind: Field["type"]["kind"]): boolean {
  return kind === "boolean" || isDay(kind);
}

/** The entity that the records of most others lead to by their references; further up, where several do. */
function commonTarget(model: Model, of: readonly Entity[]): Entity | undefined {
  const reached = new Map<string, { times: number; depth: number }>();
  for (const entity of new Set(of)) {
    for (const [name, depth] of targetsFrom(model, entity)) {
      const known = reached.get(name) ?? { times: 0, depth: 0 };
      reached.set(name, { times: known.times + 1, depth: Math.max(known.depth, depth) });
    }
  }
  const [best] = [...reached].toSorted(
    ([, one], [, other]) => other.times - one.times || other.depth - one.depth,
  );
  return best && best[1].times > 1 ? entityNamed(model, best[0]) : undefined;
}

/** The entities that references lead to from one, itself among them, and how far each is. */
function targetsFrom(model: Model, entity: Entity): Map<string, number> {
  const found = new Map([[entity.name, 0]]);
  for (const [name, depth] of found) {
    if (depth >= 3) continue;
    for (const field of entityNamed(model, name).fields) {
      if (!isReference(field) || isMany(field) || found.has(field.type.entity)) continue;
      found.set(field.type.entity, depth + 1);
    }
  }
  return found;
}
