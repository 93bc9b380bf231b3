/** Units of one quantity: how much of the smallest each is, as powers of ten or as whole numbers. */
const families: readonly Readonly<Record<string, number>>[] = [
  { mg: 1, g: 1e3, kg: 1e6, t: 1e9 },
  { mm: 1, cm: 10, dm: 100, m: 1e3, km: 1e6 },
  { ml: 1, cl: 10, dl: 100, l: 1e3, hl: 1e5 },
  { s: 1, min: 60, h: 3600 },
  { mW: 1, W: 1e3, kW: 1e6, MW: 1e9 },
  { Wh: 1, kWh: 1e3, MWh: 1e6 },
  { Hz: 1, kHz: 1e3, MHz: 1e6, GHz: 1e9 },
  { "cm²": 1, "m²": 1e4, ha: 1e8, "km²": 1e10 },
];

/** Other spellings, in small letters. */
const spellings: Readonly<Record<string, string>> = {
  sec: "s",
  secs: "s",
  mins: "min",
  hr: "h",
  hrs: "h",
  std: "h",
  hours: "h",
  minutes: "min",
  seconds: "s",
  gr: "g",
  grs: "g",
  kgs: "kg",
  kilo: "kg",
  ltr: "l",
  m2: "m²",
  cm2: "cm²",
  km2: "km²",
};

/** Units farther apart than this aren't mixed by one who writes them down. */
const farthest = 1e5;

/** What a number in one unit is multiplied by to be in another, in plain digits; undefined where that isn't known. */
export function unitFactor(from: string, to: string): string | undefined {
  const family = families.find((each) => sizeIn(each, from) && sizeIn(each, to));
  if (!family) return undefined;
  const [one, other] = [sizeIn(family, from) ?? 1, sizeIn(family, to) ?? 1];
  const ratio = one / other;
  if (ratio > farthest || ratio < 1 / farthest) return undefined;
  if (ratio >= 1) return String(ratio);
  // Only powers of ten have a factor with an end.
  return /^10*$/.test(String(other / one))
    ? ratio.toFixed(String(other / one).length - 1)
    : undefined;
}

/** A unit by its exact name, or by its small letters where no other is written with the same ones. */
function sizeIn(family: Readonly<Record<string, number>>, unit: string): number | undefined {
  const plain = unit.trim().replace(/\.$/, "");
  if (Object.hasOwn(family, plain)) return family[plain];
  const small = plain.toLowerCase();
  const known = Object.hasOwn(spellings, small) ? (spellings[small] ?? small) : small;
  const alike = Object.keys(family).filter((name) => name.toLowerCase() === known.toLowerCase());
  return alike.length === 1 ? family[alike[0] as string] : undefined;
}
