/** A place on the earth, in degrees: north of the equator, and east of Greenwich. */
export interface Coordinates {
  latitude: number;
  longitude: number;
}

/** The longest text that is read as a place. */
const longest = 80;

const separator = "\\s*[,;/\\s]\\s*";
const decimal = new RegExp(`^([+-]?\\d{1,2}(?:\\.\\d+)?)${separator}([+-]?\\d{1,3}(?:\\.\\d+)?)$`);
/** With commas in the numbers, something else has to be between them. */
const commas = /^([+-]?\d{1,2}(?:,\d+)?)\s*(?:[;/]|\s)\s*([+-]?\d{1,3}(?:,\d+)?)$/;
const angle =
  "(\\d{1,3}(?:[.,]\\d+)?)\\s*°\\s*(?:(\\d{1,2}(?:[.,]\\d+)?)\\s*['′’]\\s*)?(?:(\\d{1,2}(?:[.,]\\d+)?)\\s*(?:[\"″”]|'')\\s*)?";
const degrees = new RegExp(`^${angle}([NS])[\\s,;]*${angle}([EWO])$`, "i");

/**
 * Reads latitude and longitude, as people and programs write them: `41.3879, 2.1699`, `41,3879; 2,1699`, `geo:41.3879,2.1699`,
 * `41° 23′ 16″ N, 2° 10′ 12″ E`. Gives them as `41.3879,2.1699`, with six places at most, which tell a hand's breadth;
 * undefined for anything else.
 */
export function readPlace(text: string): string | undefined {
  if (text.length > longest) return undefined;
  const plain = text.trim().replace(/^geo:/i, "").replace(/−/g, "-");
  const pair = decimal.exec(plain) ?? commas.exec(plain);
  if (pair) return written(numberOf(pair[1]), numberOf(pair[2]));
  const found = degrees.exec(plain);
  if (!found) return undefined;
  const [, d1, m1, s1, north, d2, m2, s2, east] = found;
  const latitude = angleOf(d1, m1, s1);
  const longitude = angleOf(d2, m2, s2);
  return written(
    /s/i.test(north ?? "") ? -latitude : latitude,
    /[wo]/i.test(east ?? "") ? -longitude : longitude,
  );
}

/** The coordinates of a place as it is kept; undefined where it isn't one. */
export function coordinatesOf(place: unknown): Coordinates | undefined {
  const [, latitude, longitude] =
    /^(-?\d{1,2}(?:\.\d+)?),(-?\d{1,3}(?:\.\d+)?)$/.exec(String(place ?? "")) ?? [];
  return latitude === undefined
    ? undefined
    : { latitude: Number(latitude), longitude: Number(longitude) };
}

function numberOf(text = ""): number {
  return Number(text.replace(",", "."));
}

/** Degrees of degrees, minutes and seconds; none where there are too many of these. */
function angleOf(whole?: string, minutes?: string, seconds?: string): number {
  const [m, s] = [numberOf(minutes), numberOf(seconds)];
  return m < 60 && s < 60 ? numberOf(whole) + m / 60 + s / 3600 : Number.NaN;
}

function written(latitude: number, longitude: number): string | undefined {
  if (!(Math.abs(latitude) <= 90 && Math.abs(longitude) <= 180)) return undefined;
  const short = (degree: number) => String(Number(degree.toFixed(6)) + 0);
  return `${short(latitude)},${short(longitude)}`;
}
