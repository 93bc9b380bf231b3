import { writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Access } from "../../kit/access/access.ts";
import type { Person } from "../../kit/access/person.ts";
import { evaluation, type Row, type Surroundings } from "../../kit/formula/evaluate.ts";
import { sharedFiles } from "../../src/core/appgen/application.ts";
import { formulaOf } from "../../src/core/formula/scope.ts";
import { entityNamed, type Model } from "../../src/core/model/model.ts";
import { readModel } from "../../src/core/model/read.ts";
import type { TestProject } from "./kinds.ts";
import { Chance } from "./pairs.ts";

const actions = ["see", "add", "change", "delete", "history", "export"] as const;
type Action = (typeof actions)[number];

/** A field of a random entity that leads to other records. */
interface Reference {
  name: string;
  kind: "one" | "many" | "part of" | "user";
  to: string;
}

/** An entity of a random model. All have a name and frames; one of them has a price, which rights may hide. */
interface RandomEntity {
  name: string;
  references: Reference[];
  priced?: true;
  rows: number;
}

/** Entities that refer to each other at random; the first are the records that people are. */
export type Shape = readonly RandomEntity[];

const entityNames = ["Apiary", "Hive", "Queen", "Loan", "Visit"];

/** Two to five entities at random. */
export function randomShape(seed: number): Shape {
  const chance = new Chance(seed * 97);
  const shape: RandomEntity[] = [{ name: "Keeper", references: [], rows: 5 }];
  const count = 1 + chance.below(entityNames.length - 1);
  for (const name of entityNames.slice(0, count)) {
    const references: Reference[] = [];
    const others = shape.slice(1).map((entity) => entity.name);
    const add = (kind: Reference["kind"], to: string) => {
      const taken = references.filter((each) => each.kind === kind).length;
      const words = {
        many: `${to.toLowerCase()}s`,
        user: "warden",
        one: to.toLowerCase(),
        "part of": "whole",
      };
      references.push({ name: `${words[kind]}${taken || ""}`, kind, to });
    };
    if (others.length > 0) add(chance.of(["one", "one", "part of"]), chance.of(others));
    if (chance.happens(60)) add("user", "Keeper");
    if (chance.happens(60)) add("many", "Keeper");
    if (others.length > 0 && chance.happens(40)) add("many", chance.of(others));
    shape.push({ name, references, rows: 7 + chance.below(24) });
  }
  const priced = chance.of(shape.slice(1));
  priced.priced = true;
  return shape;
}

/** A condition for the records of an entity, of what can be said of it along its references. */
function condition(chance: Chance, shape: Shape, entity: RandomEntity): string {
  if (chance.happens(30)) {
    const [one, other] = [
      plainCondition(chance, shape, entity),
      plainCondition(chance, shape, entity),
    ];
    return `(${one}) ${chance.of(["and", "or"])} (${other})`;
  }
  const one = plainCondition(chance, shape, entity);
  return chance.happens(20) ? `not (${one})` : one;
}

function plainCondition(chance: Chance, shape: Shape, entity: RandomEntity): string {
  let path = "";
  let at = entity;
  // Along references to single records, as far as they lead.
  for (let steps = 0; steps < 2; steps++) {
    const next = chance.of(
      at.references.filter(({ kind }) => kind === "one" || kind === "part of"),
    );
    if (!next || chance.happens(40)) break;
    path += `${next.name}.`;
    at = shape.find(({ name }) => name === next.to) ?? at;
  }
  const said = [`${path}frames > ${chance.below(12)}`, `${path}name contains 'a'`];
  for (const { name, kind, to } of at.references) {
    if (kind === "user")
      said.push(
        `${path}${name} = me`,
        `${path}${name} <> me`,
        `me = ${path}${name}`,
        `${path}${name} is empty`,
      );
    if (kind === "many" && to === "Keeper")
      said.push(`${path}${name} includes me`, `${path}${name} includes me`);
    if (kind === "many" && path === "") said.push(`count(${name}) > 1`);
  }
  if (at.name === "Keeper" && path === "") said.push("id = me", "id <> me");
  return chance.of(said);
}

