import {
  type Calculation,
  looksAtLists,
  namedFields,
  valueTypeOf,
} from "../../../kit/formula/calculation.ts";
import type { Complaint } from "../../../kit/formula/complaint.ts";
import { FormulaScope } from "../../../kit/formula/scope.ts";
import { formulaWords } from "../../../kit/formula/words.ts";
import { withoutField } from "../evolution/deferred-changes.ts";
import { ruleOf } from "../fields/types.ts";
import type { Diagnostic, Span } from "../model/diagnostics.ts";
import {
  automaticFields,
  type Entity,
  type Field,
  type Formula,
  type Grant,
  isComputed,
  type Model,
  type ReportFormula,
  type Rights,
} from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { computedDefaults } from "./compile.ts";
import { factsOf } from "./facts.ts";
import { formulaOf } from "./scope.ts";

/** What is wrong with the formulas of a model, each thing at its place. */
export function checkFormulas(model: Model): Diagnostic[] {
  return troubles(model).map(
    ({ renamed: _, ...trouble }): Diagnostic => ({ severity: "error", ...trouble }),
  );
}

/**
 * Names and choices in the formulas of a model that are called something else by now, the first of each formula,
 * as it is to be written.
 */
export function renamedInFormulas(model: Model): { at: Span; name: string }[] {
  return troubles(model).flatMap(({ at, renamed }) =>
    renamed === undefined ? [] : [{ at, name: renamed }],
  );
}

/** A model without the formulas that it lacks something for. */
export function onlyComputable(model: Model): Model {
  const checking = new Checking(model);
  const entities = model.entities.map((entity) => {
    const rules = entity.rules.filter((rule) => !checking.condition(entity, rule));
    const fields = entity.fields.map((field) => checking.withoutUnusable(entity, field));
    return entity.fields
      .filter((field) => isComputed(field) && checking.computed(entity, field))
      .reduce((left, field) => withoutField(left, field), {
        ...entity,
        fields,
        rules,
        ...(entity.highlights && {
          highlights: entity.highlights.filter((each) => !checking.condition(entity, each)),
        }),
        ...(entity.rights && { rights: checking.usableRights(entity) ?? {} }),
      });
  });
  return { ...model, entities };
}

/** Something that is wrong with a formula, at its place in the file. */
interface Trouble extends Omit<Diagnostic, "severity"> {
  renamed?: string;
}

function troubles(model: Model): Trouble[] {
  const checking = new Checking(model);
  return model.entities.flatMap((entity) =>
    [
      ...entity.fields.flatMap((field) => checking.field(entity, field)),
      ...entity.rules.map((rule) => checking.condition(entity, rule)),
      ...(entity.highlights ?? []).map((each) => checking.condition(entity, each)),
      ...(entity.reports ?? []).flatMap(({ formulas }) =>
        formulas.map((each) => checking.reported(entity, each)),
      ),
      ...grantsOf(entity).map(({ where }) => where && checking.condition(entity, where)),
    ].filter((trouble) => trouble !== undefined),
  );
}

function grantsOf({ rights = {} }: Entity): readonly Grant[] {
  return Object.values(rights).flat();
}

class Checking {
  readonly #scope: FormulaScope;

  constructor(readonly model: Model) {
    this.#scope = new FormulaScope(factsOf(model));
  }

  /** The rights without those whose condition can't be computed. */
  usableRights(entity: Entity): Rights | undefined {
    return (
      entity.rights &&
      Object.fromEntries(
        Object.entries(entity.rights).map(([group, grants]) => [
          group,
          grants.filter(({ where }) => !where || !this.condition(entity, where)),
        ]),
      )
    );
  }

  field(entity: Entity, field: Field): (Trouble | undefined)[] {
    const { type, default: start, requiredWhen, shownWhen, offeredWhen } = field;
    const isPlain = !start && !requiredWhen && !shownWhen && !offeredWhen;
    if (type.kind !== "formula" && isPlain) return [];
    return [
      isComputed(field) ? this.computed(entity, field) : undefined,
      this.default(entity, field),
      // What is required where it is shown has one condition, which is told once.
      field.requiredWhen !== field.shownWhen
        ? field.requiredWhen && this.condition(entity, field.requiredWhen)
        : undefined,
      this.shownWhen(entity, field),
      this.offeredWhen(entity, field),
    ];
  }

  /** The field without a default or a condition that can't be computed. */
  withoutUnusable(entity: Entity, field: Field): Field {
    const { default: start, requiredWhen, shownWhen, offeredWhen, ...rest } = field;
    return {
      ...rest,
      ...(start && !this.default(entity, field) && { default: start }),
      ...(requiredWhen && !this.condition(entity, requiredWhen) && { requiredWhen }),
      ...(shownWhen && !this.shownWhen(entity, field) && { shownWhen }),
      ...(offeredWhen && !this.offeredWhen(entity, field) && { offeredWhen }),
    };
  }

