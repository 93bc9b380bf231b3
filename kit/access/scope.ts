import { type Kysely, type RawBuilder, type SqlBool, sql } from "kysely";
import { tablesOf } from "../database/current-dialect.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import { inSentence, type Label, labelIn, type Names } from "../entity/label.ts";
import type { PageLink } from "../entity/page-link.ts";
import type { Links, Registry } from "../entity/registry.ts";
import type { Field, FieldScope, FormulaScope } from "../fields/field.ts";
import type { FileStore } from "../files/file-store.ts";
import { now, todayIn } from "../formula/clock.ts";
import type { EmbeddedPage } from "../http/embedded-page.ts";
import type { Messages } from "../messages/en.ts";
import { type Formats, formatsFor } from "../messages/formats.ts";
import { messagesFor } from "../messages/messages.ts";
import type { Access } from "./access.ts";
import type { Action } from "./action.ts";
import type { ChangedRights } from "./changed-rights.ts";
import { isAdministrator, type Person } from "./person.ts";

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
  /** The colours, as `ui/looks.css` has them; honey, without it. */
  look?: string;
  /** The colour that stands for the application where others show it, such as the frame of its window. */
  color?: string;
  /** Whether a picture stands beside its name. */
  logo?: boolean;
  /** Whether pages that were seen can be seen without a connection. */
  offline?: boolean;
  /** The entries of the menu; all entities in their order, without it. */
  menu?: readonly MenuItem[];
  /** The pages that may stand in pages of other sites. */
  embedded?: readonly EmbeddedPage[];
}

/** An entry of the menu: an entity by its table, several under a heading, or a link. */
export type MenuItem =
  | { table: string }
  | { label: Label; tables: readonly string[] }
  | { label: Label; href: string };

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
  /** The fields that the person may not see, fill in or change although they may do so with the record. */
  withheld?(scope: Scope, action: Action, entity: Entity): Withheld;
  /** The columns of an entity's table, with blanks for what isn't seen of each row. */
  blanked?(entity: Entity, unseen: Withheld): RawBuilder<unknown>;
}

/**
 * Fields that are kept from somebody, by their names, each with the condition for the rows on which it isn't; undefined
 * where it is on all.
 */
export type Withheld = ReadonlyMap<string, RawBuilder<SqlBool> | undefined>;

/** The policy of an application without sign-in: everybody may do and see everything. */
export const everything: Policy = { may: () => true, visible: () => undefined };

const nothing: Withheld = new Map();

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
  files: FileStore;
  settings: Settings;
  entities: Registry;
  policy: Policy;
  access?: Access | undefined;
  /** Whose records are there; all, without it. 0 is nobody's. */
  organisation?: number | undefined;
  /** What administrators changed of the rights. */
  changed?: ChangedRights | undefined;
  person?: Person | undefined;
  address?: string | undefined;
  /** The page of another site in which this is looked at. */
  embedded?: EmbeddedPage | undefined;
}

/**
 * Everything that a request depends on besides what it asks for: the database, the person, the language, the clock, and
 * what the person may do. It is handed on explicitly; nothing else is looked at while a request runs.
 */
export class Scope implements FieldScope, FormulaScope {
  readonly db: Kysely<AnyTables>;
  /** Where the content of files is. */
  readonly files: FileStore;
  readonly settings: Settings;
  readonly entities: Registry;
  readonly policy: Policy;
  /** The groups and their rights; undefined where nobody signs in. */
  readonly access: Access | undefined;
  /** The organisation whose records are there; undefined where all are. */
  readonly organisation: number | undefined;
  /** What administrators changed of the rights of the model. */
  readonly changed: ChangedRights;
  /** Nobody, where there is no sign-in, or before it. */
  readonly person: Person | undefined;
  /** The network address that asks; blank where nobody knows. */
  readonly address: string;
  /** The page that is looked at within a page of another site; undefined for all others. */
  readonly embedded: EmbeddedPage | undefined;
  readonly language: string;
  readonly timezone: string;
  readonly messages: Messages;
  readonly format: Formats;
  readonly #unseen = new WeakMap<Entity, Withheld>();
  #now: string | undefined;
  #today: string | undefined;

