import {
  type Entity,
  entityNamed,
  type Field,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { snakeCase } from "../naming/words.ts";
import { columnOf, linkOf, ownColumns, schemaOf, tableOf } from "../schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import { newRows } from "./backfill.ts";
import type { Change, Decisions, Difference } from "./change.ts";
import { checkChanges } from "./checks.ts";
import {
  automatic,
  choicesOf,
  emptied,
  filled,
  keyColumn,
  referenceBetween,
  renamedChoices,
} from "./columns.ts";
import {
  type FieldStorage,
  fieldMoves,
  storageBefore,
  storageNamed,
  storageRename,
} from "./field-storage.ts";
import {
  circleSteps,
  circlesOf,
  formerNames,
  isReplaced,
  passingName,
  wereTaken,
} from "./former-names.ts";
import { indexChanges, mayMeet } from "./indexes.ts";
import { orderSteps } from "./ordering.ts";
import { likelyRenames } from "./renames.ts";
import {
  alike,
  type Backfill,
  type ChangeColumn,
  columnChanges,
  isExact,
  keepName,
  type Step,
  takeStep,
} from "./steps.ts";

/** Computes the changes that make tables match a model. */
export function difference(from: Schema, model: Model, decisions: Decisions = {}): Difference {
  const comparison = new Comparison(from, model, decisions);
  return comparison.result();
}

class Comparison {
  readonly #from: Schema;
  readonly #to: Schema;
  /** The schema with the renames that were found taken already. */
  #now: Schema;
  readonly #changes: Change[] = [];
  readonly #taken = new Set<string>();
  /** Columns and tables that go and come again under the same name, with their indexes. */
  readonly #added = new Set<string>();

  constructor(
    from: Schema,
    readonly model: Model,
    readonly decisions: Decisions,
  ) {
    this.#from = from;
    this.#now = from;
    this.#to = schemaOf(model);
  }

  result(): Difference {
    this.#exchangeTables();
    // Again as long as there are any: one name may only be free once its table has got another.
    while (this.model.entities.some((entity) => this.#renameTable(entity)));
    for (const entity of this.model.entities) {
      const table = tableOf(entity.name);
      const former = this.model.entities.find(
        (each) => each !== entity && each.name === entity.was,
      );
      if (this.#isReplaced(entity, table)) {
        for (const name of [table, tableOf(entity.was ?? "")]) this.#leave(name);
        this.#added.add(table);
        this.#refuseReplaced(table, undefined, tableOf(entity.was ?? ""));
      } else if (tableNamed(this.#now, table)) this.#compareFields(entity, table);
      else if (former) this.#refuseName(table, undefined, tableOf(former.name));
      else this.#addTable(table);
    }
    const own = new Set(this.model.entities.map(({ name }) => tableOf(name)));
    for (const table of this.#to.tables) {
      if (!own.has(table.name) && !this.#taken.has(table.name)) this.#compareOwnTable(table);
    }
    this.#dropRest();
    for (const table of this.#to.tables) {
      const before = tableNamed(this.#now, table.name);
      if (!before || this.#added.has(table.name)) continue;
      const isAdded = (column: string) => this.#added.has(`${table.name}.${column}`);
      const meeting = mayMeet(table.name, this.#changes);
      for (const change of checkChanges(this.#from, table, this.#changes)) this.#change(change);
      for (const change of indexChanges(before, table, isAdded, (name) => meeting.has(name))) {
        this.#change(change);
      }
    }
    return {
      changes: this.#changes,
      steps: orderSteps(
        this.#changes.flatMap(({ steps }) => steps),
        this.#to,
      ),
      renames: likelyRenames(this.#changes, this.#now, this.model, this.decisions),
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

  /** A table that no entity has: of links, or of the people who sign in, which may get columns in later versions. */
  #compareOwnTable({ name, columns, key }: Table): void {
    const before = tableNamed(this.#now, name);
    this.#addTable(name);
    if (!before || key.length > 1) return;
    for (const column of columns) this.#compareOwnColumn(name, column);
  }

  /** A column that no field has. */
  #compareOwnColumn(table: string, column: Column): void {
    const place = `${table}.${column.name}`;
    this.#taken.add(place);
    const from = tableNamed(this.#now, table)?.columns.find(({ name }) => name === column.name);
    if (from && alike(from, column)) return;
    if (!from) this.#added.add(place);
    this.#change({
      table,
      column: column.name,
      sentence: from ? `${place} changes` : `${place} is new`,
      steps: [
        from
          ? { kind: "change column", table, from, to: column }
          : { kind: "add column", table, column },
      ],
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
    const steps = this.#tableRename(former, name);
    this.#change({ table: name, sentence: `${former} is called ${name} now`, steps });
    return true;
  }

  /** The steps that give a table another name, and the tables of its links, which are named after it. */
  #tableRename(former: string, name: string): Step[] {
    const steps: Step[] = [{ kind: "rename table", table: former, to: name }];
    for (const links of this.#now.tables) {
      if (links.key.length < 2 || links.columns[0]?.references?.table !== former) continue;
      if (!links.name.startsWith(`${former}_`)) continue;
      const renamed = name + links.name.slice(former.length);
      steps.push({ kind: "rename table", table: links.name, to: renamed });
    }
    return steps;
  }

  /** Tables whose names change places. */
  #exchangeTables(): void {
    const formerly = new Map<string, string>();
    for (const entity of this.model.entities) {
      const former = this.#formerName(entity);
      if (former !== undefined) formerly.set(tableOf(entity.name), former);
    }
    const before = new Set(
      this.#now.tables.filter(({ key }) => key.length === 1).map(({ name }) => name),
    );
    for (const circle of circlesOf(formerly, before)) {
      const start = this.#now;
      const steps = circleSteps(circle, (from, to) => {
        const moved = this.#tableRename(from, to);
        this.#now = moved.reduce(takeStep, this.#now);
        return moved;
      });
      this.#now = start;
      // The tables of links follow their entities, and may be others by now.
      const isOfCircle = (step: Step) =>
        step.kind === "rename table" && [passingName, ...circle].includes(step.table);
      const history = (this.decisions.history ?? []).filter(isOfCircle);
      if (wereTaken(steps.filter(isOfCircle), history)) continue;
      const sentence = `${circle.join(" and ")} change places`;
      this.#change({ table: circle[0] ?? "", sentence, steps });
    }
  }

  /** Fields whose names change places, whatever holds their values: columns, references, tables of links. */
  #exchangeFields(entity: Entity, table: string): void {
    const storages = new Map<string, FieldStorage>();
    const formerly = new Map<string, string>();
    for (const { name, was } of entity.fields) {
      const storage = was === undefined ? undefined : storageNamed(this.#now, table, was);
      if (was === undefined || !storage) continue;
      storages.set(was, storage);
      formerly.set(name, was);
    }
    for (const circle of circlesOf(formerly, new Set(storages.keys()))) {
      const [first = ""] = circle;
      const steps = circleSteps(circle, (from, to) => {
        const field = from === passingName ? first : from;
        const storage = storages.get(field);
        return storage ? [storageRename(table, { field, storage }, from, to)] : [];
      });
      const moves = fieldMoves(steps, table, circle);
      if (wereTaken(moves, fieldMoves(this.decisions.history ?? [], table, circle))) continue;
      const names = circle.map((name) => {
        const storage = storages.get(name);
        return storage?.kind === "links" ? storage.table.name : `${table}.${storage?.column.name}`;
      });
      const sentence = `${names.join(" and ")} change places`;
      this.#change({ table, column: first, sentence, steps });
    }
  }

  #compareFields(entity: Entity, table: string): void {
    this.#taken.add(table);
    this.#exchangeFields(entity, table);
    for (const [field, storage] of storageBefore(
      entity,
      this.#now,
      this.decisions.formerly,
      (name) => this.#taken.has(name),
    )) {
      const own = isMany(field) ? field.name : columnOf(field);
      if (this.#isFieldReplaced(entity, table, field)) {
        this.#leave(table, [field.name, field.was ?? ""]);
        this.#refuseReplaced(table, own, field.was ?? "");
      } else if (isMany(field)) this.#compareMany(entity, field, storage);
      else this.#compareSingle(entity, table, field, storage);
    }
    for (const column of tableNamed(this.#to, table)?.columns ?? []) {
      if (automatic.has(column.name)) this.#taken.add(`${table}.${column.name}`);
      else if (ownColumns.has(column.name)) this.#compareOwnColumn(table, column);
    }
  }

  #compareSingle(
    entity: Entity,
    table: string,
    field: Field,
    storage: FieldStorage | undefined,
  ): void {
    const name = columnOf(field);
    const column = tableNamed(this.#to, table)?.columns.find((each) => each.name === name);
    if (!column) return;
    this.#taken.add(`${table}.${name}`);
    const former = entity.fields.find((each) => each !== field && each.name === field.was);
    if (!storage && former) this.#refuseName(table, name, former.name);
    else if (!storage) this.#addColumn(table, field, column);
    else if (storage.kind === "links") this.#linksToReference(table, field, column, storage);
    else if (storage.kind === "scalar" && column.references) {
      this.#textsToRows(table, field, column, storage.column);
    } else if (storage.kind === "reference" && !column.references) {
      this.#rowsToTexts(entity, table, field, column, storage.column);
    } else if (storage.column.references?.table !== column.references?.table) {
      this.#leadElsewhere(table, field, column, storage.column);
    } else {
      this.#taken.add(`${table}.${storage.column.name}`);
      if (storage.column.name !== name) {
        const step: Step = { kind: "rename column", table, column: storage.column.name, to: name };
        const sentence = `${table}.${storage.column.name} is called ${name} now`;
        this.#change({ table, column: name, sentence, steps: [step] });
      }
      this.#changeColumn(table, field, { ...storage.column, name }, column);
    }
  }

  /** Refuses a new name whose former name is still in use, or is new itself. */
  #refuseName(table: string, column: string | undefined, former: string): void {
    const name = column ? `${table}.${column}` : table;
    this.#change({
      table,
      ...(column && { column }),
      sentence: `${name} is new, and was ${former}`,
      steps: [],
      impossible: `${former} is still in the model, so nothing else can take its values: remove \`was ${former}\``,
    });
  }

  /** Whether an existing table claims the rows of another one, and it is unclear what happens to its own. */
  #isReplaced({ name, was }: Entity, table: string): boolean {
    const formerly = formerNames(this.model.entities, tableOf);
    const isThere = (each: string) => tableNamed(this.#now, each) !== undefined;
    const names = new Set(this.model.entities.map((each) => tableOf(each.name)));
    const taken = (this.decisions.history ?? []).some(
      (step) =>
        step.kind === "rename table" && step.to === table && step.table === tableOf(was ?? name),
    );
    return !taken && isReplaced(table, formerly, names, isThere);
  }

  /** The same of a field. */
  #isFieldReplaced({ fields }: Entity, table: string, { name, was }: Field): boolean {
    const own = fields.filter((field) => !field.was?.includes("."));
    const isThere = (each: string) => storageNamed(this.#now, table, each) !== undefined;
    const names = new Set(fields.map((each) => each.name));
    const moves = fieldMoves(this.decisions.history ?? [], table, [name, was ?? name]);
    const taken = moves.includes(`${was} > ${name}`);
    return !taken && isReplaced(name, formerNames(own, String), names, isThere);
  }

  /** Reports no other changes of a table, or of some of its fields, while a refused name is unresolved. */
  #leave(table: string, fields?: readonly string[]): void {
    if (!fields) this.#taken.add(table);
    for (const { name, key, columns } of this.#now.tables) {
      const isLinks = key.length > 1 && columns[0]?.references?.table === table;
      if (isLinks && (!fields || fields.some((field) => name === `${table}_${field}`))) {
        this.#taken.add(name);
      }
      if (name !== table) continue;
      for (const column of columns) {
        const isField = (field: string) => [field, `${field}_id`].includes(column.name);
        if (!fields || fields.some(isField)) this.#taken.add(`${table}.${column.name}`);
      }
    }
  }

  /** Refuses an existing name whose former name is being removed: either one's values could be meant. */
  #refuseReplaced(table: string, column: string | undefined, former: string): void {
    const name = column ? `${table}.${column}` : table;
    this.#change({
      table,
      ...(column && { column }),
      sentence: `${name} was ${former}, and both are there`,
      steps: [],
      impossible: `it is unclear which values ${name} should have: remove \`was ${former}\` to keep its own, or first remove ${name} from the model and prepare that`,
    });
  }

  #fillOf(field: Field): Backfill | undefined {
    if (!field.fill || !isReference(field)) return field.fill;
    const target = tableOf(field.type.entity);
    const key = keyColumn(tableNamed(this.#to, target));
    const value = "value" in field.fill ? String(field.fill.value) : "";
    return key === undefined ? undefined : { row: { table: target, column: key, value } };
  }

  /** What rows get into which nothing flows: what `fill` says, or the default where there has to be something. */
  #fillOfFlow(field: Field, { required, default: start }: Column): Backfill | undefined {
    return this.#fillOf(field) ?? (required && start !== undefined ? { value: start } : undefined);
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
    this.#added.add(`${table}.${column.name}`);
    this.#change({
      table,
      column: column.name,
      sentence: `${table}.${column.name} leads to ${column.references?.table} instead of ${before.references?.table}`,
      steps: [
        { kind: "drop column", table, column: before, keep: keepName(table, column.name) },
        { kind: "add column", table, column, ...(fill && { fill }) },
      ],
      lossAccepted: `${table}.${column.name}`,
    });
  }

  #changeColumn(table: string, field: Field, from: Column, to: Column): void {
    const { values, impossible } = renamedChoices(field, from, this.decisions.history ?? []);
    if (impossible) {
      const sentence = `${table}.${to.name} has other choices`;
      this.#change({ table, column: to.name, sentence, steps: [], impossible });
      return;
    }
    const fill = to.required && !from.required ? this.#fillOf(field) : undefined;
    const changes = columnChanges({ from, to, ...(values && { values }) });
    if (changes.length === 0) return;
    const lossy = this.decisions.acceptLoss?.has(`${table}.${to.name}`) ?? false;
    const merges = Object.values(values ?? {}).some(
      (now) => choicesOf(from).includes(now) && !Object.hasOwn(values ?? {}, now),
    );
    const step: ChangeColumn = {
      kind: "change column",
      table,
      from,
      to,
      ...(values && { values }),
      ...(fill && { fill }),
      ...(lossy && { lossy }),
      ...this.#zoneOf(from, to),
      ...((lossy || fill || merges || !isExact(from.type, to.type)) && {
        keep: keepName(table, to.name),
      }),
    };
    const sentence = `${table}.${to.name} ${changes.join(" and ")}`;
    this.#change({ table, column: to.name, sentence, steps: [step] });
  }

  /** The time zone by which days become moments, or moments days. */
  #zoneOf(from: Column, to: Column): Pick<ChangeColumn, "timezone"> {
    const { timezone } = this.model.app;
    const kinds = [from.type.kind, to.type.kind];
    const zoned = kinds.includes("datetime") && (kinds.includes("date") || kinds.includes("time"));
    return zoned && timezone !== "UTC" ? { timezone } : {};
  }

  #textsToRows(table: string, field: Field, column: Column, text: Column): void {
    this.#taken.add(`${table}.${text.name}`);
    const target = column.references?.table ?? "";
    const goal = tableNamed(this.#to, target);
    const key = keyColumn(goal);
    const made = newRows(goal, tableNamed(this.#now, target), (name) => this.#fillAt(target, name));
    const impossible =
      key === undefined
        ? `${target} has no text that tells its rows apart`
        : text.type.kind !== "text" && text.type.kind !== "long text"
          ? `${table}.${text.name} holds no texts`
          : made.impossible;
    const fill = this.#fillOfFlow(field, column);
    const flow: Step = {
      kind: "extract lookup",
      table,
      column: text.name,
      reference: column.name,
      target,
      key: key ?? "",
      ...(column.required && !fill && { required: true }),
      ...(Object.keys(made.others).length > 0 && { others: made.others }),
      keep: `${keepName(target)}-made-of-${keepName(table, text.name)}`,
    };
    this.#change({
      table,
      column: column.name,
      sentence: `the texts in ${table}.${text.name} become rows of ${target}, and ${column.name} leads to them`,
      steps: impossible
        ? []
        : [...filled(table, column, flow, fill), ...emptied(table, text, true)],
      ...(impossible && { impossible }),
    });
  }

  #fillAt(table: string, column: string): Backfill | undefined {
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
    const fill = this.#fillOfFlow(field, column);
    const flow: Step = {
      kind: "inline lookup",
      table,
      column: column.name,
      reference: reference.name,
      target,
      key,
      ...(column.required && !fill && { required: true }),
    };
    this.#change({
      table,
      column: column.name,
      sentence: `${table}.${reference.name} becomes the text ${column.name}, with what ${target}.${key} says`,
      steps: [...filled(table, column, flow, fill), ...emptied(table, reference, true)],
    });
  }

  #compareMany(
    entity: Entity,
    field: Field & { type: { entity: string } },
    storage: FieldStorage | undefined,
  ): void {
    const link = linkOf(entity, field);
    const goal = tableNamed(this.#to, link.table);
    const table = tableOf(entity.name);
    if (!goal) return;
    this.#taken.add(link.table);
    const target = tableOf(entityNamed(this.model, field.type.entity).name);
    if (storage?.kind === "links" && storage.target === target) {
      this.#renameLinks(storage.table, goal);
    } else if (storage?.kind === "reference" && storage.column.references?.table === target) {
      this.#taken.add(`${table}.${storage.column.name}`);
      const reference = storage.column;
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
          ...emptied(table, reference, false),
        ],
      });
    } else {
      const other = tableNamed(this.#now, link.table);
      this.#added.add(link.table);
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
        ...(other && { lossAccepted: link.table }),
      });
    }
  }

  #renameLinks(before: Table, goal: Table): void {
    const steps: Step[] = [];
    this.#taken.add(before.name);
    if (before.name !== goal.name) {
      steps.push({ kind: "rename table", table: before.name, to: goal.name });
    }
    const rename = (column: string, to: string): Step[] =>
      column === to ? [] : [{ kind: "rename column", table: goal.name, column, to }];
    const names = before.columns.map(
      ({ name }, at) => [goal.columns[at]?.name ?? name, name] as const,
    );
    const formerly = new Map(names.filter(([to, name]) => to !== name));
    const [circle] = circlesOf(formerly, new Set(names.map(([, name]) => name)));
    if (circle) steps.push(...circleSteps(circle, rename));
    else steps.push(...names.flatMap(([to, name]) => rename(name, to)));
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
    { table: links, target }: Extract<FieldStorage, { kind: "links" }>,
  ): void {
    if (column.references?.table !== target) {
      this.#addColumn(table, field, column);
      return;
    }
    this.#taken.add(links.name);
    const lossy = this.decisions.acceptLoss?.has(links.name) ?? false;
    const fill = this.#fillOf(field);
    const flow: Step = {
      kind: "links to reference",
      table,
      reference: column.name,
      links: links.name,
      from: links.key[0] ?? "",
      to: links.key[1] ?? "",
      ...(column.required && !fill && { required: true }),
      ...(lossy && { lossy }),
    };
    this.#change({
      table,
      column: column.name,
      sentence: `${links.name} becomes ${table}.${column.name}, which holds one for each ${table}`,
      steps: [
        ...filled(table, column, flow, fill),
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
    const by = referenceBetween([this.#now, this.#to], table, other);
    if (!by || stays) return false;
    this.#taken.add(`${other}.${name}`);
    const from = { table: other, column: name };
    const open: Column = { ...source, name: column.name, required: false };
    const lossy = this.decisions.acceptLoss?.has(`${other}.${name}`) ?? false;
    const { checks: _, default: __, ...bare } = open;
    const fill = this.#fillOf(field);
    this.#change({
      table,
      column: column.name,
      sentence: `${other}.${name} moves to ${table}.${column.name}, along ${by.table}.${by.column}`,
      steps: [
        { kind: "add column", table, column: bare },
        {
          kind: "move column",
          from,
          to: { table, column: column.name },
          by,
          ...(lossy && { lossy }),
        },
        ...(alike(bare, column)
          ? []
          : [
              {
                kind: "change column" as const,
                table,
                from: bare,
                to: column,
                ...(fill && { fill }),
                ...this.#zoneOf(bare, column),
                ...((fill || !isExact(bare.type, column.type)) && {
                  keep: keepName(table, column.name),
                }),
              },
            ]),
        ...(tableNamed(this.#to, other) ? emptied(other, source, true) : []),
      ],
    });
    return true;
  }

  #dropRest(): void {
    for (const table of this.#now.tables) {
      const goal = tableNamed(this.#to, table.name);
      if (!goal && !this.#taken.has(table.name)) {
        this.#change({
          table: table.name,
          sentence: `${table.name} is no longer in the model`,
          steps: [{ kind: "drop table", table, keep: keepName(table.name) }],
          lossAccepted: table.name,
        });
      }
      for (const column of goal ? table.columns : []) {
        if (this.#taken.has(`${table.name}.${column.name}`) || table.key.length > 1) continue;
        this.#change({
          table: table.name,
          column: column.name,
          sentence: `${table.name}.${column.name} is no longer in the model`,
          steps: this.#droppedColumn(table.name, column),
          lossAccepted: `${table.name}.${column.name}`,
        });
      }
    }
  }

  /** The steps that drop a column. Rows that are made of texts before that must do without it already. */
  #droppedColumn(table: string, column: Column): Step[] {
    const receives = this.#changes.some(({ steps }) =>
      steps.some((step) => step.kind === "extract lookup" && step.target === table),
    );
    const inTheWay = receives && column.required && column.default === undefined;
    const last = inTheWay ? { ...column, required: false } : column;
    const keep = keepName(table, column.name);
    return [
      ...(inTheWay ? [{ kind: "change column" as const, table, from: column, to: last }] : []),
      { kind: "drop column", table, column: last, keep },
    ];
  }
}
