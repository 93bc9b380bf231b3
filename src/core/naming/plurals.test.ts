import { expect, it } from "vitest";
import { pluralIn, singularIn } from "./plurals.ts";

it.each([
  ["es", "Colmena", "Colmenas"],
  ["es", "Taller", "Talleres"],
  ["es", "Observación", "Observaciones"],
  ["es", "Vez", "Vez"],
  ["es", "Pez espada", "Pez espadas"],
  ["es", "Lápiz", "Lápices"],
  ["pt", "Estação", "Estações"],
  ["pt", "Animal", "Animais"],
  ["fr", "Cheval", "Chevaux"],
  ["fr", "Bateau", "Bateaux"],
  ["fr", "Récolte", "Récoltes"],
  ["it", "Osservazione", "Osservazioni"],
  ["de", "Beobachtung", "Beobachtungen"],
  ["de", "Lehrerin", "Lehrerinnen"],
  ["de", "Werkzeug", "Werkzeug"],
  ["de", "Zählerstände", "Zählerstände"],
  ["de", "Reise", "Reisen"],
  ["en", "Hive", "Hives"],
  ["xx", "Hive", "Hives"],
])("in %s several of %s are %s", (language, one, several) => {
  expect(pluralIn(language, one)).toBe(several);
});

it.each([
  ["es", "Colmenas", "Colmena"],
  ["es", "Talleres", "Taller"],
  ["es", "Observaciones", "Observación"],
  ["es", "Animales marinos", "Animales marino"],
  ["fr", "Oiseaux", "Oiseau"],
  ["fr", "Animaux", "Animal"],
  ["pt", "Plantações", "Plantação"],
  ["de", "Beobachtungen", "Beobachtung"],
  ["de", "Mitglieder", "Mitglieder"],
  ["it", "Stazioni", "Stazione"],
  ["en", "Queen lines", "Queen line"],
])("in %s one of %s is %s", (language, several, one) => {
  expect(singularIn(language, several)).toBe(one);
});