  constructor(given: Given, at?: string) {
    const { settings, entities, policy, access, organisation, person, address = "" } = given;
    this.changed = given.changed ?? new Map();
    this.access = access;
    this.organisation = organisation;
    this.address = address;
    this.db = given.db;
    this.files = given.files;
    this.settings = settings;
    this.entities = entities;
    this.policy = policy;
    this.person = person;
    this.embedded = given.embedded;
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

  /** The same scope at this moment: for what goes on after its request. */
  later(): Scope {
    return new Scope(this.#given());
  }

  /** The same scope within a transaction. */
  within(db: Kysely<AnyTables>): Scope {
    return new Scope({ ...this.#given(), db }, this.now);
  }

  /** The same scope for somebody who just signed in. */
  as({ id, name }: Pick<Person, "id" | "name">): Scope {
    return new Scope({ ...this.#given(), person: { id, name } }, this.now);
  }

  /** The same scope for a person who isn't signed in here, but known by a secret. */
  asPerson(person: Person, changed: ChangedRights): Scope {
    return new Scope({ ...this.#given(), person, changed }, this.now);
  }

  /** The same scope with the records of an organisation; of all, where there are none. */
  inOrganisation(organisation: number | undefined): Scope {
    const db = organisation === undefined ? this.db : tablesOf(this.db, organisation);
    return new Scope({ ...this.#given(), db, organisation }, this.now);
  }

  /** The same scope with all rows in sight: for what has to hold for all of them, whoever asks. */
  seeingAll(): Scope {
    const policy: Policy = {
      ...this.policy,
      visible: () => undefined,
      limits: () => undefined,
      withheld: () => new Map(),
    };
    return new Scope({ ...this.#given(), policy }, this.now);
  }

  #given(): Given {
    const { db, files, settings, entities, policy, access, organisation, changed } = this;
    const { person, address, embedded } = this;
    return {
      db,
      files,
      settings,
      entities,
      policy,
      access,
      organisation,
      changed,
      person,
      address,
      embedded,
    };
  }

  may(action: Action, entity: Entity): boolean {
    return this.policy.may(this, action, entity);
  }

  /** The links to the pages of an entity in some place, of those that the person may use. */
  linksOf(entity: Entity, on: PageLink["on"]): PageLink[] {
    if (this.embedded) return [];
    return this.entities
      .linksOf(entity)
      .filter((link) => link.on === on && this.may(link.needs, entity) && this.isFor(link.for));
  }

  /** Whether something is for the person that is for some groups only; for everybody, without groups. */
  isFor(groups: readonly string[] | undefined): boolean {
    if (!this.access || !groups || isAdministrator(this.person)) return true;
    return groups.some((group) => this.person?.groups?.includes(group));
  }

  /** What a link to a page of an entity says. */
  textOf({ text }: PageLink, entity: Entity): string {
    return typeof text === "function"
      ? text(this.messages, this.namesOf(entity))
      : this.translated(text);
  }

  /** Whether a feature of an entity gives a page, such as `/new`, and the person may use it. */
  offers(page: string, entity: Entity): boolean {
    if (this.embedded) return false;
    const links = this.entities.linksOf(entity);
    return links.some(({ path, needs }) => path === page && this.may(needs, entity));
  }

  /**
   * Whether a field isn't there for the person: it is hidden from them, or refers to records of an entity that they
   * may not see at all.
   */
  isHidden(entity: Entity, name: string): boolean {
    const unseen = this.unseen(entity);
    if (unseen.has(name) && unseen.get(name) === undefined) return true;
    const field: Field | undefined = entity.fields[name];
    if (!field || !(isReference(field) || isReferences(field))) return false;
    return !this.may("see", this.entities.named(field.to));
  }

  /** The fields of an entity that the person doesn't see, or not of all records that they see. */
  unseen(entity: Entity): Withheld {
    const known = this.#unseen.get(entity) ?? this.withheld("see", entity);
    this.#unseen.set(entity, known);
    return known;
  }

  /** The fields of an entity that are kept from the person when they do something with its records. */
  withheld(action: Action, entity: Entity): Withheld {
    return this.policy.withheld?.(this, action, entity) ?? nothing;
  }

  /** Whether the person sees all rows of an entity, and all of each. */
  seesAll(entity: Entity): boolean {
    return !this.rowCondition(entity) && this.unseen(entity).size === 0;
  }

  /**
   * The condition for the rows of an entity that the person may see, of their organisation; undefined where that is all.
   * Organisations are kept apart here whatever the policy says.
   */
  rowCondition(entity: Entity): RawBuilder<SqlBool> | undefined {
    const visible = this.policy.visible(this, entity);
    if (!entity.organised || this.organisation === undefined) return visible;
    const own = sql<SqlBool>`${sql.ref(`${entity.table}.organisation_id`)} = ${this.organisation}`;
    return visible ? sql`${own} and ${visible}` : own;
  }

  /** Throws where the person may not do something. */
  require(action: Action, entity: Entity): void {
    if (!this.may(action, entity)) throw new Forbidden(action, entity);
  }

  /**
   * The rows of an entity that the person may see, to select from: its table, or a subquery that leaves the others
   * out, and blanks what is hidden of a row. Every statement of the kit and of generated code that reads the table of an
   * entity reads it through this.
   */
  rowsOf(entity: Entity): RawBuilder<unknown> {
    const condition = this.rowCondition(entity);
    const unseen = this.unseen(entity);
    const table = sql.table(entity.table);
    if (!condition && unseen.size === 0) return table;
    const blanked = unseen.size === 0 ? undefined : this.policy.blanked?.(entity, unseen);
    const columns = blanked ?? sql`${table}.*`;
    return sql`(select ${columns} from ${table}${condition ? sql` where ${condition}` : sql``})`;
  }

  /** The same for a table by its name, which may be one of links. */
  readonly rows = (table: string): RawBuilder<unknown> => {
    const entity = this.entities.ofTable(table);
    if (entity) return this.rowsOf(entity);
    const owner = this.entities.ofLinks(table);
    return owner ? this.linkRows(owner) : sql.table(table);
  };

  /** The links of a field that holds many records, of those records of which the person sees the field. */
  linkRows({ entity, name, field }: Links): RawBuilder<unknown> {
    const { table, from } = field.through;
    const links = sql.table(table);
    const unseen = this.unseen(entity);
    if (!unseen.has(name)) return links;
    const owner = sql.table(entity.table);
    const owners = sql`select ${sql.ref(`${entity.table}.id`)} from ${owner} where ${unseen.get(name) ?? sql`1 = 0`}`;
    return sql`(select ${links}.* from ${links} where ${sql.ref(`${table}.${from}`)} in (${owners}))`;
  }

  /** The condition that a row is one that the person may see, and with which they may do something. */
  allows(action: Action, entity: Entity): RawBuilder<SqlBool> {
    const conditions = [
      this.rowCondition(entity),
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
