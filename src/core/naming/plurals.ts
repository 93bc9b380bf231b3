import { pluralOf, singularOf } from "./words.ts";

/** Endings of the singular and what becomes of them in the plural, and the other way round; the first that fits counts. */
interface Endings {
  plural: readonly (readonly [RegExp, string])[];
  singular: readonly (readonly [RegExp, string])[];
}

const endings: Readonly<Record<string, Endings>> = {
  es: {
    plural: [
      [/ión$/, "iones"],
      [/([aeiouáéó])$/, "$1s"],
      [/z$/, "ces"],
      [/([^s])$/, "$1es"],
    ],
    singular: [
      [/iones$/, "ión"],
      [/([aeiou])ces$/, "$1z"],
      [/([aeiou](?:[lrndj]))es$/, "$1"],
      [/([aeiouáéó])s$/, "$1"],
    ],
  },
  pt: {
    plural: [
      [/ão$/, "ões"],
      [/m$/, "ns"],
      [/([aou])l$/, "$1is"],
      [/el$/, "éis"],
      [/([rz])$/, "$1es"],
      [/([aeiouãé])$/, "$1s"],
    ],
    singular: [
      [/ões$/, "ão"],
      [/ns$/, "m"],
      [/([aou])is$/, "$1l"],
      [/éis$/, "el"],
      [/([rz])es$/, "$1"],
      [/([aeiouãé])s$/, "$1"],
    ],
  },
  fr: {
    plural: [
      [/([sxz])$/, "$1"],
      [/(eau|eu)$/, "$1x"],
      [/al$/, "aux"],
      [/(\p{L})$/u, "$1s"],
    ],
    singular: [
      [/(eau|eu)x$/, "$1"],
      [/aux$/, "al"],
      [/([^su])s$/, "$1"],
    ],
  },
  it: {
    plural: [
      [/([cg])a$/, "$1he"],
      [/a$/, "e"],
      [/io$/, "i"],
      [/[oe]$/, "i"],
    ],
    singular: [
      [/zioni$/, "zione"],
      [/([cg])he$/, "$1a"],
    ],
  },
  de: {
    plural: [
      [/(ung|heit|keit|schaft|ion|tät)$/, "$1en"],
      [/in$/, "innen"],
      // With an umlaut, it is a plural as a rule.
      [/(?<![äöü]\p{L}{1,4})e$/u, "en"],
    ],
    singular: [
      [/(ung|heit|keit|schaft|ion|tät)en$/, "$1"],
      [/innen$/, "in"],
    ],
  },
};

/** The plural of the last word of a label in a language, where that follows from its ending; otherwise the label. */
export function pluralIn(language: string, label: string): string {
  const rules = endings[language];
  return rules ? changed(label, rules.plural) : pluralOf(label);
}

/** The singular of the last word of a label in a language, where that follows from its ending; otherwise the label. */
export function singularIn(language: string, label: string): string {
  const rules = endings[language];
  return rules ? changed(label, rules.singular) : singularOf(label);
}

function changed(label: string, rules: Endings["plural"]): string {
  const [, start = "", last = ""] = /^(.*?)(\p{L}*)$/u.exec(label) ?? [];
  if (last.length < 4) return label;
  const rule = rules.find(([ending]) => ending.test(last));
  return rule ? start + last.replace(...rule) : label;
}
