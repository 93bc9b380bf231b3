import { type Entity, type Field, isReference } from "../model/model.ts";
import type { Listed, Nature } from "./vocabulary.ts";

/** The words of a name and a label, in small letters without accents: `brood frames brood frames`. */
export function wordsOf(name: string, label: string): string {
  return `${name.replace(/(\p{Ll})(\p{Lu})/gu, "$1 $2").replaceAll("_", " ")} ${label}`
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase();
}

/** Whole words, in the languages that names are often given in. */
export function words(...each: string[]): RegExp {
  return new RegExp(`\\b(${each.join("|")})\\b`);
}

const persons = words(
  "(bee|book|game|goal|shop)?keepers?|persons?|people|members?|owners?|users?|students?|pupils?|patients?|teachers?|doctors?|nurses?|authors?",
  "farmers?|helpers?|employees?|workers?|volunteers?|guests?|drivers?|pilots?|players?|coach(es)?|trainers?|singers?|visitors?|donors?|skippers?|sailors?",
  "adopters?|vets?|veterinarians?|instructors?|tenants?|riders?|researchers?|technicians?|inspectors?|supervisors?|managers?|curators?|applicants?|candidates?",
  "personas?|miembros?|soci[oa]s?|alumn[oa]s?|pacientes?|profesor(a|es|as)?|medic[oa]s?|autor(a|es|as)?|emplead[oa]s?|voluntari[oa]s?|conductor(a|es|as)?|apicultor(a|es|as)?|usuari[oa]s?|duen[oa]s?|responsables?",
  "adoptantes?|veterinari[oa]s?|instructor(a|es|as)?|inquilin[oa]s?|jinetes?|investigador(a|es|as)?|tecnic[oa]s?|inspector(a|es|as)?|supervisor(a|es|as)?|candidat[oa]s?",
);
/** Words of a field that names somebody. */
const somebody = words(
  "(made|done|seen|checked|signed|reported|inspected|assigned|lent|given|taken|written) (by|to)|contact",
  "(hech|vist|firmad|revisad|entregad|prestad|escrit)[oa] (por|a)|contacto",
);
const places = words(
  "apiar(y|ies)|sites?|places?|farms?|stations?|gardens?|fields?|locations?|towns?|city|cities|villages?|buildings?|yards?|regions?|areas?|rooms?|houses?|schools?|clinics?|shelters?|harbours?|harbors?|ports?|camps?|parks?|halls?|libraries|library|orchards?|warehouses?|stables?",
  "colmenar(es)?|fincas?|lugar(es)?|sitios?|pueblos?|ciudad(es)?|jardin(es)?|edificios?|salas?|huert[oa]s?|granjas?|escuelas?|puertos?|refugios?|parques?|almacen(es)?|estacion(es)?",
);

const organisations = words(
  "compan(y|ies)|suppliers?|manufacturers?|vendors?|employers?|institutions?|organi[sz]ations?|sponsors?|firms?|agenc(y|ies)|insurers?",
  "empresas?|proveedor(a|es|as)?|fabricantes?|institucion(es)?|organizacion(es)?|aseguradoras?|patrocinador(a|es|as)?",
);

/** What the records of an entity are, as far as its name and its fields tell. */
export function natureOf({ name, label, fields }: Entity): Nature {
  const called = wordsOf(name, label);
  if (persons.test(called) || fields.some(isFamilyName)) return "person";
  if (places.test(called)) return "place";
  const moments = fields.some(
    (field) =>
      field.type.kind === "datetime" ||
      (field.type.kind === "date" && rankOf(field) === "happened"),
  );
  const belongs = fields.some((field) => isReference(field) && field.required);
  return moments && belongs ? "event" : "thing";
}

const familyName = words("(last|family) names?", "surnames?", "apellidos?");

function isFamilyName({ name, label, type }: Field): boolean {
  return type.kind === "text" && familyName.test(wordsOf(name, label));
}

/** What a line of text is about. */
export type Subject =
  | "code"
  | "given name"
  | "family name"
  | "full name"
  | "town"
  | "street"
  | "postcode"
  | "account"
  | "organisation"
  | "compartment"
  | "note"
  | "name"
  | "kind"
  | Listed;