/** A model of such entities with random rights of groups. */
export function modelWithRights(shape: Shape, seed: number): string {
  const chance = new Chance(seed);
  const grant = (entity: RandomEntity) => {
    const may = actions.filter((action) => action !== "add" && chance.of([true, false]));
    if (may.length === 0) return "nothing";
    const where = chance.of([true, true, false])
      ? ` where ${condition(chance, shape, entity)}`
      : "";
    return JSON.stringify(may.join(", ") + where);
  };
  const withheld = ({ priced, references }: RandomEntity) =>
    [
      "frames",
      ...(priced ? ["price"] : []),
      ...references.flatMap(({ name, kind }) => (kind === "part of" ? [] : name)),
    ].flatMap((field) => {
      const kind = chance.of(["hide", "read only", "", "", ""]);
      return kind ? [JSON.stringify(`${kind} ${field}`)] : [];
    });
  const rights = (entity: RandomEntity) =>
    ["visitors", "everyone", "members", "wardens"]
      .filter((group) => chance.happens(group === "visitors" ? 33 : 66))
      .map((group) => {
        const grants = chance.of([[0], [0, 1]]).map(() => grant(entity));
        return `      ${group}: [${[...grants, ...withheld(entity)].join(", ")}]\n`;
      })
      .join("");
  const entities = shape.map((entity) => {
    const { name, references, priced, rows } = entity;
    const fields = references.map(({ name: field, kind, to }) => {
      const type = kind === "user" ? "user" : `${kind} ${to}`;
      return `      ${field}: ${type}\n`;
    });
    const own = rights(entity);
    const priceds = pathOf(shape.find((each) => each.priced)?.name ?? "").slice(1);
    const isParent = pricedParents(shape).some(({ parent }) => parent === name);
    return `  ${name}:
    title: "{name}"
    fields:
      name: text ..40, required
      frames: integer 0..20
${fields.join("")}${priced ? '      price: integer 1000..9999, required, default 1000\n      double: "= price * 2"\n' : ""}${
  isParent ? `      worth: "= sum(${priceds}.price)"\n` : ""
}    seed: ${rows}
${own && `    rights:\n${own}`}`;
  });
  return `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  record: Keeper
  groups: {members: Members, wardens: Wardens}
entities:
${entities.join("")}`;
}

/** The entities that add up the prices of what refers to them by one field, and that field. */
export function pricedParents(shape: Shape): { parent: string; by: string }[] {
  const priced = shape.find((entity) => entity.priced);
  return shape.flatMap(({ name }) => {
    const referring = priced?.references.filter(({ to }) => to === name) ?? [];
    const [only] = referring;
    const isOne = only?.kind === "one" || only?.kind === "part of";
    return isOne && referring.length === 1 ? [{ parent: name, by: only.name }] : [];
  });
}

export function pathOf(entity: string): string {
  return entity === "Apiary" ? "/apiaries" : `/${entity.toLowerCase()}s`;
}

export const peopleAsking: readonly (Person | undefined)[] = [
  undefined,
  { id: 1, name: "Ana", groups: ["administrators"] },
  { id: 2, name: "Ben", groups: [] },
  { id: 3, name: "Cleo", groups: ["members"], record: 1 },
  { id: 4, name: "Dan", groups: ["wardens"], record: 2 },
  { id: 5, name: "Eva", groups: ["members", "wardens"], record: 3 },
];

/** What the rights of a model allow, computed in memory of all rows. */
export class PlainRights {
  readonly model: Model;

  constructor(
    text: string,
    readonly tables: Readonly<Record<string, readonly Row[]>>,
  ) {
    const { model } = readModel(text);
    if (!model) throw new Error("a model with errors");
    this.model = model;
  }

  /** What the person may do with some records of an entity. */
  may(person: Person | undefined, action: Action, entity: string): boolean {
    return (
      person?.groups?.includes("administrators") || this.#grants(person, action, entity).length > 0
    );
  }

