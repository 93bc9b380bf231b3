import { momentOf, offsetAt } from "../../../kit/formula/zones.ts";

/** The years whose clock changes are told; before and after, the nearest offset counts. */
const years = [1900, 2100] as const;
const day = 86_400_000;

/** From when on a time zone has which offset, as moments and, for midnights, as days. */
interface Change {
  moment: string;
  day: string;
  /** Seconds ahead of UTC: of moments from then on, and of midnights from that day on. */
  offset: number;
  midnight: number;
}

const known = new Map<string, Change[]>();

/** The changes of the clock of a time zone, oldest first; the first one says what was before them all. */
function changesOf(zone: string): Change[] {
  const found = known.get(zone);
  if (found) return found;
  const begin = Date.UTC(years[0], 0, 1);
  const end = Date.UTC(years[1], 0, 1);
  const offset = (time: number) => offsetAt(zone, time);
  const changes: Change[] = [changeAt(zone, begin)];
  // No zone changes its clock twice within ten days.
  for (let time = begin; time < end; time += 10 * day) {
    let [low, high] = [time, time + 10 * day];
    if (offset(low) === offset(high)) continue;
    while (high - low > 1000) {
      const middle = low + Math.floor((high - low) / 2000) * 1000;
      if (offset(middle) === offset(low)) low = middle;
      else high = middle;
    }
    changes.push(changeAt(zone, high));
  }
  known.set(zone, changes);
  return changes;
}

function changeAt(zone: string, time: number): Change {
  // The first day whose midnight is at or after the change.
  let midnight = Math.floor((time + offsetAt(zone, time)) / day) * day;
  while (momentOf(zone, midnight) < time) midnight += day;
  return {
    moment: `${new Date(time).toISOString().slice(0, 19)}Z`,
    day: new Date(midnight).toISOString().slice(0, 10),
    offset: offsetAt(zone, time) / 1000,
    midnight: (midnight - momentOf(zone, midnight)) / 1000,
  };
}

/**
 * How many seconds a time zone is ahead of UTC, as an expression for databases that know no time zones: of a moment,
 * or of midnight on a day. `literal` writes such a moment or day.
 */
export function offsetSql(
  zone: string,
  value: string,
  of: "moment" | "day",
  literal: (text: string) => string,
): string {
  const changes = changesOf(zone);
  const seconds = (change: Change) => (of === "moment" ? change.offset : change.midnight);
  const cases: string[] = [];
  changes.slice(1).forEach((change, at) => {
    const before = seconds(changes[at] as Change);
    if (before !== seconds(change))
      cases.push(`when ${value} < ${literal(change[of])} then ${before}`);
  });
  const last = seconds(changes.at(-1) as Change);
  return cases.length === 0 ? String(last) : `case ${cases.join(" ")} else ${last} end`;
}