const subjects: readonly (readonly [Subject, RegExp])[] = [
  ["postcode", words("postcode", "postal code", "zip( code)?", "codigo postal", "cp")],
  [
    "code",
    words(
      "code|number|reference|ref|serial|tag|mark|plate|licen[cs]e|registration|id|identifier|barcode|(micro)?chip|batch|lot|sku",
      "codigo|numero|referencia|serie|matricula|marca|etiqueta|identificador|lote",
    ),
  ],
  ["account", words("user ?name", "login", "nickname", "usuario", "apodo")],
  ["given name", words("(first|given|christian) names?", "nombre de pila")],
  ["family name", familyName],
  ["town", words("town|city|village|place|location", "ciudad|pueblo|municipio|localidad|lugar")],
  ["street", words("street|address", "calle|direccion|domicilio")],
  ["country", words("country|nation(ality)?", "pais|nacionalidad")],
  ["region", words("region|county|province|district", "provincia|comarca|distrito")],
  ["language", words("languages?", "idiomas?|lenguas?")],
  ["organisation", organisations],
  ["color", words("colou?rs?", "color(es)?")],
  ["occupation", words("occupation|profession|job|trade", "profesion|oficio|ocupacion")],
  ["material", words("materials?|fabric", "material(es)?|tejido")],
  ["size", words("size", "talla|tamano")],
  [
    "compartment",
    words("box|shelf|drawer|rack|locker|bay", "caja|estante|cajon|taquilla|estanteria"),
  ],
  [
    "note",
    words(
      "notes?|remarks?|comments?|description|details|summary|observations?",
      "notas?|observaci(on|ones)|comentarios?|descripcion|detalles?|resumen",
    ),
  ],
  ["name", words("name|title|called", "nombre|titulo|denominacion")],
  [
    "phrase",
    words(
      "reason|purpose|cause|results?|outcome|subject|topic|terms|conditions|state|status",
      "motivo|causa|resultados?|asunto|tema|condiciones|estado",
    ),
  ],
];

/** What a text field is about: one of a few kinds, where nothing tells. */
export function subjectOf(entity: Entity, field: Field): Subject {
  const called = wordsOf(field.name, field.label);
  const found = subjects.find(([, pattern]) => pattern.test(called))?.[0];
  const person = persons.test(called) || somebody.test(called);
  if (found === "name") {
    if (entity.fields.some(isFamilyName)) return "given name";
    if (natureOf(entity) === "person" || person) return "full name";
    return organisations.test(wordsOf(entity.name, entity.label)) ? "organisation" : "name";
  }
  if (found) return found;
  if (person) return "full name";
  return field.unique ? "code" : "kind";
}

/** Where a day is in the life of a record: a later rank is never before an earlier one. */
export const ranks = {
  birth: 0,
  acquired: 1,
  delivered: 2,
  begun: 3,
  happened: 4,
  recorded: 5,
  ended: 6,
  due: 7,
} as const;

export type Rank = keyof typeof ranks;

const days: readonly (readonly [Rank, RegExp])[] = [
  [
    "due",
    words(
      "due|until|expir(es|y|ation)|deadline|next|planned|return by|valid to",
      "vence|vencimiento|hasta|caduca|plazo|proxim[oa]|previst[oa]",
    ),
  ],
  [
    "ended",
    words(
      "removed|ended|end|closed|left|returned|finished|retired|completed|died|sold|cancelled|resolved|departure|departed|discharged?|exit|check ?out",
      "retirad[oa]|fin|final|cerrad[oa]|baja|devuelt[oa]|terminad[oa]|vendid[oa]|salida",
    ),
  ],
  [
    "birth",
    words(
      "born|birth(day|date)?|built|founded|made|manufactured",
      "nacid[oa]|nacimiento|construid[oa]|fundad[oa]|fabricad[oa]",
    ),
  ],
  [
    "acquired",
    words(
      "ordered|bought|acquired|purchased?|applied|requested|booked",
      "comprad[oa]|compra|pedid[oa]|solicitad[oa]|adquirid[oa]",
    ),
  ],
  [
    "recorded",
    words(
      "registered|recorded|logged|entered|catalogu?ed|archived|published|reviewed|approved|confirmed",
      "registrad[oa]|anotad[oa]|archivad[oa]|publicad[oa]|revisad[oa]|aprobad[oa]|confirmad[oa]",
    ),
  ],
  [
    "delivered",
    words("delivered|received|shipped|arrived|arrival", "recibid[oa]|entregad[oa]|llegad[oa]"),
  ],
  [
    "begun",
    words(
      "opened|joined|installed|start(ed)?|begun|began|since|from|hired|begins?|lent|borrowed|planted|settled|launched|discovered|admitted|admission|intake|entry|check ?in",
      "abiert[oa]|alta|instalad[oa]|inicio|iniciad[oa]|desde|contratad[oa]|prestad[oa]|plantad[oa]|descubiert[oa]|apertura|comienzo|entrada|ingreso",
    ),
  ],
];

/** Where the day of a field is in the life of its record. */
export function rankOf(field: Field): Rank {
  const called = wordsOf(field.name, field.label);
  return days.find(([, pattern]) => pattern.test(called))?.[0] ?? "happened";
}

const numberings = words(
  "numbers?|no|position|line|order|sequence|index|place|step|stage|slot|frame|round",
  "numero|posicion|linea|orden|secuencia|puesto|paso|ronda",
);

/** Whether a whole number tells which of several a record is, such as the third find of a trench. */
export function isNumbering({ name, label, type }: Field): boolean {
  return type.kind === "integer" && numberings.test(wordsOf(name, label));
}

/** A choice that says that nothing else fits. */
export function isRest(choice: string): boolean {
  return /^(other|others|unknown|none|n\/?a|not known|misc.*|otr[oa]s?|desconocid[oa]|ningun[oa]?|sin .*)$/.test(
    wordsOf(choice, "").trim(),
  );
}
