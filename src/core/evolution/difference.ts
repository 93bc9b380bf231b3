import {
  type Entity,
  entityNamed,
  type Field,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { snakeCase } from "../naming/words.ts";
import { columnOf, linkOf, schemaOf, tableOf } from "../schema/from-model.ts";
import { type Column, type Index, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import {
  alike,
  type ChangeColumn,
  columnChanges,
  type Fill,
  isExact,
  keepName,
  type Step,
  takeStep,
} from "./steps.ts";

/** A change of the model, and what it means for the tables. */
export interface Change {
  /** The table and the column that are concerned: as the model has them now, or had them if they go. */
  table: string;
  column?: string;
  /** What happens, in a sentence without a full stop. */
  sentence: string;
  steps: Step[];
  /** What throws data away whatever the rows are: the name under which that is accepted. */
  throwsAway?: string;
  /** Why it can't be done at all, whatever the rows are. */
  impossible?: string;
}

/** A table or column that goes while another of its kind comes, which may be the same under a new name. */
export interface LikelyRename {
  table: string;
  column?: string;
  /** The name that comes. */
  to: string;
  /** The line that says so in the model. */
  line: string;
}

export interface Difference {
  changes: Change[];
  /** All steps of the changes, in an order in which they can be taken. */
  steps: Step[];
  renames: LikelyRename[];
}

/** What a person decided about a difference. */
export interface Decisions {
  /** Names of tables and columns whose data may be thrown away. */
  throwAway?: ReadonlySet<string>;
  /** Former names of tables and columns, by the names that they have in the model. */
  formerly?: ReadonlyMap<string, string>;
}

/** What has to be done to bring tables to what a model needs. */
export function difference(from: Schema, model: Model, decisions: Decisions = {}): Difference {
  const comparison = new Comparison(from, model, decisions);
  return comparison.result();
}

/** Where the values of a field are: in a column, in a column of numbers, or in a table of links. */
type Slot =
  | { kind: "scalar" | "reference"; column: Column }
  | { kind: "links"; table: Table; target: string };

class Comparison {
  readonly #to: Schema;
  /** The schema with the renames that were found taken already. */
  #now: Schema;
  readonly #changes: Change[] = [];
  readonly #taken = new Set<string>();
  /** Columns and tables that go and come again under the same name, with their indexes. */
  readonly #anew = new Set<string>();

  constructor(
    from: Schema,
    readonly model: Model,
    readonly decisions: Decisions,
  ) {
    this.#now = from;
    this.#to = schemaOf(model);
  }

  result(): Difference {
    // Again as long as there are any: one name may only be free once its table has got another.
    while (this.model.entities.some((entity) => this.#renameTable(entity)));
    for (const entity of this.model.entities) {
      const table = tableOf(entity.name);
      if (tableNamed(this.#now, table)) this.#compareFields(entity, table);
      else this.#addTable(table);
    }
    for (const table of this.#to.tables) {
      if (table.key.length > 1 && !this.#claimed(table.name)) this.#addTable(table.name);
    }
    this.#dropRest();
    for (const table of this.#to.tables) this.#compareIndexes(table);
    return {
      changes: this.#changes,
      steps: inOrder(
        this.#changes.flatMap(({ steps }) => steps),
        this.#to,
      ),
      renames: this.#likelyRenames(),
    };
  }

  #change(change: Change): void {
    this.#changes.push(change);
    for (const step of change.steps) {
      if (step.kind === "rename table" || step.kind === "rename column") {
        this.#now = takeStep(this.#now, step);
      }
    }
  }

  #claimed(table: string): boolean {
    return this.#taken.has(table);
  }

  #addTable(name: string): void {
    const table = tableNamed(this.#to, name);
    this.#taken.add(name);
    if (!table || tableNamed(this.#now, name)) return;
    this.#change({
      table: name,
      sentence: `${name} is new`,
      steps: [{ kind: "add table", table }],
    });
  }

  #formerName(entity: Entity): string | undefined {
    const decided = this.decisions.formerly?.get(tableOf(entity.name));
    return decided ?? (entity.was === undefined ? undefined : tableOf(entity.was));
  }

  /** Renames the table of an entity whose name is new, where its former one is there. Tells whether it did. */
  #renameTable(entity: Entity): boolean {
    const name = tableOf(entity.name);
    const former = this.#formerName(entity);
    if (tableNamed(this.#now, name) || former === undefined) return false;
    const old = tableNamed(this.#now, former);
    if (!old || old.key.length > 1) return false;
    const steps: Step[] = [{ kind: "rename table", table: former, to: name }];
    // The tables of its links are named after it.
    for (const links of this.#now.tables) {
      if (links.key.length < 2 || links.columns[0]?.references?.table !== former) continue;
      if (!links.name.startsWith(`${former}_`)) continue;
      const renamed = name + links.name.slice(former.length);
      steps.push({ kind: "rename table", table: links.name, to: renamed });
    }
    this.#change({ table: name, sentence: `${former} is called ${name} now`, steps });
    return true;
  }

  /**
   * Where the values of each field were: under its name; or under the one it had before, if nothing has
   * its name. Those that take another's place come first, in an order in which they can.
   */
  #slotsBefore(entity: Entity): Map<Field, Slot | undefined> {
    const table = tableOf(entity.name);
    const found = new Map<Field, Slot | undefined>();
    const claimed = new Set<string>();
    const keyOf = (slot: Slot) => (slot.kind === "links" ? slot.table.name : slot.column.name);
    const free = (name: string | undefined, field: Field): Slot | undefined => {
      const slot = name === undefined ? undefined : this.#slotNamed(table, name, field);
      return slot && !claimed.has(keyOf(slot)) ? slot : undefined;
    };
    const claim = (field: Field, slot: Slot | undefined): void => {
      found.set(field, slot);
      if (slot) claimed.add(keyOf(slot));
    };
    for (let more = true; more; ) {
      more = false;
      for (const field of entity.fields) {
        if (found.has(field) || free(field.name, field)) continue;
        const decided = this.decisions.formerly?.get(`${table}.${columnOf(field)}`);
        const was = field.was?.includes(".") ? undefined : field.was;
        const slot = free(decided, field) ?? free(was, field);
        if (!slot) continue;
        claim(field, slot);
        more = true;
      }
    }
    for (const field of entity.fields) {
      if (!found.has(field)) claim(field, free(field.name, field));
    }
    return found;
  }

  #slotNamed(table: string, name: string, field: Field): Slot | undefined {
    const columns = tableNamed(this.#now, table)?.columns ?? [];
    const at = (wanted: string, references: boolean) =>
      columns.find(
        (column) => column.name === wanted && (column.references !== undefined) === references,
      );
    const scalar = automatic.has(name) ? undefined : at(name, false);
    const reference = at(`${name}_id`, true) ?? at(name, true);
    const links = tableNamed(this.#now, `${table}_${name}`);
    const target = links?.columns[1]?.references?.table;
    const slots: (Slot | undefined)[] = [
      scalar && { kind: "scalar", column: scalar },
      reference && { kind: "reference", column: reference },
      links && links.key.length > 1 && target !== undefined && !this.#claimed(links.name)
        ? { kind: "links", table: links, target }
        : undefined,
    ];
    const wanted = isMany(field) ? "links" : isReference(field) ? "reference" : "scalar";
    const found = slots.filter((slot) => slot !== undefined);
    return found.find(({ kind }) => kind === wanted) ?? found[0];
  }

  #compareFields(entity: Entity, table: string): void {
    this.#taken.add(table);
    for (const [field, slot] of this.#slotsBefore(entity)) {
      if (isMany(field)) this.#compareMany(entity, field, slot);
      else this.#compareSingle(entity, table, field, slot);
    }
    for (const { name } of tableNamed(this.#to, table)?.columns ?? []) {
      if (automatic.has(name)) this.#taken.add(`${table}.${name}`);
    }
  }

  #compareSingle(entity: Entity, table: string, field: Field, slot: Slot | undefined): void {
    const name = columnOf(field);
    const column = tableNamed(this.#to, table)?.columns.find((each) => each.name === name);
    if (!column) return;
    this.#taken.add(`${table}.${name}`);
    if (!slot) this.#addColumn(table, field, column);
    else if (slot.kind === "links") this.#linksToReference(table, field, column, slot);
    else if (slot.kind === "scalar" && column.references) {
      this.#textsToRows(table, field, column, slot.column);
    } else if (slot.kind === "reference" && !column.references) {
      this.#rowsToTexts(entity, table, field, column, slot.column);
    } else if (slot.column.references?.table !== column.references?.table) {
      this.#leadElsewhere(table, field, column, slot.column);
    } else {
      this.#taken.add(`${table}.${slot.column.name}`);
      if (slot.column.name !== name) {
        const step: Step = { kind: "rename column", table, column: slot.column.name, to: name };
        const sentence = `${table}.${slot.column.name} is called ${name} now`;
        this.#change({ table, column: name, sentence, steps: [step] });
      }
      this.#changeColumn(table, field, { ...slot.column, name }, column);
    }
  }

  #fillOf(field: Field): Fill | undefined {
    if (!field.fill || !isReference(field)) return field.fill;
    const target = tableOf(field.type.entity);
    const key = keyColumn(tableNamed(this.#to, target));
    const value = "value" in field.fill ? String(field.fill.value) : "";
    return key === undefined ? undefined : { row: { table: target, column: key, value } };
  }

  #addColumn(table: string, field: Field, column: Column): void {
    if (field.was?.includes(".") && this.#carried(table, field, column)) return;
    const fill = this.#fillOf(field);
    const steps: Step[] = [{ kind: "add column", table, column, ...(fill && { fill }) }];
    const sentence = `${table}.${column.name} is new${column.required && column.default === undefined && !fill ? " and required" : ""}`;
    this.#change({ table, column: column.name, sentence, steps });
  }

  /** A reference to other rows than before: the numbers mean nothing there. */
  #leadElsewhere(table: string, field: Field, column: Column, before: Column): void {
    if (before.name !== column.name) {
      this.#addColumn(table, field, column);
      return;
    }
    const fill = this.#fillOf(field);
    this.#anew.add(`${table}.${column.name}`);
    this.#change({
      table,
      column: column.name,
      sentence: `${table}.${column.name} leads to ${column.references?.table} instead of ${before.references?.table}`,
      steps: [
        { kind: "drop column", table, column: before, keep: keepName(table, column.name) },
        { kind: "add column", table, column, ...(fill && { fill }) },
      ],
      throwsAway: `${table}.${column.name}`,
    });
  }

  #changeColumn(table: string, field: Field, from: Column, to: Column): void {
    const values = renamedChoices(field, from);
    const fill = to.required && !from.required ? this.#fillOf(field) : undefined;
    const changes = columnChanges({ from, to, ...(values && { values }) });
    if (changes.length === 0) return;
    const lossy = this.decisions.throwAway?.has(`${table}.${to.name}`) ?? false;
    const merges = Object.values(values ?? {}).some((now) => choicesOf(from).includes(now));
    const step: ChangeColumn = {
      kind: "change column",
      table,
      from,
      to,
      ...(values && { values }),
      ...(fill && { fill }),
      ...(lossy && { lossy }),
      ...((lossy || fill || merges || !isExact(from.type, to.type)) && {
        keep: keepName(table, to.name),
      }),
    };
    const sentence = `${table}.${to.name} ${changes.join(" and ")}`;
    this.#change({ table, column: to.name, sentence, steps: [step] });
  }

  /** The steps that add a column, let data flow into it, and then make it what it is to be. */
  #filled(table: string, column: Column, flow: Step, fill: Fill | undefined): Step[] {
    const open: Column = { ...column, required: false };
    return [
      { kind: "add column", table, column: column.required ? open : column },
      flow,
      ...(column.required || fill
        ? [
            {
              kind: "change column" as const,
              table,
              from: open,
              to: column,
              ...(fill && { fill, keep: keepName(table, column.name) }),
            },
          ]
        : []),
    ];
  }

  /** The steps that let a column go whose values went somewhere else. */
  #emptied(table: string, column: Column, keep: boolean): Step[] {
    const open: Column = { ...column, required: false };
    return [
      ...(column.required
        ? [{ kind: "change column" as const, table, from: column, to: open }]
        : []),
      {
        kind: "drop column",
        table,
        column: open,
        carried: true,
        ...(keep && { keep: keepName(table, column.name) }),
      },
    ];
  }

  #textsToRows(table: string, field: Field, column: Column, text: Column): void {
    this.#taken.add(`${table}.${text.name}`);
    const target = column.references?.table ?? "";
    const goal = tableNamed(this.#to, target);
    const key = keyColumn(goal);
    const lacking = goal?.columns.filter(
      ({ name, required, default: start }) =>
        required && start === undefined && name !== key && !automatic.has(name),
    );
    const others = Object.fromEntries(
      (lacking ?? []).flatMap(({ name }) => {
        const fill = this.#fillAt(target, name);
        return fill ? [[name, fill]] : [];
      }),
    );
    const missing = lacking?.find(({ name }) => !(name in others));
    const impossible =
      key === undefined
        ? `${target} has no text that tells its rows apart`
        : text.type.kind !== "text" && text.type.kind !== "long text"
          ? `${table}.${text.name} holds no texts`
          : missing
            ? `new rows of ${target} need a value for ${missing.name}: give it \`fill\``
            : undefined;
    const flow: Step = {
      kind: "texts to rows",
      table,
      column: text.name,
      reference: column.name,
      target,
      key: key ?? "",
      ...(column.required && !this.#fillOf(field) && { required: true }),
      ...(Object.keys(others).length > 0 && { others }),
      keep: `${keepName(target)}-made-of-${keepName(table, text.name)}`,
    };
    this.#change({
      table,
      column: column.name,
      sentence: `the texts in ${table}.${text.name} become rows of ${target}, and ${column.name} leads to them`,
      steps: impossible
        ? []
        : [
            ...this.#filled(table, column, flow, this.#fillOf(field)),
            ...this.#emptied(table, text, true),
          ],
      ...(impossible && { impossible }),
    });
  }

  #fillAt(table: string, column: string): Fill | undefined {
    const entity = this.model.entities.find(({ name }) => tableOf(name) === table);
    const field = entity?.fields.find((each) => !isMany(each) && columnOf(each) === column);
    return field && this.#fillOf(field);
  }

  #rowsToTexts(
    _entity: Entity,
    table: string,
    field: Field,
    column: Column,
    reference: Column,
  ): void {
    const target = reference.references?.table ?? "";
    const key = keyColumn(tableNamed(this.#now, target));
    if (key === undefined || !["text", "long text"].includes(column.type.kind)) {
      this.#addColumn(table, field, column);
      return;
    }
    this.#taken.add(`${table}.${reference.name}`);
    const flow: Step = {
      kind: "rows to texts",
      table,
      column: column.name,
      reference: reference.name,
      target,
      key,
      ...(column.required && !this.#fillOf(field) && { required: true }),
    };
    this.#change({
      table,
      column: column.name,
      sentence: `${table}.${reference.name} becomes the text ${column.name}, with what ${target}.${key} says`,
      steps: [
        ...this.#filled(table, column, flow, this.#fillOf(field)),
        ...this.#emptied(table, reference, true),
      ],
    });
  }

  #compareMany(
    entity: Entity,
    field: Field & { type: { entity: string } },
    slot: Slot | undefined,
  ): void {
    const link = linkOf(entity, field);
    const goal = tableNamed(this.#to, link.table);
    const table = tableOf(entity.name);
    if (!goal) return;
    this.#taken.add(link.table);
    const target = tableOf(entityNamed(this.model, field.type.entity).name);
    if (slot?.kind === "links" && slot.target === target) {
      this.#renameLinks(slot.table, goal);
    } else if (slot?.kind === "reference" && slot.column.references?.table === target) {
      this.#taken.add(`${table}.${slot.column.name}`);
      const reference = slot.column;
      this.#change({
        table: link.table,
        sentence: `${table}.${reference.name} becomes the table ${link.table}, which can hold several for each ${table}`,
        steps: [
          { kind: "add table", table: goal },
          {
            kind: "reference to links",
            table,
            reference: reference.name,
            links: link.table,
            from: link.from,
            to: link.to,
          },
          ...this.#emptied(table, reference, false),
        ],
      });
    } else {
      const other = tableNamed(this.#now, link.table);
      this.#anew.add(link.table);
      this.#change({
        table: link.table,
        sentence: other
          ? `${link.table} leads to ${target} instead of ${other.columns[1]?.references?.table}`
          : `${link.table} is new`,
        steps: [
          ...(other
            ? [{ kind: "drop table" as const, table: other, keep: keepName(other.name) }]
            : []),
          { kind: "add table", table: goal },
        ],
        ...(other && { throwsAway: link.table }),
      });
    }
  }

  #renameLinks(before: Table, goal: Table): void {
    const steps: Step[] = [];
    this.#taken.add(before.name);
    if (before.name !== goal.name) {
      steps.push({ kind: "rename table", table: before.name, to: goal.name });
    }
    before.columns.forEach(({ name }, at) => {
      const to = goal.columns[at]?.name ?? name;
      if (to !== name) steps.push({ kind: "rename column", table: goal.name, column: name, to });
    });
    if (steps.length === 0) return;
    const sentence =
      before.name === goal.name
        ? `the columns of ${goal.name} follow the names of its tables`
        : `${before.name} is called ${goal.name} now`;
    this.#change({ table: goal.name, sentence, steps });
  }

  #linksToReference(
    table: string,
    field: Field,
    column: Column,
    { table: links, target }: Extract<Slot, { kind: "links" }>,
  ): void {
    if (column.references?.table !== target) {
      this.#addColumn(table, field, column);
      return;
    }
    this.#taken.add(links.name);
    const lossy = this.decisions.throwAway?.has(links.name) ?? false;
    const flow: Step = {
      kind: "links to reference",
      table,
      reference: column.name,
      links: links.name,
      from: links.key[0] ?? "",
      to: links.key[1] ?? "",
      ...(column.required && !this.#fillOf(field) && { required: true }),
      ...(lossy && { lossy }),
    };
    this.#change({
      table,
      column: column.name,
      sentence: `${links.name} becomes ${table}.${column.name}, which holds one for each ${table}`,
      steps: [
        ...this.#filled(table, column, flow, this.#fillOf(field)),
        { kind: "drop table", table: links, keep: keepName(links.name), carried: true },
      ],
    });
  }

  /** A field that was one of another entity, at the other end of a reference between the two. */
  #carried(table: string, field: Field, column: Column): boolean {
    const [otherName = "", name = ""] = field.was?.split(".") ?? [];
    const known = this.model.entities.find(
      (each) => each.name === otherName || each.was === otherName,
    );
    const other = known ? tableOf(known.name) : snakeCase(otherName);
    const source = tableNamed(this.#now, other)?.columns.find((each) => each.name === name);
    if (!source || source.references || other === table) return false;
    const stays = tableNamed(this.#to, other)?.columns.some((each) => each.name === name);
    const by = this.#between(table, other);
    if (!by || stays) return false;
    this.#taken.add(`${other}.${name}`);
    const from = { table: other, column: name };
    const open: Column = { ...source, name: column.name, required: false };
    const lossy = this.decisions.throwAway?.has(`${other}.${name}`) ?? false;
    const { checks: _, default: __, ...bare } = open;
    const fill = this.#fillOf(field);
    this.#change({
      table,
      column: column.name,
      sentence: `${other}.${name} moves to ${table}.${column.name}, along ${by.table}.${by.column}`,
      steps: [
        { kind: "add column", table, column: bare },
        { kind: "carry", from, to: { table, column: column.name }, by, ...(lossy && { lossy }) },
        ...(alike(bare, column)
          ? []
          : [
              {
                kind: "change column" as const,
                table,
                from: bare,
                to: column,
                ...(fill && { fill }),
                ...((fill || !isExact(bare.type, column.type)) && {
                  keep: keepName(table, column.name),
                }),
              },
            ]),
        ...(tableNamed(this.#to, other) ? this.#emptied(other, source, true) : []),
      ],
    });
    return true;
  }

  /** The reference between two tables: the one that is there, or the one that comes. */
  #between(one: string, other: string): { table: string; column: string } | undefined {
    for (const schema of [this.#now, this.#to]) {
      for (const [table, target] of [
        [one, other],
        [other, one],
      ] as const) {
        const found = tableNamed(schema, table)?.columns.find(
          ({ references }) => references?.table === target,
        );
        if (found) return { table, column: found.name };
      }
    }
    return undefined;
  }

  #dropRest(): void {
    for (const table of this.#now.tables) {
      const goal = tableNamed(this.#to, table.name);
      if (!goal && !this.#claimed(table.name)) {
        this.#change({
          table: table.name,
          sentence: `${table.name} is no longer in the model`,
          steps: [{ kind: "drop table", table, keep: keepName(table.name) }],
          throwsAway: table.name,
        });
      }
      for (const column of goal ? table.columns : []) {
        if (this.#taken.has(`${table.name}.${column.name}`) || table.key.length > 1) continue;
        this.#change({
          table: table.name,
          column: column.name,
          sentence: `${table.name}.${column.name} is no longer in the model`,
          steps: [
            {
              kind: "drop column",
              table: table.name,
              column,
              keep: keepName(table.name, column.name),
            },
          ],
          throwsAway: `${table.name}.${column.name}`,
        });
      }
    }
  }

  #compareIndexes(table: Table): void {
    const before = tableNamed(this.#now, table.name);
    if (!before || this.#anew.has(table.name)) return;
    const anew = ({ columns }: Index) =>
      columns.some((column) => this.#anew.has(`${table.name}.${column}`));
    const gone = missingFrom(before.indexes, table.indexes, anew);
    const come = missingFrom(table.indexes, before.indexes, anew);
    const same = (one: Index, other: Index) =>
      alike(one.columns, other.columns) && one.unique === other.unique;
    /** What only helps to find rows, or gets another name, is nothing to decide about. */
    const plain: Step[] = [];
    const sort = (indexes: Index[], others: Index[], kind: "drop index" | "add index") => {
      for (const index of indexes) {
        const step: Step = { kind, table: table.name, index };
        if (!index.unique || others.some((other) => same(index, other))) plain.push(step);
        else {
          this.#change({
            table: table.name,
            ...(index.columns[0] && { column: index.columns[0] }),
            sentence: `${table.name} (${index.columns.join(", ")}) ${kind === "add index" ? "has to be unique" : "no longer has to be unique"}`,
            steps: [step],
          });
        }
      }
    };
    sort(gone, come, "drop index");
    sort(come, gone, "add index");
    if (plain.length === 0) return;
    const sentence = `the indexes of ${table.name} follow its columns`;
    this.#change({ table: table.name, sentence, steps: plain });
  }

  /** Pairs of what goes and what comes that are alike; each stands in at most one pair. */
  #likelyRenames(): LikelyRename[] {
    const renames: LikelyRename[] = [];
    const gone = this.#changes.filter(({ throwsAway }) => throwsAway !== undefined);
    const settled = (name: string) => this.decisions.throwAway?.has(name) ?? false;
    const used = new Set<string>();
    for (const { table, column } of gone) {
      if (column === undefined) {
        const old = tableNamed(this.#now, table);
        if (settled(table) || !old || old.key.length > 1) continue;
        const come = this.#changes.find(
          ({ steps: [step] }) =>
            step?.kind === "add table" &&
            !used.has(step.table.name) &&
            alikeTables(old, step.table),
        );
        const entity = this.model.entities.find(({ name }) => tableOf(name) === come?.table);
        if (!come || !entity) continue;
        used.add(come.table);
        renames.push({ table, to: come.table, line: `was: ${pascal(table)}` });
      } else {
        if (settled(`${table}.${column}`)) continue;
        const old = tableNamed(this.#now, table)?.columns.find(({ name }) => name === column);
        const come = this.#changes.find(
          ({ table: at, steps: [step] }) =>
            at === table &&
            step?.kind === "add column" &&
            !used.has(`${table}.${step.column.name}`) &&
            step.column.type.kind === old?.type.kind &&
            step.column.references?.table === old.references?.table,
        );
        if (!come?.column) continue;
        used.add(`${table}.${come.column}`);
        const isId = old?.references !== undefined;
        const field = isId ? column.replace(/_id$/, "") : column;
        renames.push({ table, column, to: come.column, line: `was ${field}` });
      }
    }
    return renames;
  }
}

