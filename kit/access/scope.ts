import { type Kysely, type RawBuilder, type SqlBool, sql } from "kysely";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import { inSentence, type Label, labelIn, type Names } from "../entity/label.ts";
import type { PageLink } from "../entity/page-link.ts";
import type { Registry } from "../entity/registry.ts";
import type { Field, FieldScope, FormulaScope } from "../fields/field.ts";
import { now, todayIn } from "../formula/clock.ts";
import type { Messages } from "../messages/en.ts";
import { type Formats, formatsFor } from "../messages/formats.ts";
import { messagesFor } from "../messages/messages.ts";
import type { Access } from "./access.ts";
import type { Action } from "./action.ts";
import type { Person } from "./person.ts";

/** Tables of any columns, for statements that are made of what the kit knows of entities. */
export type AnyTables = Record<string, Record<string, unknown>>;

/** What the whole application agrees on. */
export interface Settings {
  /** The name in the heading of every page. */
  name: string;
  /** A language tag such as `en` or `es-MX`: what the application speaks, and how numbers and dates are written. */
  language: string;
  /** The ISO 4217 code of amounts of money. */
  currency: string;
  /** The IANA time zone in which people type and read times, and by which it is "today". */
  timezone: string;
}

/** Who may do what, and see which rows. */
export interface Policy {
  may(scope: Scope, action: Action, entity: Entity): boolean;
  /**
   * The condition for the rows of an entity that a person may see, on its table by its name; undefined where they
   * may see all.
   */
  visible(scope: Scope, entity: Entity): RawBuilder<SqlBool> | undefined;
  /** The condition for those with which the person may do something; undefined for all that are seen. */
  limits?(scope: Scope, action: Action, entity: Entity): RawBuilder<SqlBool> | undefined;
}

/** The policy of an application without sign-in: everybody may do and see everything. */
export const everything: Policy = { may: () => true, visible: () => undefined };

/** Somebody asked for what they may not do. */
export class Forbidden extends Error {
  constructor(action: Action, entity: Entity) {
    super(`${action} ${entity.table} is not allowed`);
  }
}

/** Somebody asked for what isn't there for them: it can't be told from what isn't there at all. */
export class Hidden extends Error {}

/** Nobody asked for what somebody who is signed in may perhaps do. */
export class NotSignedIn extends Error {}

/** What a scope is made of. */
interface Given {
  db: Kysely<AnyTables>;
  settings: Settings;
  entities: Registry;
  policy: Policy;
  access?: Access | undefined;
  person?: Person | undefined;
  address?: string | undefined;
}

/**
 * Everything that a request depends on besides what it asks for: the database, the person, the language, the clock, and
 * what the person may do. It is handed on explicitly; nothing else is looked at while a request runs.
 */
export class Scope implements FieldScope, FormulaScope {
  readonly db: Kysely<AnyTables>;
  readonly settings: Settings;
  readonly entities: Registry;
  readonly policy: Policy;
  /** The groups and their rights; undefined where nobody signs in. */
  readonly access: Access | undefined;
  /** Nobody, where there is no sign-in, or before it. */
  readonly person: Person | undefined;
  /** The network address that asks; blank where nobody knows. */
  readonly address: string;
  readonly language: string;
  readonly timezone: string;
  readonly messages: Messages;
  readonly format: Formats;
  #now: string | undefined;
  #today: string | undefined;

  constructor(given: Given, at?: string) {
    const { db, settings, entities, policy, access, person, address = "" } = given;
    this.access = access;
    this.address = address;
    this.db = db;
    this.settings = settings;
    this.entities = entities;
    this.policy = policy;
    this.person = person;
    this.language = person?.language ?? settings.language;
    this.timezone = person?.timezone ?? settings.timezone;
    this.#now = at;
    this.messages = messagesFor(this.language);
    this.format = formatsFor(this.language, settings.currency, this.timezone, this.messages);
  }

  /** This moment in UTC; the same throughout a request. */
  get now(): string {
    this.#now ??= now();
    return this.#now;
  }

  /** This day in the time zone of the person, as `2026-05-03`. */
  get today(): string {
    this.#today ??= todayIn(this.timezone, this.now);
    return this.#today;
  }

  /** The number of the record that the person is; 0, which no record has, for nobody. */
  get me(): number {
    return this.person?.record ?? 0;
  }

  /** The same scope within a transaction. */
  within(db: Kysely<AnyTables>): Scope {
    return new Scope({ ...this.#given(), db }, this.now);
  }

  /** The same scope for somebody who just signed in. */
  as({ id, name }: Pick<Person, "id" | "name">): Scope {
    return new Scope({ ...this.#given(), person: { id, name } }, this.now);
  }

  /** The same scope with all rows in sight: for what has to hold for all of them, whoever asks. */
  seeingAll(): Scope {
    const policy: Policy = {
      ...this.policy,
      visible: () => undefined,
      limits: () => undefined,
    };
    return new Scope({ ...this.#given(), policy }, this.now);
  }

  #given(): Given {
    const { db, settings, entities, policy, access, person, address } = this;
    return { db, settings, entities, policy, access, person, address };
  }

  may(action: Action, entity: Entity): boolean {
    return this.policy.may(this, action, entity);
  }

  /** The links to the pages of an entity in some place, of those that the person may use. */
  linksOf(entity: Entity, on: PageLink["on"]): PageLink[] {
    return this.entities
      .linksOf(entity)
      .filter((link) => link.on === on && this.may(link.needs, entity));
  }

  /** Whether a feature of an entity gives a page, such as `/new`, and the person may use it. */
  offers(page: string, entity: Entity): boolean {
    const links = this.entities.linksOf(entity);
    return links.some(({ path, needs }) => path === page && this.may(needs, entity));
  }

  /** Whether a field refers to records of an entity that the person may not see at all: then it isn't there either. */
  isHidden(field: Field | undefined): boolean {
    if (!field || !(isReference(field) || isReferences(field))) return false;
    return !this.may("see", this.entities.named(field.to));
  }

  /** Throws where the person may not do something. */
  require(action: Action, entity: Entity): void {
    if (!this.may(action, entity)) throw new Forbidden(action, entity);
  }

  /**
   * The rows of an entity that the person may see, to select from: its table, or a subquery that leaves the others
   * out. Every statement of the kit and of generated code that reads the table of an entity reads it through this.
   */
  rowsOf(entity: Entity): RawBuilder<unknown> {
    const condition = this.policy.visible(this, entity);
    const table = sql.table(entity.table);
    return condition ? sql`(select ${table}.* from ${table} where ${condition})` : table;
  }

  /** The same for a table by its name; tables of links have no rows of their own to hide. */
  readonly rows = (table: string): RawBuilder<unknown> => {
    const entity = this.entities.ofTable(table);
    return entity ? this.rowsOf(entity) : sql.table(table);
  };

  /** The condition that a row is one that the person may see, and with which they may do something. */
  allows(action: Action, entity: Entity): RawBuilder<SqlBool> {
    const conditions = [
      this.policy.visible(this, entity),
      this.policy.limits?.(this, action, entity),
    ].filter((condition) => condition !== undefined);
    return conditions.length > 0 ? sql`${sql.join(conditions, sql` and `)}` : sql`1 = 1`;
  }

  /** A label in the language of this scope. */
  translated(label: Label): string {
    return labelIn(label, this.language);
  }

  /** What an entity is called: as headings, and within a sentence. */
  namesOf({ label, plural }: Entity): Names {
    const heading = labelIn(label, this.language);
    const headings = labelIn(plural, this.language);
    return { heading, headings, one: inSentence(heading), many: inSentence(headings) };
  }
}
