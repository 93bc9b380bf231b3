import { join } from "node:path";
import type { Person } from "../../kit/access/person.ts";
import { evaluation, type Row, type Surroundings } from "../../src/core/formula/evaluate.ts";
import { formulaOf } from "../../src/core/formula/scope.ts";
import { entityNamed, type Model } from "../../src/core/model/model.ts";
import { readModel } from "../../src/core/model/read.ts";
import type { TestProject } from "./kinds.ts";
import { Chance } from "./pairs.ts";

const actions = ["see", "add", "change", "delete", "history"] as const;
type Action = (typeof actions)[number];

/** Conditions for the records of each entity. */
const conditions: Readonly<Record<string, readonly string[]>> = {
  Keeper: ["id = me", "id <> me", "name contains 'a'", "count(apiaries) > 1"],
  Apiary: ["warden = me", "warden is empty", "warden <> me", "count(hives) > 3 and me = warden"],
  Hive: [
    "keepers includes me",
    "not keepers includes me",
    "apiary.warden = me",
    "frames > 8",
    "apiary.warden <> me and frames > 3",
    "me = apiary.warden or frames < 3",
  ],
  Inspection: [
    "hive.keepers includes me",
    "not (hive.keepers includes me)",
    "hive.apiary.warden = me",
    "hive.frames > 8 or words is empty",
  ],
};

/** The fields that rights may hide. */
const fields: Readonly<Record<string, readonly string[]>> = {
  Hive: ["frames", "price", "keepers"],
  Apiary: ["warden"],
};

/** A model with random rights of groups. */
export function modelWithRights(seed: number): string {
  const chance = new Chance(seed);
  const grant = (entity: string) => {
    const may = actions.filter((action) => action !== "add" && chance.of([true, false]));
    const said = may.length === 0 ? "nothing" : may.join(", ");
    const where = chance.of([true, true, false])
      ? ` where ${chance.of(conditions[entity] ?? [])}`
      : "";
    return JSON.stringify(said === "nothing" ? said : said + where);
  };
  /** What a right says of fields. */
  const withheld = (entity: string) =>
    (fields[entity] ?? []).flatMap((field) => {
      const kind = chance.of(["hide", "read only", "", ""]);
      return kind ? [JSON.stringify(`${kind} ${field}`)] : [];
    });
  const rights = (entity: string) =>
    ["visitors", "everyone", "members", "wardens"]
      .filter((group) =>
        chance.of(group === "visitors" ? [true, false, false] : [true, true, false]),
      )
      .map(
        (group) =>
          `      ${group}: [${[
            ...chance.of([[0], [0, 1]]).map(() => grant(entity)),
            ...withheld(entity),
          ].join(", ")}]`,
      )
      .join("\n");
  const own = (entity: string) => {
    const lines = rights(entity);
    return lines ? `    rights:\n${lines}\n` : "";
  };
  return `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  record: Keeper
  groups: {members: Members, wardens: Wardens}
entities:
  Keeper:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 5
${own("Keeper")}  Apiary:
    title: "{name}"
    fields:
      name: text, required, unique
      warden: one Keeper
      worth: "= sum(hives.price)"
    seed: 7
${own("Apiary")}  Hive:
    title: "{code}"
    fields:
      code: text ..6, required, unique
      apiary: one Apiary
      keepers: many Keeper
      frames: integer 0..20
      price: integer 1000..9999, required, default 1000
      double: "= price * 2"
    seed: 30
${own("Hive")}  Inspection:
    title: "{words}"
    fields: {hive: part of Hive, words: text}
    seed: 30
${own("Inspection")}`;
}

export const peopleAsking: readonly (Person | undefined)[] = [
  undefined,
  { id: 1, name: "Ana", groups: ["administrators"] },
  { id: 2, name: "Ben", groups: [] },
  { id: 3, name: "Cleo", groups: ["members"], record: 1 },
  { id: 4, name: "Dan", groups: ["wardens"], record: 2 },
  { id: 5, name: "Eva", groups: ["members", "wardens"], record: 3 },
];

export const entityPaths: Readonly<Record<string, string>> = {
  Keeper: "/keepers",
  Apiary: "/apiaries",
  Hive: "/hives",
  Inspection: "/inspections",
};

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

/** The generated application of a project, in this process. */
export async function applicationOf({ folder, url }: TestProject) {
  const source = (path: string) => import(join(folder, "app/src", path));
  const [{ createApp }, { openDatabase }] = [await source("app.ts"), await source("database.ts")];
  const db = openDatabase(url);
  return {
    close: () => db.destroy() as Promise<void>,
    as: (person: Person | undefined) => {
      const app = createApp(db, { personOf: () => person });
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
