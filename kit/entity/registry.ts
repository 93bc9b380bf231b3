import type { Field, ReferenceField, ReferencesField } from "../fields/field.ts";
import { type Entity, isReference, isReferences } from "./entity.ts";
import type { PageLink } from "./page-link.ts";
import type { Rules } from "./rules.ts";

/** A field of an entity that refers to records of another one, or of the same. */
export interface Referrer {
  entity: Entity;
  name: string;
  field: ReferenceField | ReferencesField;
}

/** A field that holds many records. */
export interface Links extends Referrer {
  field: ReferencesField;
}

/** Rules of an entity, whatever its columns. */
// biome-ignore lint/suspicious/noExplicitAny: each entity's own types are checked where its rules are written
export type AnyRules = Rules<any, any, any>;

/** An entity, the rules that the developer wrote for it, and the links to its pages. */
export interface Registered {
  entity: Entity;
  rules: AnyRules;
  /** The links that its features give. */
  links: readonly PageLink[];
  /** The columns of its list, as `Columns` has them. */
  columns: readonly unknown[];
}

/** All entities of an application, by their tables. */
export class Registry {
  readonly #entities: ReadonlyMap<string, Entity>;
  readonly #rules: ReadonlyMap<string, AnyRules>;
  readonly #pageLinks: ReadonlyMap<string, readonly PageLink[]>;
  readonly #columns: ReadonlyMap<string, readonly unknown[]>;
  readonly #referrers = new Map<string, Referrer[]>();
  readonly #links = new Map<string, Links>();

  constructor(registered: readonly Registered[]) {
    const entities = registered.map(({ entity }) => entity);
    this.#rules = new Map(registered.map(({ entity, rules }) => [entity.table, rules]));
    this.#pageLinks = new Map(registered.map(({ entity, links }) => [entity.table, links]));
    this.#columns = new Map(registered.map(({ entity, columns }) => [entity.table, columns]));
    this.#entities = new Map(entities.map((each) => [each.table, each]));
    for (const entity of entities) {
      for (const [name, field] of Object.entries(entity.fields)) {
        if (!refers(field)) continue;
        const found = this.#referrers.get(field.to) ?? [];
        this.#referrers.set(field.to, [...found, { entity, name, field }]);
        if (isReferences(field)) this.#links.set(field.through.table, { entity, name, field });
      }
    }
  }

  get all(): Entity[] {
    return [...this.#entities.values()];
  }

  /** The entity of a table; throws where there is none. */
  named(table: string): Entity {
    const found = this.#entities.get(table);
    if (!found) throw new Error(`There is no entity with the table ${table}.`);
    return found;
  }

  /** The entity of a table; undefined for tables of links. */
  ofTable(table: string): Entity | undefined {
    return this.#entities.get(table);
  }

  /** The field behind a table of links; undefined for any other table. */
  ofLinks(table: string): Links | undefined {
    return this.#links.get(table);
  }

  rulesOf({ table }: Entity): AnyRules {
    return this.#rules.get(table) ?? {};
  }

  linksOf({ table }: Entity): readonly PageLink[] {
    return this.#pageLinks.get(table) ?? [];
  }

  /** The columns of the list of an entity, as `Columns` has them; none, where it has no list. */
  columnsOf({ table }: Entity): readonly unknown[] {
    return this.#columns.get(table) ?? [];
  }

  /** The fields that refer to an entity, in the order of the entities. */
  referrersOf({ table }: Entity): readonly Referrer[] {
    return this.#referrers.get(table) ?? [];
  }
}

function refers(field: Field): field is ReferenceField | ReferencesField {
  return isReference(field) || isReferences(field);
}