  computed(entity: Entity, field: Field): Trouble | undefined {
    if (!isComputed(field)) return undefined;
    const found = this.#scope.computed(entity.name, field.name);
    return "complaint" in found
      ? troubleOf(found.complaint, { ...field.type, at: field.at })
      : undefined;
  }

  condition(entity: Entity, formula: Formula): Trouble | undefined {
    return this.#trouble(entity, formula, ({ type }) =>
      type === "boolean"
        ? undefined
        : {
            message: "this gives a value, and a condition was expected",
            help: "a condition holds or doesn't, as in `= removed is empty or removed >= installed`",
          },
    );
  }

  reported(entity: Entity, formula: ReportFormula): Trouble | undefined {
    if (formula.gives === "condition") return this.condition(entity, formula);
    // Rows are grouped by records by their numbers.
    const asRecord = { ...formula, formula: `${formula.formula}.id` };
    const isPath = /^= [\p{L}\p{M}\p{N}_.{}]+$/u.test(formula.formula);
    const isRecord = formula.gives === "group" && isPath;
    if (isRecord && !this.#trouble(entity, asRecord, () => undefined)) return undefined;
    return this.#trouble(entity, formula, (calculation) => {
      const type = valueTypeOf(calculation);
      if (formula.gives === "group") {
        return type === "time"
          ? { message: "rows can't be grouped by times", help: "group by a date" }
          : undefined;
      }
      const isNumber = calculation.type === "number" || calculation.type === "span";
      if (isNumber || (formula.gives === "edge" && type === "date")) return undefined;
      return { message: `this gives ${formulaWords.types[type]}, and a number was expected` };
    });
  }

  shownWhen(entity: Entity, { shownWhen }: Field): Trouble | undefined {
    return (
      shownWhen &&
      (this.condition(entity, shownWhen) ?? this.#trouble(entity, shownWhen, unknownBefore))
    );
  }

  offeredWhen(entity: Entity, field: Field): Trouble | undefined {
    const { offeredWhen, name } = field;
    if (!offeredWhen) return undefined;
    const looksAtIt = (calculation: Calculation) =>
      namedFields(calculation).includes(columnOf(field))
        ? undefined
        : {
            message: `this doesn't look at \`${name}\`, so it offers all records or none`,
            help: `write what is true of those that are offered, as in \`${name}.apiary = apiary\``,
          };
    return (
      this.condition(entity, offeredWhen) ??
      this.#trouble(entity, offeredWhen, unknownBefore) ??
      this.#trouble(entity, offeredWhen, looksAtIt)
    );
  }

  default(entity: Entity, field: Field): Trouble | undefined {
    const { default: start, type, name } = field;
    if (!start || !("formula" in start)) return undefined;
    const wanted = ruleOf(type).value;
    return this.#trouble(entity, start, (calculation) => {
      if (wanted !== undefined && valueTypeOf(calculation) !== wanted) {
        const help =
          calculation.type === "span" && wanted === "number"
            ? "take the number of days with `days(from, to)`"
            : undefined;
        return {
          message: `this gives ${formulaWords.types[valueTypeOf(calculation)]}, and \`${name}\` holds ${formulaWords.types[wanted]}`,
          ...(help && { help }),
        };
      }
      const { circle } = computedDefaults(this.model, entity);
      if (circle.some((each) => each.field === field)) {
        const names = circle.map((each) => `\`${each.field.name}\``).join(", ");
        return {
          message:
            circle.length === 1
              ? "this default looks at the field itself"
              : `the defaults of ${names} are each computed of another one of them`,
          help: "let one of them begin with something that is typed in",
        };
      }
      return unknownBefore(calculation);
    });
  }

  #trouble(
    entity: Entity,
    formula: Formula,
    unfit: (calculation: Calculation) => Omit<Complaint, "at"> | undefined,
  ): Trouble | undefined {
    const found = formulaOf(this.model, entity, formula.formula, this.#scope);
    if ("complaint" in found) return troubleOf(found.complaint, formula);
    const trouble = unfit(found.calculation);
    return trouble && { ...trouble, at: formula.at };
  }
}

/** What a form can't know of a record that isn't saved yet. */
function unknownBefore(calculation: Calculation): Omit<Complaint, "at"> | undefined {
  if (looksAtLists(calculation)) {
    return {
      message: "this looks at records that refer to this one, and a new one has none yet",
      help: "it can look at the fields of the form, and along references, as in `apiary.town`",
    };
  }
  const known = automaticFields.find((name) => namedFields(calculation).includes(name));
  return known && { message: `a record gets its \`${known}\` only when it is saved` };
}

/** What is wrong with a formula, seen from the file: at its place, or at the whole where that isn't known. */
function troubleOf(
  { at: place, renamed, ...rest }: Complaint,
  { origin, at }: { origin?: number; at: Span },
): Trouble {
  return origin === undefined
    ? { ...rest, at }
    : {
        ...rest,
        at: { start: origin + place.start, end: origin + place.end },
        ...(renamed !== undefined && { renamed }),
      };
}
