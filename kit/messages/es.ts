import type { Messages } from "./en.ts";
import { pluralForm } from "./plural.ts";

const plural = (count: number, one: string, other: string) =>
  pluralForm("es", count, { one, other });

/** Every sentence of the kit, in Spanish. */
export const es: Messages = {
  menu: "Menú",
  skip: "Ir al contenido",
  youAreHere: "Estás aquí",
  start: "Ir al inicio",
  yes: "Sí",
  no: "No",
  none: "—",
  days: "días",
  computed: "Calculado",
  automatic: { id: "Número", version: "Versión", created_at: "Creado", updated_at: "Actualizado" },
  other: "Otros datos",

  // Lists.
  newRecord: (one) => `Añadir ${one}`,
  newShort: "Añadir",
  search: "Buscar",
  searchIn: (many) => `Buscar en ${many}`,
  counted: (count, noun) => `${count} ${noun}`,
  searchedFor: (words) => ` con «${words}»`,
  showAll: "Mostrar todo",
  showAllOf: (count) => `Mostrar todo (${count})`,
  noMatches: (many) => `Ninguna coincidencia en ${many}.`,
  noRecords: (many) => `Todavía no hay ${many}.`,
  makeFirst: "Añadir el primer registro",
  noneYet: "Todavía nada.",
  pages: "Páginas",
  previous: "Anterior",
  next: "Siguiente",
  pageOf: (page, pages) => `Página ${page} de ${pages}`,

  // Records.
  edit: "Editar",
  editRecord: (title) => `Editar ${title}`,
  delete: "Eliminar",
  deleteRecord: (title) => `Eliminar ${title}`,
  saved: (kind) => `${kind}: cambios guardados.`,
  savedNext: (kind) => `${kind}, registro guardado:`,
  deleted: (kind, title) => `${kind}: se ha eliminado ${title}.`,

  // Forms.
  save: "Guardar",
  saveAndNext: "Guardar y empezar otro registro",
  cancel: "Cancelar",
  required: "(obligatorio)",
  choose: "Elige…",
  nothingToChoose: "Todavía no hay nada que elegir.",
  onlyFirstOffered: (count) => `Solo se ofrecen los primeros ${count}.`,
  filledIn: "Si se deja en blanco, se rellena solo.",
  notSaved: "No se ha guardado.",
  fieldsToLookAt: (count, shown) =>
    `${plural(count, `Hay que revisar ${shown} campo`, `Hay que revisar ${shown} campos`)}:`,
  editedMeanwhile:
    "No se ha guardado: otra persona ha guardado este registro mientras lo editabas.",
  yoursBelow:
    "Debajo está tu versión. Si guardas de nuevo, sustituye a la otra donde se diferencian:",
  sameTyped: "Los dos habéis escrito lo mismo, así que no queda nada por guardar.",
  field: "Campo",
  savedNow: "Guardado ahora",
  yours: "Tu versión",
  deletedMeanwhile:
    "No se ha guardado: otra persona ha eliminado este registro mientras lo editabas.",
  typedBelow:
    "Debajo está lo que has escrito. Al guardarlo se crea un registro nuevo; las partes del anterior ya no existen.",
  notAsked: "Ahora no se pide este dato, así que se queda como estaba.",
  sameAlready: (one) => `Ya hay otro registro con este valor (${one}).`,
  sameTogether: (one, labels) =>
    `Ya hay otro registro con los mismos valores en ${labels.join(" y ")} (${one}).`,
  chosenIsGone: "Un registro elegido aquí ya no existe.",
  valuesRefused: "La base de datos no ha aceptado estos valores.",
  aboveItself: () => "Ningún registro puede estar por encima de sí mismo: elige otro.",
  pickDate: "Elegir una fecha",

  // Values.
  fillIn: "Rellena este campo.",
  tooLong: "Es demasiado largo.",
  tooManyMarks: "Una letra tiene demasiados signos.",
  unstorable: "Contiene un carácter que no se puede guardar (NUL).",
  atLeastCharacters: (count) => `Usa al menos ${count} ${plural(count, "carácter", "caracteres")}.`,
  atMostCharacters: (count) =>
    `Usa como máximo ${count} ${plural(count, "carácter", "caracteres")}.`,
  wholeNumber: "Usa un número entero.",
  number: "Usa un número, como 12.5.",
  atMostPlaces: (count) => `Usa como máximo ${count} ${plural(count, "decimal", "decimales")}.`,
  atMostDigits: "Usa como máximo 15 cifras en total.",
  atLeast: (least) => `Usa ${least} o más.`,
  atMost: (most) => `Usa ${most} o menos.`,
  chooseDate: "Elige una fecha.",
  date: (example) => `Usa una fecha, como ${example}.`,
  fromDate: (date) => `Usa el ${date} o una fecha posterior.`,
  toDate: (date) => `Usa el ${date} o una fecha anterior.`,
  fromToday: "Usa la fecha de hoy o una posterior.",
  toToday: "Usa la fecha de hoy o una anterior.",
  chooseTime: "Elige una hora.",
  time: (example) => `Usa una hora, como ${example}.`,
  duration: (example) => `Usa horas y minutos, como ${example}.`,
  chooseDateTime: "Elige una fecha y una hora.",
  dateTime: (example) => `Usa una fecha y una hora, como ${example}.`,
  momentRange: "Usa un momento entre el segundo día del año 1 y el final de 9999.",
  email: "Usa una dirección de correo, como ana@example.org.",
  url: "Usa una dirección web que empiece por https://.",
  phone: "Usa un número de teléfono, como +34 600 000 000.",
  chooseColor: "Elige un color.",
  color: "Usa un color, como #ffcc00.",
  chooseOne: "Elige un valor.",
  chooseOffered: "Elige un valor de los que se ofrecen.",
  chooseFromOffered: "Elige entre los que se ofrecen.",
  chooseAtMost: (count) => `Elige como máximo ${count}.`,
  chooseAtLeastOne: "Elige al menos un valor.",
  dateLetters: { day: "dd", month: "mm", year: "aaaa" },

  // Deletion.
  deleteQuestion: "¿Eliminar",
  cantDelete: (title) => `${title} no se puede eliminar mientras esté en uso.`,
  changeFirst: "Cambia o elimina antes lo siguiente:",
  backTo: (title) => `Volver a ${title}`,
  notDeleted: "No se ha eliminado.",
  partsGo: "Estas son sus partes y se eliminarán también:",
  cantBeUndone: "Esto no se puede deshacer.",
  andMore: " y más",
  inUse: "Está en uso.",
  partsInUse:
    "Algo que se eliminaría también está en uso en otro lugar. Revisa sus partes y cambia antes lo que se refiere a ellas.",
  changedMeanwhile:
    "Ha cambiado desde que se abrió esta página. Si lo eliminas ahora, se elimina tal como está.",

  // What goes wrong.
  notFound: "Página no encontrada",
  nothingHere: "No hay nada en esta dirección.",
  refused: "Petición rechazada",
  requestRefused: "Esta petición se ha rechazado.",
  unreadable: "Esta petición no se puede leer.",
  forbidden: "No tienes permiso para hacer esto.",
  tooMuch: "Es demasiado para guardarlo de una vez.",
  outcomeUnknown: "No se sabe si se ha guardado",
  lookFirst:
    "La conexión con la base de datos se perdió justo al final, así que no se sabe si tu cambio se ha guardado. Mira el registro antes de enviarlo otra vez.",
  databaseAway: "La base de datos no está disponible",
  somethingWrong: "Algo ha fallado",
  logSaysMore: "El registro del servidor dice más.",
  cantBeShown: "Esta página no se puede mostrar ahora.",
  nothingSaved: "No se ha guardado nada.",
  lookWhetherSaved: "Mira si tu cambio se ha guardado antes de enviarlo otra vez.",
  troubles: {
    conflict: "Otras personas estaban cambiando los mismos registros. Inténtalo de nuevo.",
    busy: "Otras personas han estado guardando demasiado tiempo. Inténtalo de nuevo dentro de un momento.",
    lost: "Se ha perdido la conexión con la base de datos. Inténtalo de nuevo dentro de un momento.",
    slow: "La base de datos ha tardado demasiado en responder. Inténtalo más tarde.",
    unreachable: "No se puede acceder a la base de datos. Inténtalo más tarde.",
  },
};