function missingFrom(
  indexes: readonly Index[],
  others: readonly Index[],
  anew: (index: Index) => boolean,
): Index[] {
  return indexes.filter((index) => anew(index) || !others.some((other) => alike(index, other)));
}

/** The columns that every table of an entity has by itself. */
const automatic: ReadonlySet<string> = new Set(["id", "version", "created_at", "updated_at"]);

/** The column by whose text the rows of a table are told apart. */
export function keyColumn(table: Table | undefined): string | undefined {
  if (!table) return undefined;
  const texts = table.columns.filter(({ type }) => type.kind === "text");
  const unique = (name: string) =>
    table.indexes.some((index) => index.unique && index.columns.join() === name);
  const found =
    texts.find(({ name, required }) => required && unique(name)) ??
    texts.find(({ name }) => unique(name)) ??
    texts.find(
      ({ required, checks = [] }) => required && !checks.some(({ kind }) => kind === "one of"),
    ) ??
    texts.find(({ checks = [] }) => !checks.some(({ kind }) => kind === "one of"));
  return found?.name;
}

function choicesOf({ checks = [] }: Column): readonly string[] {
  return checks.flatMap((check) => (check.kind === "one of" ? check.values : []));
}

/** Choices that have another name now, by the old one. */
function renamedChoices({ type }: Field, from: Column): Record<string, string> | undefined {
  if (type.kind !== "choice" || !type.formerly) return undefined;
  const before = choicesOf(from);
  const renamed = Object.entries(type.formerly).filter(
    ([, old]) => before.includes(old) && !type.choices.includes(old),
  );
  return renamed.length > 0
    ? Object.fromEntries(renamed.map(([now, old]) => [old, now]))
    : undefined;
}

