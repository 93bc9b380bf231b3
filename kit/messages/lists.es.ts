import type { listsEn } from "./lists.en.ts";

/** The same in Spanish. */
export const listsEs: typeof listsEn = {
  noneIsCalled: (title) => `Ninguno se llama «${title}».`,
  severalAreCalled: (title) => `Varios se llaman «${title}»: elige uno de la lista.`,
  yesOrNo: "Escribe sí o no.",

  // Cuántas filas hay.
  moreThan: (count) => `Más de ${count}`,
  about: (count) => `Unos ${count}`,
  countAll: "Contar todos",

  compactRows: "Filas compactas",
  place: "Lugar",
  width: "Ancho mínimo",
  widthOf: (column) => `Ancho mínimo de ${column}, en píxeles`,

  // Disposiciones.
  layout: "Disposición",
  layouts: {
    table: "Tabla",
    beside: "Lado a lado",
    cards: "Fichas",
    board: "Tablero",
    tree: "Árbol",
    map: "Mapa",
    calendar: "Calendario",
    report: "Informe",
  },
  mapTooMany: (most) =>
    `En el mapa solo están los primeros ${most}: filtra la lista para ver otros.`,
  withoutPlace: (count) => `Sin lugar: ${count}.`,
  move: "Mover",
  moveRecord: (title) => `Mover ${title} a`,
  moved: (title, value) => `${title}: ${value}.`,
  notMoved: (title) => `${title} no se movió`,
  movedMeanwhile: "Otra persona lo cambió desde que se abrió esta página. Míralo de nuevo.",
  below: (count) => `${count} debajo`,
  treeTooMany: (most) => `Solo se muestran los primeros ${most}: filtra la lista para ver otros.`,

  // Importar filas de un archivo.
  importWord: "Importar…",
  importOf: (many) => `Importar ${many}`,
  importFile: "Archivo",
  importHint: (most) =>
    `CSV, o la primera hoja de un libro XLSX, con títulos en su primera fila y hasta ${most} filas. No se guarda nada antes de que veas qué ocurre con cada fila.`,
  importWrong: {
    empty: () => "No hay filas en este archivo debajo de una fila de títulos.",
    large: (most) =>
      `Este archivo tiene más de ${most} filas, o demasiadas columnas o letras. Impórtalo por partes.`,
    unreadable: () => "No se puede leer este archivo: elige un archivo CSV o un libro XLSX.",
  },
  importColumn: "Columna del archivo",
  importExamples: "Valores",
  importGoesTo: "Va a",
  importLeftOut: "Se omite",
  importUntitled: (place) => `Columna ${place}`,
  importKey: (one) => `Lo que dice de qué ${one} trata una fila`,
  importAllNew: "Nada: todas las filas son nuevas",
  importKeyHint: "Una fila con un valor que ya existe cambia ese registro.",
  importClears: "Una celda vacía borra lo guardado",
  importPreview: "Vista previa",
  importNoColumn: "Elige adónde va al menos una columna.",
  importNoRecord: "No hay ningún registro con este número.",
  importNothingYet: "Todavía no se guarda nada. Esto ocurre con cada fila:",
  importWould: {
    refused: "Rechazadas",
    changed: "Cambiadas",
    new: "Nuevas",
    same: "Iguales a lo guardado",
  },
  importDid: {
    refused: "Sin guardar",
    changed: "Cambiadas",
    new: "Añadidas",
    same: "Iguales que antes",
  },
  importSave: (count) => `Guardar ${count}`,
  importBack: "Volver a las columnas",
  importRow: (number) => `Fila ${number}`,
  importFirst: (count) => `Se muestran las primeras ${count}.`,

  // La cuadrícula.
  editInGrid: "Editar filas",
  gridOf: (many) => `Editar ${many}`,
  gridNeedsScripts:
    "Editar filas requiere JavaScript. Sin él, cambia cada registro en su propia página.",
  gridHelp:
    "Las flechas y Tab mueven. Escribe, o pulsa Intro o F2, para cambiar una celda; Escape la deja como estaba. Las celdas se pueden copiar de una hoja de cálculo y a ella.",
  gridTools: { undo: "Deshacer", redo: "Rehacer", fill: "Rellenar hacia abajo" },
  gridWords: {
    saved: "Todo guardado",
    saving: "Guardando…",
    waiting: "Sin guardar todavía",
    offline: "Sin conexión: lo escrito se conserva aquí y se envía cuando la haya.",
    signedOut:
      "Su sesión ha terminado. Entre en otra página; lo escrito se conserva aquí y se envía entonces.",
    refused: "El servidor lo rechazó. Lo escrito se conserva aquí.",
    wrong: "Algunas filas no están guardadas: mira las celdas marcadas.",
    readOnly: "Esta celda no se puede cambiar aquí.",
    gone: "Otra persona eliminó este registro.",
    conflict: "Otra persona guardó aquí «{}» entretanto.",
    keepMine: "Usar lo mío",
    takeTheirs: "Usar lo suyo",
    pasted: "{} celdas pegadas.",
    cutOff: "{} celdas no tenían sitio y se omitieron.",
    nothing: "No hay coincidencias.",
  },
};
