import type { Field } from "../model/model.ts";
import { words, wordsOf } from "./meaning.ts";

type Amount = readonly [low: number, high: number];

/** Where numbers usually lie: what they are called, and the amounts in some units. */
interface Usual {
  called: RegExp;
  /** In any other unit, or none. */
  amount: Amount;
  units?: Readonly<Record<string, Amount>>;
}

/** In the order in which they are looked for. */
const called: readonly Usual[] = [
  {
    called: words("temperature|temp", "temperatura"),
    amount: [-5, 35],
    units: { "°F": [20, 95] },
  },
  { called: words("humidity|humedad"), amount: [30, 90] },
  { called: words("age|edad"), amount: [1, 80] },
  { called: words("elevation|altitude", "altitud|altura"), amount: [50, 1500] },
  { called: words("frames|cuadros"), amount: [1, 20] },
  {
    called: words("weight|peso"),
    amount: [4, 60],
    units: { g: [5, 400], mg: [5, 900], t: [1, 20] },
  },
  {
    called: words("length|width|height|depth", "longitud|largo|ancho|alto|profundidad"),
    amount: [1, 200],
    units: { m: [0.5, 12], km: [0.5, 40] },
  },
  {
    called: words("distance|distancia"),
    amount: [1, 60],
    units: { m: [10, 900] },
  },
  {
    called: words("area|surface", "superficie"),
    amount: [10, 400],
    units: { ha: [0.5, 40], "km²": [1, 90], km2: [1, 90] },
  },
  {
    called: words("volume|volumen"),
    amount: [1, 60],
    units: { ml: [5, 900] },
  },
  {
    called: words("pressure", "presion"),
    amount: [1, 6],
    units: { hPa: [985, 1035], mbar: [985, 1035] },
  },
  { called: words("capacity|seats|places", "capacidad|plazas"), amount: [4, 120] },
  {
    called: words("duration|minutes", "duracion|minutos"),
    amount: [10, 180],
    units: { h: [1, 8], hours: [1, 8], days: [1, 30] },
  },
  { called: words("latitude|latitud"), amount: [36, 60] },
  { called: words("longitude"), amount: [-9, 20] },
  { called: words("floor|floors|planta"), amount: [0, 8] },
  { called: words("count|quantity|number|amount|cantidad|numero"), amount: [1, 20] },
];

/** Where amounts of a unit usually lie, whatever they are called. */
const units: Readonly<Record<string, Amount>> = {
  "°C": [-5, 35],
  "%": [0, 100],
  kg: [1, 60],
  g: [5, 400],
  km: [1, 60],
  m: [0.5, 60],
  ha: [0.5, 40],
  l: [1, 60],
  h: [1, 8],
  min: [5, 180],
  days: [1, 30],
  years: [1, 30],
  "km/h": [5, 90],
  hPa: [985, 1035],
};

/** Where a number with the name and the unit of a field usually lies; `year` is the year of today. */
export function usualAmounts(field: Field, year: number): Amount | undefined {
  const name = wordsOf(field.name, field.label);
  if (words("year|ano").test(name)) return [year - 10, year];
  const unit = field.unit ?? "";
  const found = called.find((usual) => usual.called.test(name));
  if (!found) return Object.hasOwn(units, unit) ? units[unit] : undefined;
  return found.units && Object.hasOwn(found.units, unit) ? found.units[unit] : found.amount;
}
