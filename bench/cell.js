// A cell that is typed in the grid of a list: until it is saved and shown, against the bare request that saves it.
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { chromium } from "playwright-core";
import { bin, inFolder, median, run, startServer } from "./measure.js";

const turns = 60;

const model = `levadura: 1
app: {name: Hive Book, language: en-GB}
entities:
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 20
  Harvest:
    title: "{code}"
    fields:
      code: text, required, unique
      apiary: one Apiary, required
      date: date, required
      weight: integer 0..100000
      double: = weight * 2
    columns: [code, apiary, date, weight, double]
    sort: code
    seed: 1000
`;

/** Types numbers into a cell of the page; gives how long each took until it was saved and what is computed of it was shown. */
async function typed(turns) {
  const cell = document.querySelector("tbody tr").querySelectorAll("td")[3];
  const state = document.querySelector("[data-state]");
  const press = (target, key) =>
    target.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
  const times = [];
  for (let turn = 0; turn < turns; turn++) {
    cell.focus();
    press(cell, "Enter");
    const input = cell.querySelector("input");
    const wanted = 1 + ((turn * 7919) % 90_000);
    input.value = String(wanted);
    const begun = performance.now();
    const shown = new Promise((resolve) => {
      const look = new MutationObserver(() => {
        if (
          state.dataset.state === "saved" &&
          cell.nextElementSibling.textContent.replace(/\D/g, "") === String(2 * wanted)
        ) {
          look.disconnect();
          resolve();
        }
      });
      look.observe(document.body, { subtree: true, childList: true, attributes: true });
    });
    press(input, "Enter");
    await shown;
    times.push(performance.now() - begun);
  }
  return times;
}

/** Sends the same requests, without the page. */
async function sent(turns) {
  const row = document.querySelector("tbody tr");
  const { grid } = document.querySelector("[data-grid]").dataset;
  const times = [];
  for (let turn = 0; turn < turns; turn++) {
    const { id, version } = row.dataset;
    const body = JSON.stringify({
      rows: [
        {
          token: crypto.randomUUID(),
          record: { id: Number(id), version: Number(version) },
          cells: { weight: { text: String(2 + ((turn * 7919) % 90000)) } },
        },
      ],
    });
    const begun = performance.now();
    const headers = { "content-type": "application/json" };
    const answer = await (await fetch(grid, { method: "POST", headers, body })).json();
    times.push(performance.now() - begun);
    row.dataset.version = /data-version="(\d+)"/.exec(answer.rows[0].saved)[1];
  }
  return times;
}

export function cell() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "seed", "build"])
      run([bin, command, "-p", folder]);
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const flags =
      "--no-sandbox --disable-quic --disable-background-networking --disable-component-update --disable-sync --no-first-run";
    const browser = await chromium.launch({
      executablePath: "/usr/bin/chromium",
      args: flags.split(" "),
    });
    try {
      const page = await browser.newPage();
      await page.goto(`${application.address}/harvests/grid`);
      await page.evaluate(typed, 10);
      const own = [];
      const bare = [];
      for (let round = 0; round < 3; round++) {
        await page.reload();
        own.push(...(await page.evaluate(typed, turns / 3)));
        await page.reload();
        bare.push(...(await page.evaluate(sent, turns / 3)));
      }
      return [
        {
          what: "a cell of the grid, from the key to saved and shown",
          reference: "the bare request that saves it, from the same page",
          own: median(own),
          against: median(bare),
          unit: "ms",
          hold: "<= 1.5",
        },
      ];
    } finally {
      await browser.close();
      await application.stop();
    }
  });
}
