import { quoted } from "./literals.ts";

/** The name of the column beside a text column. */
export function orderColumn(column: string): string {
  return `${column}__order`;
}

/** The text by which a column that has one beside it is ordered and distinguished; of rows of `alias`. */
export function orderTerm(column: string, alias?: string): string {
  const of = (name: string) => `${alias ? `${alias}.` : ""}${quoted(name)}`;
  return `coalesce(${of(orderColumn(column))}, lower(${of(column)}))`;
}

/** Such a text, made of an expression. */
export function folded(text: string): string {
  const letter = "substr(x, place.key + 1, 1)";
  const letters = `select coalesce(base, lower(${letter})) as base, coalesce(mark, 'a') as mark from json_each('[' || substr(replace(hex(zeroblob(length(x))), '00', ',0'), 2) || ']') as place left join levadura_letters on letter = ${letter} order by place.key`;
  // Aggregates take no order of their own before SQLite 3.44, and whoever opens the file may have an older one.
  const whole = `select group_concat(base, '') || coalesce(char(1) || nullif(rtrim(group_concat(mark, ''), 'a'), ''), '') from (${letters})`;
  return `(select case when x glob '*[^ -~]*' then (${whole}) else lower(x) end from (select ${text} as x limit 1))`;
}

/** A text in small letters or capitals: one by one, where a letter stays one. */
export function recased(text: string, to: "lower" | "upper"): string {
  const letter = "substr(x, place.key + 1, 1)";
  const letters = `select coalesce(levadura_letters.${to}, ${to}(${letter})) as letter from json_each('[' || substr(replace(hex(zeroblob(length(x))), '00', ',0'), 2) || ']') as place left join levadura_letters on levadura_letters.letter = ${letter} order by place.key`;
  return `(select case when x glob '*[^ -~]*' then (select group_concat(letter, '') from (${letters})) else ${to}(x) end from (select ${text} as x limit 1))`;
}
