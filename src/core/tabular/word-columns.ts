import { nearest } from "../../../kit/formula/nearest.ts";
import { isInvisible, readable } from "../naming/characters.ts";
import { folded, quote } from "./cells.ts";
import {
  type ColumnKind,
  countOf,
  exceptionsOf,
  type Finding,
  type InferenceContext,
  mostlyFits,
  type Question,
  quantity,
  simple,
  type Test,
} from "./finding.ts";
import { type NearDuplicate, nearDuplicates } from "./near-duplicates.ts";
import type { ColumnProfile } from "./profile.ts";
import { differByCase, usualSpelling, waysOf } from "./spellings.ts";
import { noWords, tickMarks, typeBit, yesWords } from "./type-detection.ts";

/** A column of yes and no, or of ticks. */
export function asYesNo(profile: ColumnProfile, _context: InferenceContext, counted: number) {
  const fits: Test = (bits) => (bits & (typeBit.yesNo | typeBit.tick)) !== 0;
  if (!mostlyFits(countOf(profile, fits), counted) || profile.distinct.overflowed) return undefined;
  const words = [...profile.distinct.values.keys()];
  const yes = words.filter((word) => yesWords.has(word) || tickMarks.has(word));
  const no = words.filter((word) => noWords.has(word));
  const ticks = yes.filter((word) => tickMarks.has(word));
  const marks = ticks.length === yes.length || yes.every((word) => word.length > 1);
  if (no.length === 0 && (profile.blanks === 0 || !marks)) return undefined;
  if (yes.length === 0 && !no.some((word) => word.length > 1)) return undefined;
  const letters = [...yes, ...no].filter((word) => word.length === 1 && !tickMarks.has(word));
  if (letters.length > 2) return undefined;
  const said = [...yes, ...no].join(", ");
  const exceptions = exceptionsOf(profile, fits, "neither yes nor no");
  if (profile.blanks + exceptions.count === 0 || no.length === 0) {
    const why = no.length === 0 ? `${said} or blank, which counts as no` : `only ${said}`;
    const guess = "blank is taken for no: to keep it apart, write choice yes";
    const open = no.length === 0 && ticks.length !== yes.length;
    return { kind: "boolean" as const, why, ...(open && { guess }), hints: {}, exceptions };
  }
  // A tick box knows no third state, and blank may well be one.
  return {
    kind: "choice" as const,
    choices: ["yes", "no"],
    why: `only ${said}`,
    guess: `${profile.blanks + exceptions.count} cells say neither: to count them as no, write boolean`,
    hints: {},
    exceptions,
  };
}

/** A column that is called a telephone number. */
export function asPhoneByName(
  profile: ColumnProfile,
  { named }: InferenceContext,
  counted: number,
) {
  const fits: Test = (bits) => (bits & typeBit.phone) !== 0 || (bits & typeBit.point) !== 0;
  if (named !== "phone" || !mostlyFits(countOf(profile, fits), counted)) return undefined;
  return simple("phone", "telephone numbers", profile, fits, "not a telephone number");
}

const addresses: readonly (readonly [ColumnKind, number, string, string])[] = [
  ["email", typeBit.email, "email addresses", "not an email address"],
  ["url", typeBit.url, "web addresses", "not a web address"],
  ["color", typeBit.color, "colours", "not a colour such as #ffcc00"],
  ["place", typeBit.place, "places", "not latitude and longitude"],
  ["phone", typeBit.phone, "telephone numbers", "not a telephone number"],
];

/** A column of email or web addresses, colours, places or telephone numbers. */
export function asAddress(profile: ColumnProfile, _context: InferenceContext, counted: number) {
  for (const [kind, bit, what, reason] of addresses) {
    const fits: Test = (bits) => (bits & bit) !== 0;
    // Codes of digits look like telephone numbers; those that are, have a plus or gaps.
    const plain = countOf(
      profile,
      (bits) => fits(bits) && (bits & (typeBit.digits | typeBit.point)) !== 0,
    );
    if (kind === "phone" && plain * 2 > counted) continue;
    if (mostlyFits(countOf(profile, fits), counted))
      return simple(kind, what, profile, fits, reason);
  }
  return undefined;
}

const mostChoices = 12;
const longestChoice = 40;

