import type { Kysely } from "kysely";
import { now } from "../formula/clock.ts";
import type { AccountTables } from "./account-tables.ts";
import { countMore } from "./attempts.ts";

/** How many requests a token is good for in a minute: API_REQUESTS_PER_MINUTE, or 600. */
export function requestsPerMinute(): number {
  const said = Number(process.env.API_REQUESTS_PER_MINUTE || 600);
  return said > 0 ? said : 600;
}

/** What was counted of somebody in a minute: what all processes together had told each other, and what this one has since. */
interface Counted {
  minute: string;
  together: number;
  own: number;
  toldAt: number;
}

const counted = new Map<string, Counted>();

/**
 * Counts a request of somebody; false where there were too many in this minute. All processes count together, by the
 * database: each tells the others twenty times on the way to the limit, and at least every second.
 */
export async function countRequest(
  db: Kysely<AccountTables>,
  subject: string,
  most = requestsPerMinute(),
): Promise<boolean> {
  const minute = now().slice(0, 16);
  const known = counted.get(subject);
  const count = known?.minute === minute ? known : { minute, together: 0, own: 0, toldAt: 0 };
  count.own += 1;
  remember(subject, count);
  if (count.own >= most / 20 || Date.now() - count.toldAt > 1000) {
    const { own } = count;
    count.own = 0;
    count.toldAt = Date.now();
    count.together = await countMore(db, `api ${subject} ${minute}`, own);
  }
  return count.together + count.own <= most;
}

/** The seconds until the next minute begins. */
export function secondsLeft(): number {
  return 60 - new Date().getUTCSeconds();
}

function remember(subject: string, count: Counted): void {
  counted.set(subject, count);
  if (counted.size <= 1000) return;
  for (const [each, { minute }] of counted) if (minute !== count.minute) counted.delete(each);
}
