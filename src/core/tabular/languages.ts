import type { ColumnProfile } from "./profile.ts";

/** Small words and words of headers, by language. A word that several have counts less for each. */
const known: Readonly<Record<string, string>> = {
  en: "the of and with is not yes name date weight price amount place town number first last opened born code checked paid notes remark remarks status type owner keeper season street size total january february march may june july october december code description address city country phone email comment comments category group member members start end length width height depth hours days room seat seats color colour size count order item items sample samples",
  de: "der die das und mit nicht ist von zu den ein eine ja nein datum gewicht preis betrag ort nummer vorname nachname geboren bemerkung bemerkungen anzahl straße strasse größe menge zeit jahr januar februar märz mai juni juli oktober dezember bezahlt beschreibung adresse stadt land telefon bemerkung kategorie gruppe mitglied mitglieder beginn ende länge breite höhe tiefe stunden tage zimmer platz plätze farbe stück stückpreis artikel artikelnummer kunde kunden plz hersteller gerät zähler stand zählerstand geprüft lieferung auflage bestand menge einheit verein geboren bezahlt offen",
  es: "el los las del con y una sí fecha peso precio importe lugar pueblo número nombre apellido apellidos nacimiento nacido teléfono cantidad calle tamaño año estado notas observaciones enero febrero marzo mayo junio julio octubre diciembre pagado dueño descripción dirección ciudad país correo comentario comentarios categoría grupo miembro socio socios inicio fin largo ancho alto hora horas días día sala plaza plazas color unidad unidades artículo cliente clientes código coste costo cuota empieza termina taller talleres especie ubicación responsable proveedor existencias ejemplares",
  fr: "le les des et avec une du est oui non poids prix montant lieu commune numéro nom prénom né née téléphone quantité rue taille année état remarques janvier février mars mai juin juillet octobre décembre payé espèce durée description adresse ville pays courriel commentaire commentaires catégorie groupe membre membres début fin longueur largeur hauteur profondeur heures jours salle place places couleur unité article client clients code coût cotisation atelier responsable fournisseur réf référence altitude",
  it: "il gli di e con una sì peso prezzo importo luogo comune numero nome cognome nato nata telefono quantità via dimensione anno stato gennaio febbraio marzo maggio giugno luglio ottobre dicembre pagato varietà descrizione indirizzo città paese commento commenti categoria gruppo membro soci inizio fine lunghezza larghezza altezza ore giorni sala posto posti colore unità articolo cliente clienti codice costo quota responsabile fornitore quantita conferito rimborso volontario",
  pt: "o os dos das com e uma sim não peso preço valor lugar cidade número nome sobrenome nascimento telefone quantidade rua tamanho ano estado observações janeiro fevereiro março maio junho julho outubro dezembro pago produtor colheita descrição endereço país comentário comentários categoria grupo membro sócios início fim comprimento largura altura horas dias lugar lugares cor unidade artigo cliente clientes código custo quota responsável fornecedor umidade",
};

const owners = new Map<string, string[]>();
for (const [language, words] of Object.entries(known)) {
  for (const word of words.split(" ")) owners.set(word, [...(owners.get(word) ?? []), language]);
}

/** Letters that only one of these languages has. */
const letters: readonly (readonly [RegExp, string])[] = [
  [/[ßäöü]/, "de"],
  [/[ñ¿¡]/, "es"],
  [/[ãõ]/, "pt"],
  [/[èêœ]/, "fr"],
];

/** The lowest score of a language. It must also be half as high again as the next one. */
const least = 3;
const mostWords = 3000;

/** The language of some sheets, by the words of their headers and cells; undefined where these don't tell. */
export function languageOf(
  columns: readonly ColumnProfile[],
  names: readonly string[] = [],
): string | undefined {
  const scores = new Map<string, number>();
  const add = (language: string, points: number) =>
    scores.set(language, (scores.get(language) ?? 0) + points);
  const count = (text: string, points: number) => {
    const lower = text.toLowerCase();
    for (const word of lower.split(/[^\p{L}]+/u)) {
      const its = owners.get(word) ?? [];
      for (const language of its) add(language, points / its.length);
    }
    for (const [pattern, language] of letters) if (pattern.test(lower)) add(language, points / 2);
  };
  for (const name of names) count(name, 2);
  let looked = 0;
  for (const { header, distinct } of columns) {
    count(header, 3);
    for (const { spellings } of distinct.values.values()) {
      if (looked++ > mostWords) break;
      count(spellings[0]?.text ?? "", 0.5);
    }
  }
  const [first, second] = [...scores].sort(([, a], [, b]) => b - a);
  if (!first || first[1] < least || first[1] < 1.5 * (second?.[1] ?? 0)) return undefined;
  return first[0];
}
