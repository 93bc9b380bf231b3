import { labelOf } from "../naming/words.ts";
import { folded } from "./cells.ts";
import { numberedNoun } from "./header-words.ts";
import type { ColumnProfile } from "./profile.ts";

/** What rows may be about, as far as their values and headers tell. */
export type Thing = "person" | "company" | "place";

/** The legal forms that the names of companies end with, or begin with. */
const legalForm =
  /(^|[\s,(])(g?gmbh( & co\.? ?kg)?|ag|kg|ohg|ug|e\.? ?v\.?|e\.? ?k\.?|ltd\.?|limited|llc|llp|plc|inc\.?|corp\.?|s\.? ?a\.? ?s\.?|s\.? ?a\.? ?r\.? ?l\.?|sarl|s\.? ?a\.?|s\.? ?l\.?( ?u\.?)?|s\.? ?p\.? ?a\.?|s\.? ?r\.? ?l\.?|b\.? ?v\.?|n\.? ?v\.?|lda\.?|ltda\.?|coop\.?)([\s,)]|$)/iu;

const personHeaders =
  /^(first_?names?|last_?name|surname|given_name|family_name|vorname|nachname|apellidos?|pr[eé]nom|cognome|sobrenome|apelido)$/u;
const companyHeaders =
  /^(company|company_name|firma|firmenname|unternehmen|empresa|raz[oó]n_social|soci[eé]t[eé]|raison_sociale|azienda|ragione_sociale|vat(_id|_number|_no)?|ust_?id(_?nr)?|cif|nif|siret|siren|partita_iva|nipc)$/u;
const placeHeaders =
  /^(lat|latitude|lon|lng|longitude|latitud|longitud|breitengrad|l[aä]ngengrad|latitudine|longitudine|coordinates|koordinaten|coordenadas)$/u;

/** Given names that are usual somewhere: enough of them in a column, and it is one of people. */
const givenNames = new Set(
  (
    "ada adam adele agnes alan albert alberto alex alexander alexandra alfred alice alicia ana andrea andreas andrew angela anita anke ann anna anne annette anton antonio antónio ariane " +
    "barbara bea beatriz bella ben benjamin bernd bernard bianca bill birgit bo bob brigitte bruno camille carla carlo carlos carmen carol caroline catherine cecilia charles charlotte chloe chris christa christian christine " +
    "clara claire claudia claus clemens cora cristina daniel daniela david dennis diana diego dieter dirk dora doris edith eduardo edward eleanor elena elisabeth elizabeth ella ellen elsa emil emily emma enrique eric erik erika " +
    "ernst eva fabian felix fernando filipe finn florian francesca francesco francis francisco frank franz françois frédéric fritz gabriel gabriela george georg gerd giovanni giulia grace greta guido gustav hanna hannah hans harald harry " +
    "heidi heike heinz helen helena helga henri henry hugo ian ida ines inge ingrid irene iris isabel isabelle ivan jack jacques jakob james jan jana jane javier jean jens jim joan joana joão joachim joe johanna john jonas jorge josé josef " +
    "juan judith julia julian julie juliette jürgen karen karin karl katharina kathrin klara klaus kurt lara laura lea lena leo leon leonie lewis lina linda lisa lorenzo louis louise luca lucas lucia lucy luis luisa lukas manuel marc marco " +
    "marcus margaret maria marie marina mario marion markus marta martha martin martina mary mateo mathieu matteo matthias max maya mia michael michel michelle miguel mike mila monica monika nadia nathalie nicholas nick nicola nicolas nina noah nora " +
    "olaf oliver olivia oscar otto pablo paola paolo patricia patrick paul paula paulo pedro peter petra philip philipp philippe pia pierre rafael raquel raul rebecca renate ricardo richard rita robert roberto rosa rose rui ruth sam samuel sandra " +
    "sara sarah sebastian sergio silvia simon simone sofia sonja sophia sophie stefan stefanie stella stephan steve susan susanne sven sylvie teresa theo thomas tim tina tobias tom tomás udo uli ulrich ursula uta uwe valentina vera victor victoria viktor vincent walter werner wilhelm william wolfgang xavier yves zoe"
  ).split(" "),
);

const mostLooked = 500;

/** What a column of names is of; undefined where its values don't tell. */
export function thingNamed({ distinct }: ColumnProfile): Thing | undefined {
  const texts: string[] = [];
  for (const { spellings } of distinct.values.values()) {
    if (texts.length === mostLooked) break;
    texts.push(spellings[0]?.text.trim() ?? "");
  }
  if (texts.length < 2) return undefined;
  const share = (test: (text: string) => boolean) => texts.filter(test).length / texts.length;
  if (share((text) => legalForm.test(text)) >= 0.4) return "company";
  return share(isPerson) >= 0.6 ? "person" : undefined;
}

/** Whether a text is a given name and one or two more, in either order. */
function isPerson(text: string): boolean {
  const words = folded(text.replace(",", " ")).split(" ");
  if (words.length < 2 || words.length > 4 || /\d/.test(text)) return false;
  return words.some((word) => givenNames.has(word));
}

/** What the rows of a sheet are about, by the names of its columns and by the values of the first texts among them. */
function thingListed(
  columns: readonly { name: string; profile: ColumnProfile }[],
): Thing | undefined {
  const has = (pattern: RegExp) => columns.some(({ name }) => pattern.test(name));
  if (has(companyHeaders)) return "company";
  if (has(personHeaders)) return "person";
  const [first] = columns.filter(({ profile }) => profile.longest > 0);
  const named = first && thingNamed(first.profile);
  return named ?? (has(placeHeaders) ? "place" : undefined);
}

const words: Readonly<Record<string, Readonly<Record<Thing, string>>>> = {
  en: { person: "Person", company: "Company", place: "Place" },
  de: { person: "Person", company: "Firma", place: "Ort" },
  es: { person: "Persona", company: "Empresa", place: "Lugar" },
  fr: { person: "Personne", company: "Société", place: "Lieu" },
  it: { person: "Persona", company: "Azienda", place: "Luogo" },
  pt: { person: "Pessoa", company: "Empresa", place: "Lugar" },
};

/** What a sheet can be called whose name says nothing: by what its rows are about, else by what its first column numbers. */
export function calledByContent(
  columns: readonly { name: string; profile: ColumnProfile }[],
  language: string,
): string | undefined {
  const thing = thingListed(columns);
  if (thing) return (words[language] ?? words.en)?.[thing];
  const first = columns[0]?.name ?? "";
  const noun = numberedNoun(first) ?? /^(.+)_name$/.exec(first)?.[1];
  return noun && labelOf(noun);
}
