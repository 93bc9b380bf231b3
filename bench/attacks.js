// The longest that one request can take: every field, filter and search of an application, with texts made to be slow.
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { bin, inFolder, run, startServer, timed } from "./measure.js";

const kinds = {
  text: "text",
  notes: "long text",
  number: "integer",
  weight: "decimal 0..200, places 5",
  active: "boolean",
  day: "date",
  clock: "time",
  seen: "datetime",
  mail: "email",
  link: "url",
  telephone: "phone",
  paint: "color",
  status: "choice active | weak",
  next: "one Hive",
  others: "many Hive",
};
const fields = Object.entries(kinds).map(([name, type]) => `      ${name}: ${type}\n`);
const model = `levadura: 1
entities:
  Hive:
    title: "{text}"
    columns: [${Object.keys(kinds).join(", ")}]
    fields:\n${fields.join("")}`;

/** What made patterns and tables of letters slow, of a length. */
const attacks = {
  digits: (length) => "9".repeat(length),
  zeros: (length) => `0.${"0".repeat(length)}1`,
  marks: (length) => `a${"\u0301\u0316".repeat(length / 2)}`,
  jamo: (length) => "\u1112\u1161\u11ab".repeat(length / 3),
  spaces: (length) => `x${" ".repeat(length)}x`,
  words: (length) => "a b c d e f g h i j ".repeat(length / 20),
  addresses: (length) => `${"a.".repeat(length / 2)}@`,
  links: (length) => `https://${"a@".repeat(length / 2)}`,
  pairs: (length) => "\ud83d\udc1d".repeat(length / 2),
};

/** The quickest of three times, so that what else the machine does isn't counted. */
async function quickest(prepare, work) {
  const times = [];
  for (let turn = 0; turn < 3; turn++) {
    const prepared = await prepare();
    times.push(await timed(() => work(prepared)));
  }
  return Math.min(...times);
}

async function send(address, path, given) {
  const answer = await fetch(`${address}${path}`, { redirect: "manual", ...given });
  await answer.text();
  if (answer.status >= 500) throw new Error(`${path.slice(0, 80)} answered ${answer.status}`);
}

/** The inputs of a form that nobody sees. */
async function hiddenInputs(address) {
  const html = await (await fetch(`${address}/hives/new`)).text();
  const inputs = html.matchAll(/<input type="hidden" name="([^"]+)" value="([^"]*)"/g);
  return Object.fromEntries([...inputs].map(([, name, value]) => [name, value]));
}

export function attacked() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "seed", "build"])
      run([bin, command, "-p", folder]);
    const { address, stop } = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const worst = { field: 0, query: 0 };
    try {
      await send(address, "/hives");
      // The lists first: what forms save makes every search longer, by as much as there is to look through.
      for (const attack of Object.values(attacks)) {
        for (const filter of ["search", "sort", "page", ...Object.keys(kinds)]) {
          for (const length of [40, 600]) {
            const query = new URLSearchParams({ [filter]: attack(length) });
            const time = await quickest(
              () => undefined,
              () => send(address, `/hives?${query}`),
            );
            worst.query = Math.max(worst.query, time);
          }
        }
      }
      for (const attack of Object.values(attacks)) {
        for (const field of Object.keys(kinds)) {
          for (const length of [40, 1000, 60_000]) {
            const time = await quickest(
              () => hiddenInputs(address),
              (hidden) =>
                send(address, "/hives/new", {
                  method: "POST",
                  headers: { origin: address },
                  body: new URLSearchParams({ ...hidden, [field]: attack(length) }),
                }),
            );
            worst.field = Math.max(worst.field, time);
          }
        }
      }
    } finally {
      await stop();
    }
    return [
      ["the slowest answer to a form with a hostile value in one of its fields", worst.field],
      ["the slowest answer to a list with a hostile filter or search", worst.query],
    ].map(([what, own]) => ({ what, reference: "50 ms", own, against: 50, hold: "<= 1" }));
  });
}
