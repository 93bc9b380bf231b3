import { createHash } from "node:crypto";
import type { Kysely } from "kysely";
import { type AccountTables, accountTables } from "../access/account-tables.ts";
import type { AnyTables } from "../access/scope.ts";
import { now } from "../formula/clock.ts";
import { atSecond } from "../formula/zones.ts";
import { logError } from "../store/log.ts";
import { isMailConfigured, transport } from "./transport.ts";

/** A letter to one person. */
export interface Letter {
  to: string;
  subject: string;
  text: string;
}

/** How often the delivery of a letter is tried, and how many minutes lie between two tries. */
const tries = { most: 6, minutes: [0, 1, 5, 15, 60, 240] };

/** For how many days letters are listed: those that were sent, and those that nobody sends. */
const keptDays = 14;

/**
 * Puts a letter into the outbox, in the transaction of what it is about, if there is one. `deliver` sends it; where no
 * mail is configured, it stays in the mailbox of the application.
 */
export async function post(db: Kysely<AccountTables>, letter: Letter): Promise<void> {
  await db
    .insertInto("levadura_mail")
    .values({
      made_at: now(),
      recipient: letter.to,
      subject: letter.subject.replace(/\s+/g, " ").slice(0, 200),
      body: letter.text,
      state: isMailConfigured() ? "waiting" : "kept",
      tried: 0,
    })
    .execute();
}

/** Sends the letters that wait, one after the other; each copy of the application takes those that no other has. */
export async function deliver<Tables>(database: Kysely<Tables>): Promise<void> {
  const db = accountTables(database as unknown as Kysely<AnyTables>);
  const old = atSecond(Date.now() - keptDays * 86_400_000);
  await db
    .deleteFrom("levadura_mail")
    .where("made_at", "<", old)
    .where("state", "in", ["sent", "failed", "kept"])
    .execute();
  if (!isMailConfigured()) return;
  const waiting = await db
    .selectFrom("levadura_mail")
    .select(["id", "tried", "tried_at", "recipient", "subject", "body"])
    .where("state", "in", ["waiting", "sending"])
    .orderBy("id")
    .limit(200)
    .execute();
  for (const letter of waiting.filter(isDue)) {
    // Another copy of the application may be sending it.
    const taken = await db
      .updateTable("levadura_mail")
      .set({ state: "sending", tried: letter.tried + 1, tried_at: now() })
      .where("id", "=", letter.id)
      .where("tried", "=", letter.tried)
      .executeTakeFirst();
    if (taken.numUpdatedRows === 0n) continue;
    await db
      .updateTable("levadura_mail")
      .set(await sent(letter))
      .where("id", "=", letter.id)
      .execute();
  }
}

interface Waiting {
  id: number;
  tried: number;
  tried_at: string | null;
  recipient: string;
  subject: string;
  body: string | null;
}

function isDue({ tried, tried_at }: Waiting): boolean {
  const minutes = tries.minutes[tried] ?? 0;
  return tried_at === null || tried_at <= atSecond(Date.now() - Math.max(1, minutes) * 60_000);
}

async function sent(letter: Waiting) {
  try {
    await transport().then((mail) =>
      mail.sendMail({
        to: { name: "", address: letter.recipient },
        subject: letter.subject,
        text: letter.body ?? "",
        messageId: `<${messageNumber(letter)}@levadura.invalid>`,
      }),
    );
    // There are links in it that nobody but its reader needs.
    return { state: "sent", body: null, trouble: null } as const;
  } catch (error) {
    logError(error, "sending a letter");
    const trouble = (error instanceof Error ? error.message : String(error)).slice(0, 300);
    return letter.tried + 1 >= tries.most
      ? ({ state: "failed", body: null, trouble } as const)
      : ({ state: "waiting", trouble } as const);
  }
}

/** The same for each try, so that a letter that arrives twice is known as one. */
function messageNumber({ id, recipient, body }: Waiting): string {
  return createHash("sha256").update(`${id} ${recipient} ${body}`).digest("hex").slice(0, 32);
}

/** Sends what waits soon, without anybody waiting for it. */
export function deliverSoon(db: Kysely<AnyTables>): void {
  setImmediate(() => {
    deliver(db).catch((error) => logError(error, "sending letters"));
  });
}