/** Whether most columns of two tables are the same. */
function alikeTables(one: Table, other: Table): boolean {
  const own = (table: Table) =>
    table.columns
      .filter(({ name }) => !automatic.has(name))
      .map(({ name, type }) => `${name} ${type.kind}`);
  const [first, second] = [own(one), new Set(own(other))];
  const shared = first.filter((column) => second.has(column)).length;
  return shared * 2 >= Math.max(first.length, second.size) && shared > 0;
}

function pascal(table: string): string {
  return table.replace(/(^|_)(\p{L})/gu, (_all, _line, letter: string) => letter.toUpperCase());
}

/** When each kind of step has its turn. */
const turns: Readonly<Record<Step["kind"], number>> = {
  "rename table": 0,
  "rename column": 0,
  "drop index": 2,
  "add table": 3,
  "add column": 4,
  "texts to rows": 6,
  "rows to texts": 6,
  "reference to links": 6,
  "links to reference": 6,
  carry: 6,
  "own sql": 6,
  "change column": 7,
  "drop column": 8,
  "drop table": 9,
  "add index": 10,
};

function isRenamed({ table, index }: Extract<Step, { kind: "add index" }>, steps: readonly Step[]) {
  return steps.some(
    (other) =>
      other.kind === "drop index" &&
      other.table === table &&
      other.index.unique === index.unique &&
      alike(other.index.columns, index.columns) &&
      !steps.some(
        (added) =>
          added.kind === "add column" &&
          added.table === table &&
          index.columns.includes(added.column.name),
      ),
  );
}

