import type { Field, Model } from "../model/model.ts";
import { type OptionName, parseDefinition, printDefinition } from "../model/notation.ts";
import { readModel } from "../model/read.ts";
import { type Cell, oneLine } from "./cells.ts";
import type { Answer, Question } from "./finding.ts";
import type { FieldPlan, ImportPlan, PlanNotes, SheetPlan } from "./plan.ts";
import { type ValueContext, valueReader } from "./values.ts";

/** A question that the sheets leave open, with what each answer makes of some cells. */
export interface OpenQuestion {
  sheet: number;
  /** The field that it is about; undefined for a split. */
  field?: string;
  /** What people call the column, such as `Date of dues.csv`. */
  about: string;
  ask: string;
  /** The first is what is taken without an answer. */
  choices: OpenChoice[];
}

export interface OpenChoice {
  say: string;
  /** What it changes: of the field, or whether a split is done. */
  set: Answer | { split: string; do: boolean };
  gives: { written: string; stored: string }[];
}

/** Cells that are shown with each answer. */
const mostCells = 3;

/** The questions of a plan, in its order. */
export function openQuestions(
  plan: ImportPlan,
  notes: PlanNotes,
  model: Model,
  context: ValueContext,
): OpenQuestion[] {
  return plan.sheets.flatMap((sheet, at) => [
    ...fieldQuestions(sheet, at, { notes, model, context }),
    ...splitQuestions(sheet, at, notes),
  ]);
}

function fieldQuestions(
  sheet: SheetPlan,
  at: number,
  { notes, model, context }: { notes: PlanNotes } & Pick<Asked, "model" | "context">,
): OpenQuestion[] {
  return sheet.fields.flatMap((field) => {
    const known = notes.sheets[at]?.fields.get(field.name);
    const { questions = [], samples = [] } = known ?? {};
    return questions.map((question) => ({
      sheet: at,
      field: field.name,
      about: `${sheet.sheet ?? sheet.file}, ${field.column}`,
      ask: question.ask,
      choices: choicesOf(question, { sheet, field, samples, model, context }),
    }));
  });
}

/** Whether columns become entities of their own. */
function splitQuestions(sheet: SheetPlan, at: number, notes: PlanNotes): OpenQuestion[] {
  return sheet.splits.map(({ entity, do: isDone }) => {
    const answers = [
      { say: "no", set: { split: entity, do: false }, gives: [] },
      { say: `yes: the entity ${entity}`, set: { split: entity, do: true }, gives: [] },
    ];
    const [said = ""] = notes.sheets[at]?.splits.get(entity) ?? [];
    return {
      sheet: at,
      about: sheet.sheet ?? sheet.file,
      ask: `${said}. An entity of their own?`,
      choices: isDone ? answers.reverse() : answers,
    };
  });
}

interface Asked {
  sheet: SheetPlan;
  field: FieldPlan;
  samples: readonly string[];
  model: Model;
  context: ValueContext;
}

function choicesOf({ choices }: Question, asked: Asked): OpenChoice[] {
  const all = choices.map(({ say, set }) => ({ say, set, read: readerOf(set, asked) }));
  // Cells that the answers read in different ways tell most.
  const telling = asked.samples.map((text) => ({
    text,
    results: all.map(({ read }) => read(text)),
  }));
  const isTelling = ({ results }: { results: string[] }) => new Set(results).size > 1;
  const shown = [...telling.filter(isTelling), ...telling.filter((each) => !isTelling(each))];
  return all.map(({ say, set }, at) => ({
    say,
    set,
    gives: shown
      .slice(0, mostCells)
      .map(({ text, results }) => ({ written: oneLine(text), stored: results[at] ?? "" })),
  }));
}

/** How cells are read under an answer; what they can't be read as is set aside. */
function readerOf(set: Answer, { sheet, field, model, context }: Asked): (text: string) => string {
  const changed = withAnswer(field, set);
  const owner = model.entities.find(({ name }) => name === sheet.entity);
  const target =
    changed.is === undefined
      ? owner?.fields.find(({ name }) => name === field.name)
      : fieldOf(changed.is);
  if (!target) return (text) => text;
  const read = valueReader(target, changed, context);
  return (text) => {
    const meant = changed.replace?.[text] ?? text;
    const found = read(meant as Exclude<Cell, null>);
    return "text" in found ? found.text : "set aside";
  };
}

/** The field that a definition gives. */
function fieldOf(is: string): Field | undefined {
  const text = `levadura: 1\nentities:\n  A:\n    fields:\n      f: ${JSON.stringify(is)}\n`;
  return readModel(text).model?.entities[0]?.fields[0];
}

/** A plan with an answer in it. */
export function answered(plan: ImportPlan, question: OpenQuestion, choice: number): ImportPlan {
  const set = question.choices[choice]?.set ?? {};
  const sheets = plan.sheets.map((sheet, at): SheetPlan => {
    if (at !== question.sheet) return sheet;
    if ("split" in set) {
      const splits = sheet.splits.map((split) =>
        split.entity === set.split ? { ...split, do: set.do } : split,
      );
      return { ...sheet, splits };
    }
    const fields = sheet.fields.map((field) =>
      field.name === question.field ? withAnswer(field, set) : field,
    );
    return { ...sheet, fields };
  });
  return { ...plan, sheets };
}

function withAnswer(field: FieldPlan, { type, replace, ...hints }: Answer): FieldPlan {
  const is = type && field.is !== undefined ? withType(field.is, type) : field.is;
  return {
    ...field,
    ...hints,
    ...(is !== undefined && { is }),
    ...(replace && { replace: { ...field.replace, ...replace } }),
  };
}

/** The options that any type takes. */
const general: ReadonlySet<OptionName> = new Set(["required", "label"]);

/** A definition with another type; what only the type before could have is left out. */
function withType(is: string, type: string): string {
  const { definition } = parseDefinition(is, (span) => span);
  if (definition.type?.text === type) return is;
  const options = new Map([...definition.options].filter(([name]) => general.has(name)));
  return printDefinition({ type: { text: type, at: { start: 0, end: 0 } }, options });
}
