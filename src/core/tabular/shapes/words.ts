import type { SeriesKind } from "./series.ts";

/** What the columns are called that no header names, by language. */
interface ShapeWords extends Record<SeriesKind, string> {
  value: string;
  sheet: string;
  file: string;
  /** What a record is called. */
  name: string;
  /** A row of what has several. */
  line: string;
}

const words: Readonly<Record<string, ShapeWords>> = {
  en: {
    date: "Date",
    month: "Month",
    weekday: "Weekday",
    quarter: "Quarter",
    year: "Year",
    number: "Number",
    value: "Value",
    sheet: "Sheet",
    file: "File",
    name: "Name",
    line: "line",
  },
  de: {
    date: "Datum",
    month: "Monat",
    weekday: "Wochentag",
    quarter: "Quartal",
    year: "Jahr",
    number: "Nummer",
    value: "Wert",
    sheet: "Blatt",
    file: "Datei",
    name: "Name",
    line: "Zeile",
  },
  es: {
    date: "Fecha",
    month: "Mes",
    weekday: "Día",
    quarter: "Trimestre",
    year: "Año",
    number: "Número",
    value: "Valor",
    sheet: "Hoja",
    file: "Archivo",
    name: "Nombre",
    line: "línea",
  },
  fr: {
    date: "Date",
    month: "Mois",
    weekday: "Jour",
    quarter: "Trimestre",
    year: "Année",
    number: "Numéro",
    value: "Valeur",
    sheet: "Feuille",
    file: "Fichier",
    name: "Nom",
    line: "ligne",
  },
  it: {
    date: "Data",
    month: "Mese",
    weekday: "Giorno",
    quarter: "Trimestre",
    year: "Anno",
    number: "Numero",
    value: "Valore",
    sheet: "Foglio",
    file: "File",
    name: "Nome",
    line: "riga",
  },
  pt: {
    date: "Data",
    month: "Mês",
    weekday: "Dia",
    quarter: "Trimestre",
    year: "Ano",
    number: "Número",
    value: "Valor",
    sheet: "Folha",
    file: "Ficheiro",
    name: "Nome",
    line: "linha",
  },
};

const english = words.en as ShapeWords;

/** The words of a language; English ones where it has none here. */
export function shapeWords(language: string): ShapeWords {
  return words[language] ?? english;
}

/** A title that none of these columns has. */
export function untakenTitle(wanted: string, taken: ReadonlySet<string>): string {
  for (let number = 1; ; number++) {
    const title = number === 1 ? wanted : `${wanted} ${number}`;
    if (!taken.has(title.toLowerCase())) return title;
  }
}