/** Whether a step drops what another one adds under the same name. */
function makesRoom(step: Step, steps: readonly Step[]): boolean {
  if (step.kind === "drop table") {
    return steps.some(
      (other) => other.kind === "add table" && other.table.name === step.table.name,
    );
  }
  return (
    step.kind === "drop column" &&
    steps.some(
      (other) =>
        other.kind === "add column" &&
        other.table === step.table &&
        other.column.name === step.column.name,
    )
  );
}

/**
 * Steps in an order in which they can be taken, forward and back: data flows once its columns are there
 * and may be empty, and before the old ones go. Where no data flows, what happens to a table stands together.
 */
function inOrder(steps: readonly Step[], to: Schema): Step[] {
  const flows = steps.filter(({ kind }) => turns[kind] === 6);
  const position = new Map(to.tables.map(({ name }, at) => [name, at]));
  const turn = (step: Step): number => {
    const usual = turns[step.kind];
    if (makesRoom(step, steps)) return 2.5;
    // An index that only gets another name is there all the time, for what follows.
    if (step.kind === "add index" && isRenamed(step, steps)) return 2;
    // What becomes empty must be allowed to be, before the data flows and, on the way back, after it did.
    if (
      step.kind === "change column" &&
      step.from.required &&
      !step.to.required &&
      flows.length > 0
    ) {
      return 5;
    }
    return flows.length === 0 && (usual === 4 || usual === 8) ? 7 : usual;
  };
  const place = (step: Step): number => {
    if (step.kind === "add table") return position.get(step.table.name) ?? 0;
    if (step.kind === "drop table") return step.table.key.length > 1 ? -1 : 0;
    if (turn(step) === 7 && "table" in step) return position.get(step.table as string) ?? 0;
    // Rows that references are to lead to come before what goes along them.
    return step.kind === "carry" ? 1 : 0;
  };
  return steps
    .map((step, at) => ({ step, at }))
    .sort((a, b) => turn(a.step) - turn(b.step) || place(a.step) - place(b.step) || a.at - b.at)
    .map(({ step }) => step);
}