/** A column of a few words that repeat. */
export function asChoice(profile: ColumnProfile, { named }: InferenceContext, counted: number) {
  const { distinct } = profile;
  const sound: Test = (bits) => (bits & (typeBit.fault | typeBit.nul)) === 0;
  if (distinct.overflowed || profile.longest > longestChoice || distinct.size < 2) return undefined;
  // A few sentences that repeat are notes all the same, and codes of digits are codes.
  if (named === "long text" || countOf(profile, (bits) => (bits & typeBit.digits) !== 0) > 0) {
    return undefined;
  }
  const values = [...distinct.values.values()].filter(({ rows }) => rows.length > 0);
  const faults = new Set(
    profile.groups
      .filter(({ bits }) => !sound(bits))
      .flatMap(({ examples }) => examples.map(({ text }) => folded(text))),
  );
  const words = values
    .map((value) => ({ ...value, text: usualSpelling(value.spellings) }))
    .filter(({ text }) => !faults.has(folded(text)))
    .sort((a, b) => a.index - b.index);
  const often = words.filter(({ count }) => count > 1);
  const rare = words.filter(({ count }) => count * 10 <= counted / Math.max(1, often.length));
  const misspelt = rare.flatMap((word) => {
    const near = nearest(
      word.text,
      often.filter((other) => other.count >= 4 * word.count).map(({ text }) => text),
    );
    return near ? [{ word, near }] : [];
  });
  const wrong = new Set(misspelt.map(({ word }) => word));
  const choices = words.filter((word) => !wrong.has(word)).map(({ text }) => text);
  if (choices.length < 2 || choices.length > mostChoices || counted < 3 * choices.length)
    return undefined;
  const wordy = choices.filter((text) => text.split(/\s+/).length > 3).length;
  if (
    wordy * 2 > choices.length ||
    choices.some((text) => readable(text) !== text || isInvisible(text))
  )
    return undefined;
  if (values.some(({ spellings }) => differByCase(spellings))) return undefined;
  const joined = values
    .map(({ spellings }) => waysOf(spellings))
    .filter(({ length }) => length > 1);
  const exceptions = exceptionsOf(profile, sound, "");
  for (const { word, near } of misspelt) {
    exceptions.count += word.count;
    exceptions.examples.push(
      ...word.rows.map((row) => ({ row, text: word.text, reason: "not among the choices", near })),
    );
  }
  return {
    kind: "choice" as const,
    choices,
    why: `${counted} cells have ${choices.length} values${joined.length > 0 ? `; the same but for case: ${joined.map((ways) => ways.slice(0, 3).join(" = ")).join(", ")}` : ""}`,
    hints: {},
    exceptions,
  };
}

/** Pairs of texts that are asked about. */
const mostPairs = 5;

function pairQuestion({ one, other }: NearDuplicate): Question {
  return {
    ask: `Are ${quote(one)} and ${quote(other)} the same?`,
    choices: [
      { say: "no", set: {} },
      { say: `yes, ${quote(one)}`, set: { replace: { [other]: one } } },
      { say: `yes, ${quote(other)}`, set: { replace: { [one]: other } } },
    ],
  };
}

/** A column of anything else. */
export function asText(profile: ColumnProfile, { named }: InferenceContext): Finding {
  const sound: Test = (bits) => (bits & (typeBit.fault | typeBit.nul)) === 0;
  const long =
    countOf(profile, (bits) => (bits & typeBit.long) !== 0) > 0 ||
    profile.longest > 160 ||
    named === "long text";
  const zeros = countOf(profile, (bits) => (bits & typeBit.digits) !== 0);
  const numbers = countOf(profile, (bits) => (bits & (typeBit.point | typeBit.comma)) !== 0);
  const seconds = countOf(profile, (bits) => (bits & typeBit.seconds) !== 0);
  const marks = [...profile.marks.keys()];
  const near =
    profile.distinct.overflowed || long ? [] : nearDuplicates(profile.distinct.values.values());
  const all = (count: number) => count * 10 >= profile.filled * 9 && count > 0;
  const [why, guess] =
    zeros > 0 && numbers === profile.filled
      ? [`digits, but ${zeros} begin with 0 or are too long for a number`]
      : all(seconds)
        ? ["times with seconds, which a `time` doesn't keep"]
        : all(numbers) && marks.length > 1
          ? ["numbers", `in several units or currencies (${marks.join(", ")}): kept as texts`]
          : all(numbers)
            ? ["digits of which a number would lose part"]
            : [
                `${quantity(profile.filled, "text")} of up to ${quantity(profile.longest, "character")}`,
              ];
  const [first] = near;
  const more = near.length > 1 ? ` and ${near.length - 1} more such pairs` : "";
  const doubts = [
    guess,
    first &&
      `"${first.one}" (row ${first.rows[0]}) and "${first.other}" (row ${first.rows[1]})${more} may be the same: \`replace\` in the plan makes them one`,
  ].filter(Boolean);
  return {
    kind: long ? "long text" : "text",
    why: why ?? "",
    ...(doubts.length > 0 && { guess: doubts.join("; ") }),
    ...(near.length > 0 && { questions: near.slice(0, mostPairs).map(pairQuestion) }),
    hints: {},
    evidence: {},
    exceptions: exceptionsOf(profile, sound, ""),
  };
}
