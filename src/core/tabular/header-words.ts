/** Words in the headers of several languages that say what kind of values a column has. */
const kinds: readonly (readonly [RegExp, string])[] = [
  [
    /(^|_)(tel[eé]fono?|t[eé]l[eé]phone|telefon|handy|mobil|m[oó]vil|portable|cellulare|celular|telem[oó]vel)(_|$)/,
    "phone",
  ],
  [
    /(^|_)(preis|precio|prix|prezzo|pre[cç]o|betrag|importe?|montant|importo|valor|kosten|costes?|costos?|co[uû]t|saldo|solde|cuota|cotisation|beitrag|geb[uü]hr|tarifa|gage|lohn|sueldo|salaire|quota|compenso|rimborso|reembolso|remboursement|spese|gastos|frais|amount|paid|pago|pay|wages?|salary|fee|fees)(_|$)/,
    "money",
  ],
  [/(^|_)(notizen?|notas?|bemerkung(en)?|observaciones|remarques?|osservazioni)$/, "long text"],
];

const birth =
  /(^|_)(born|birth|birthday|dob|birthdate|geboren|geburt\p{L}*|nacid[oa]|nacimiento|naissance|n[eé]e?|nat[oa]|nascita|nascid[oa]|nascimento|urodz\p{L}*)(_|$)/u;

const times =
  /(^|_)(times?|hours?|opens?|opening|closes?|closing|starts?|begins?|ends?|departs?|departure|arrives?|arrival|uhrzeit|beginn|ende|abfahrt|ankunft|ab|bis|von|hora|salida|llegada|apertura|cierre|heure|d[eé]part|arriv[eé]e|ouverture|fermeture|ora|orario|partenza|arrivo|chiusura|hor[aá]rio)(_|$)/;

const spans =
  /(^|_)(durations?|dauer|dur[eé]e|duraci[oó]n|durata|dura[cç][aã]o|elapsed|laps?|runtime|effort|aufwand|worked|arbeitszeit|(?:total_|work_?|time_)?hours|stunden|horas|heures|ore|minutes|minuten|minutos|minuti)(_|$)/u;

const longSpans =
  /(^|_)(worked|arbeitszeit|shifts?|schicht|turno|hours|stunden|horas|heures|ore)(_|$)/;

const shortSpans = /(^|_)(laps?|race|track|song|video|minutes|minuten|minutos|minuti|min)(_|$)/;

const versions =
  /(nummer|nr|kennung|(^|_)(version|versi[oó]n|firmware|release|revision|rev|ver|build|no|nr|num|number|n[uú]mero|nummer|num[eé]ro|code|c[oó]digo|inventory|inventar\p{L}*|signatura|section|chapter|clause|id))(_|$)/u;

/** The kind of values that a column of this name has in some language; undefined for none. */
export function kindNamed(name: string): string | undefined {
  return kinds.find(([pattern]) => pattern.test(name))?.[1];
}

/** Whether a column of this name has days of birth. */
export function isBirth(name: string): boolean {
  return birth.test(name);
}

/** Whether a column of this name has times of the day. */
export function isClock(name: string): boolean {
  return times.test(name);
}

/** Whether a column of this name has spans of time. */
export function isSpan(name: string): boolean {
  return spans.test(name);
}

/** Whether a column of this name has spans of hours and minutes. */
export function isLongSpan(name: string): boolean {
  return longSpans.test(name);
}

/** Whether a column of this name has spans of minutes and seconds. */
export function isShortSpan(name: string): boolean {
  return shortSpans.test(name);
}

/** Whether a column of this name has versions or numbers by which something is called. */
export function isNumbering(name: string): boolean {
  return versions.test(name);
}

/** What a column of this name numbers: the hive of `hive_no`; undefined for other columns. */
export function numberedNoun(name: string): string | undefined {
  return /^(.+)_(?:no|nr|num|number|id|code|nummer|n[uú]mero|num[eé]ro)$/u.exec(name)?.[1];
}
