import type { ValueType } from "./value-type.ts";

/** What is said of formulas that make no sense, in English; the messages of other languages have the same. */
export const formulaWords = {
  types: {
    number: "a number",
    text: "a text",
    boolean: "true or false",
    date: "a date",
    time: "a time",
    moment: "a moment",
    span: "a number of days",
    duration: "a span of time",
  } as Readonly<Record<ValueType, string>>,
  either: (types: readonly string[]) => types.join(" or "),
  didYouMean: (word: string) => `did you mean \`${word}\`?`,
  write: (what: string) => `write ${what}`,
  writeAs: (example: string) => `write it as \`${example}\``,
  asIn: (example: string) => `as in \`${example}\``,

  tooLong: (length: number, most: number) =>
    `this formula has ${length} characters, and ${most} are the most`,
  tooDeep: (most: number) => `this is more than ${most} deep`,
  partsApart: "put parts of it into computed fields of their own",
  beginsWithSign: "a formula begins with `=`",
  theEnd: "the end",
  cantFollow: (what: string) => `${what} can't follow here`,
  operatorExpected: "an operator such as `+`, `and` or `&` was expected, or the end",
  standsFor: (what: string, wanted: string, why: string) =>
    `${what} stands where \`${wanted}\` was expected, ${why}`,
  beforeValues: "before the values",
  toClose: "to close the bracket",
  comparedAlready: "this is a comparison already",
  andBetween: "put `and` between two comparisons, or brackets round the first",
  noValues: "there are no values in these brackets",
  missingAtEnd: "something is missing at the end",
  notAllowed: (what: string) => `${what} isn't allowed here`,
  valueExpected: "a field, a number, a text in quotes or a function was expected",
  calledSo: (name: string) => `a field that is called so is written as {${name}}`,
  nameExpected: (what: string) => `${what} stands where the name of a field was expected`,
  textNotClosed: "a text begins here that doesn't end",
  closeWith: (mark: string) => `close it with ${mark}`,
  noSign: (sign: string) => `\`${sign}\` means nothing in a formula`,

  expected: (type: string, wanted: string, place: string) =>
    `this is ${type}, and ${wanted} was expected ${place}`,
  behind: (operator: string) => `behind \`${operator}\``,
  beside: (operator: string) => `beside \`${operator}\``,
  beforeIn: "as before `in`",
  within: (name: string) => `in \`${name}\``,
  firstInIf: "first in `if`",
  asBefore: "as the value before it",
  asCondition: "as the condition",
  nothingFollows: (name: string, type: string) =>
    `nothing can follow behind \`${name}\`, which is ${type}`,
  isRecord: (name: string, entity: string) => `\`${name}\` is a record, ${entity}`,
  emptyOrField: (name: string, field: string) =>
    `ask whether it \`is empty\`, or name one of its fields, as in \`${name}.${field}\``,
  isFiles: (name: string) => `\`${name}\` is a field of files`,
  askEmpty: "ask whether it `is empty`",
  areRecords: (name: string, entity: string) => `\`${name}\` are any number of records, ${entity}`,
  countThem: (name: string) => `count them with \`count(${name})\``,
  takeOne: "take one value of them, with `sum`, `largest` or the like",
  isCalled: (name: string, now: string) => `\`${name}\` is called \`${now}\` now`,
  writeNew: "write the new name; `levadura check --fix` does it in all formulas",
  noField: (entity: string, name: string) => `${entity} has no field \`${name}\``,
  itHas: (names: string) => `it has ${names}`,
  cantCompare: (one: string, other: string) => `${one} can't be compared with ${other}`,
  doesntWork: (operator: string, one: string, other: string) =>
    `\`${operator}\` doesn't work between ${one} and ${other}`,
  joinTexts: "texts are joined with `&`",
  onlyMe: "only `me` can follow `includes`",
  meUnknown: "`me` isn't known here",
  meHelp:
    "it can be used in `rights`, if `users` has a `record`: the entity whose records people are",
  meIs: (entity: string) => `\`me\` is a record of ${entity}, which this can't be compared with`,
  meExample: "as in `warden = me` or `keepers includes me`",
  choiceIsCalled: (choice: string, name: string, now: string) =>
    `the choice \`${choice}\` of \`${name}\` is called \`${now}\` now`,
  writeNewChoice: "write the new one; `levadura check --fix` does it in all formulas",
  noChoice: (name: string, choice: string) => `\`${name}\` has no choice \`${choice}\``,
  choicesAre: (choices: string) => `its choices are ${choices}`,
  noFunction: (name: string) => `there is no function \`${name}\``,
  thereAre: (names: string) => `there are ${names}`,
  unlike: (type: string, before: string) =>
    `this is ${type}, and what stands before it is ${before}`,
  takesValues: (name: string, wanted: { least: number; most?: number }, has: number) => {
    const { least, most } = wanted;
    const told =
      most === undefined ? `${least} or more` : least === most ? least : `${least} or ${most}`;
    return `\`${name}\` takes ${told} ${told === 1 ? "value" : "values"}, and has ${has}`;
  },
  ifTakes: "`if` takes a condition and two values",
  takesRecords: (name: string) => `\`${name}\` takes records that refer to this one`,
  notList: (name: string) => `\`${name}\` is not a list of records`,
  countsOnField: (name: string) => `\`${name}\` counts on a field here`,
  countsOnRecords: (name: string) => `\`${name}\` counts on the records here`,
  nameField: (example: string) => `name a field of them, as in \`${example}\``,
  leaveField: (example: string) => `leave the field out, as in \`${example}\``,
  doesntTake: (name: string, type: string) => `\`${name}\` doesn't take ${type}`,
  itTakes: (types: string) => `it takes ${types}`,

  circle: (names: string) => `${names}: each is computed from the next`,
  wrongItself: (path: string) => `the formula of ${path} is wrong itself`,
  nothingComputed: "nothing is computed from it",
  tooMuch: "this is too much, including the computed fields in it",
  mostOperations: (most: number) => `a formula may have ${most} operations`,
  mostDigits: "a number has 15 digits at most",
  cantCompute: (name: string) => `\`${name}\` can't be computed`,
  roundsTo: "the places to round to have to be a whole number from 0 to 6",
  noDay: "this is no day: year, month and day have to be whole numbers that are written out",
  manyPlaces: (places: number) =>
    `this has ${places} places behind the point, and a number has 15 digits in all`,
  roundBefore: "round one of the two before, as in `round(weight, 2)`",
  moneyByTime: "this multiplies an amount of money by a span of time",
  takeHours: "take the number of hours, as in `hours(worked) * rate`",
};

export type FormulaWords = typeof formulaWords;

/** A sentence in whichever language. */
export type Says = (words: FormulaWords) => string;
