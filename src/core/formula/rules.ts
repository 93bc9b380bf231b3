import { printName } from "../../../kit/formula/print.ts";
import { type Entity, type Field, isMany, type RowRule } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";

/** A rule, and the field that it is about; undefined where its formula tells. */
export interface HeldRule extends RowRule {
  about?: string;
  /** What it says, where that reads better than its formula. */
  told?: string;
  /** Whether it says only that the field is needed, for which applications have words of their own. */
  needs?: true;
  /** Whether it says only that the record is none of those that are offered. */
  offers?: true;
}

/** What every record of an entity has to obey: that what is needed is there, and the rules that are written down. */
export function rulesOf(entity: Entity): HeldRule[] {
  return [
    ...entity.fields.flatMap(neededRule),
    ...entity.fields.flatMap(offeredRule),
    ...entity.rules,
  ];
}

/** What forms say of such a field that is blank, as of one that is always needed. */
const sentences: Readonly<Partial<Record<Field["type"]["kind"], string>>> = {
  choice: "Choose one.",
  one: "Choose one.",
  many: "Choose at least one.",
  date: "Choose a date.",
  time: "Choose a time.",
  datetime: "Choose a date and a time.",
  color: "Choose a colour.",
};

/** A field that is needed where a condition holds, as a rule. */
function neededRule(field: Field): HeldRule[] {
  const { requiredWhen, name, type } = field;
  if (!requiredWhen) return [];
  const filled = isMany(field)
    ? `count(${printName(name)}) > 0`
    : `${printName(name)} is not empty`;
  return [
    {
      sentence: sentences[type.kind] ?? "Fill this in.",
      formula: `= ${filled} or not (${requiredWhen.formula.replace(/^=/, "")})`,
      told: `${name} is filled in when ${requiredWhen.formula.replace(/^=\s*/, "")}`,
      at: requiredWhen.at,
      about: columnOf(field),
      needs: true,
    },
  ];
}

/** That a lookup has one of the records that it offers, as a rule. */
function offeredRule({ offeredWhen, name, ...field }: Field): HeldRule[] {
  if (!offeredWhen) return [];
  const condition = offeredWhen.formula.replace(/^=\s*/, "");
  return [
    {
      sentence: "Choose one of those that are offered.",
      formula: `= ${printName(name)} is empty or (${condition})`,
      told: condition,
      at: offeredWhen.at,
      about: columnOf({ ...field, name }),
      offers: true,
    },
  ];
}

/** A rule as people read it; of a field that is needed, behind the field's label. */
export function toldRule(entity: Entity, { about, sentence }: HeldRule): string {
  const field = entity.fields.find((each) => columnOf(each) === about);
  return field ? `${field.label}: ${sentence}` : sentence;
}