  /** What the person may do with one of them. */
  allows(person: Person | undefined, action: Action, entity: string, row: Row): boolean {
    if (person?.groups?.includes("administrators")) return true;
    const found = this.#grants(person, action, entity);
    const sees = action === "see" || this.allows(person, "see", entity, row);
    return (
      sees && found.some(({ where }) => !where || this.#holds(entity, where.formula, row, person))
    );
  }

  /** Whether a field is one that the person may see, or fill in, of one record. */
  allowsField(
    person: Person | undefined,
    action: "see" | "change",
    entity: string,
    row: Row,
    field: string,
  ): boolean {
    if (!this.allows(person, action, entity, row)) return false;
    if (person?.groups?.includes("administrators")) return true;
    return this.#grants(person, action, entity).some(
      ({ where, hidden = [], readOnly = [] }) =>
        ![...hidden, ...(action === "change" ? readOnly : [])].includes(field) &&
        (!where || this.#holds(entity, where.formula, row, person)),
    );
  }

  /** Whether any group of the person may see a field of an entity. */
  knowsField(person: Person | undefined, entity: string, field: string): boolean {
    return (
      person?.groups?.includes("administrators") ||
      this.#grants(person, "see", entity).some(({ hidden = [] }) => !hidden.includes(field))
    );
  }

  #grants(person: Person | undefined, action: Action, entity: string) {
    const { rights = {} } = entityNamed(this.model, entity);
    const groups = person ? ["visitors", "everyone", ...(person.groups ?? [])] : ["visitors"];
    return groups.flatMap((group) => rights[group] ?? []).filter(({ may }) => may.includes(action));
  }

  #holds(name: string, formula: string, row: Row, person: Person | undefined): boolean {
    const entity = entityNamed(this.model, name);
    const found = formulaOf(this.model, entity, formula);
    if ("complaint" in found) throw new Error(found.complaint.message);
    const rows = (table: string) => this.tables[table] ?? [];
    const around: Surroundings = {
      today: "2026-05-03",
      now: "2026-05-03T07:00:00Z",
      me: person?.record ?? 0,
      record: (table, id) => rows(table).find((each) => each.id === id),
      belonging: ({ table, by }, id) => {
        if (typeof by === "string") return rows(table).filter((each) => each[by] === id);
        const ids = rows(by.links)
          .filter((link) => link[by.from] === id)
          .map((link) => link[by.to]);
        return rows(table).filter((each) => ids.includes(each.id ?? null));
      },
    };
    return evaluation(found.calculation)(row, around) === true;
  }
}

/** The rights of a model as the application of a project with the same entities takes them. */
export async function accessOf(
  { folder }: TestProject,
  text: string,
  name: string,
): Promise<Access> {
  const { model } = readModel(text);
  const file = model && sharedFiles(model, {}).find(({ path }) => path === "src/access.ts");
  if (!file) throw new Error("a model without rights");
  const path = join(folder, "app/src", `access-${name}.ts`);
  writeFileSync(path, file.text);
  return (await import(path)).access as Access;
}

/** The generated application of a project, in this process. */
export async function applicationOf({ folder, url }: TestProject) {
  const source = (path: string) => import(join(folder, "app/src", path));
  const [{ createApp }, { openDatabase }] = [await source("app.ts"), await source("database.ts")];
  const db = openDatabase(url);
  return {
    close: () => db.destroy() as Promise<void>,
    /** As a person, with the rights of another model of the same entities. */
    as: (person: Person | undefined, access?: Access) => {
      const app = createApp(db, { personOf: () => person, ...(access && { access }) });
      const headers = { host: "localhost", origin: "http://localhost" };
      return async (path: string, body?: URLSearchParams) => {
        const method = body ? "POST" : "GET";
        const answer = (await app.request(path, { headers, method, body })) as Response;
        const next = answer.headers.get("location");
        return { status: answer.status, html: await answer.text(), next };
      };
    },
  };
}
