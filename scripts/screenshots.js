// npm run screenshots [names]: makes docs/screenshots again from the demo: pages through Chromium, commands in a
// terminal window under Xvfb. Needs Debian's packages chromium, xvfb, xterm, imagemagick, fonts-dejavu.
import { execFileSync, spawn, spawnSync } from "node:child_process";
import {
  chmodSync,
  copyFileSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { chromium } from "playwright-core";
import sharp from "sharp";

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const out = join(root, "docs", "screenshots");
const folder = mkdtempSync(join(tmpdir(), "levadura-screenshots-"));
const commands = join(folder, "bin");
mkdirSync(out, { recursive: true });
mkdirSync(commands);
writeFileSync(join(commands, "levadura"), `#!/bin/sh\nexec node ${root}/bin/levadura.js "$@"\n`, {
  mode: 0o755,
});

const sleep = (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds));

/** The names of the pictures that are wanted; all, without any. */
const wanted = process.argv.slice(2);
const isWanted = (name) => wanted.length === 0 || wanted.includes(name);

/** Runs commands in a terminal window, and takes its picture when they are done. */
async function terminal(name, cwd, lines, seconds, home = process.env.HOME) {
  if (!isWanted(name)) return;
  const script = join(folder, `${name}.sh`);
  const typed = lines.map(
    (line) => `printf '\\033[1;32m$\\033[0m %s\\n' ${JSON.stringify(line)}; ${line}; echo`,
  );
  writeFileSync(
    script,
    `cd ${cwd}\nexport PATH=${commands}:$PATH\nclear\n${typed.join("\n")}\nsleep 60\n`,
  );
  const display = `:${90 + Math.floor(Math.random() * 900)}`;
  const screen = spawn("Xvfb", [display, "-screen", "0", "1280x800x24"], { stdio: "ignore" });
  await sleep(1000);
  const env = { ...process.env, DISPLAY: display, HOME: home };
  const font = ["-fa", "DejaVu Sans Mono", "-fs", "12", "-bg", "#fbfaf7", "-fg", "#222222"];
  const args = [...font, "-geometry", "128x40+0+0", "-e", "bash", script];
  const window = spawn("xterm", args, { env, stdio: "ignore" });
  await sleep(seconds * 1000);
  execFileSync("import", ["-window", "root", join(out, `${name}.png`)], { env });
  window.kill();
  screen.kill();
  await sleep(300);
}

/** A picture of an application on its way to a host. */
async function publishing() {
  const place = join(folder, "published");
  mkdirSync(join(place, ".ssh"), { recursive: true });
  chmodSync(folder, 0o755);
  const key = join(place, ".ssh", "id_ed25519");
  execFileSync("ssh-keygen", ["-q", "-t", "ed25519", "-N", "", "-C", "ana@bees", "-f", key]);
  const env = { ...process.env, HOME: place };
  const levadura = (...args) =>
    execFileSync("node", [join(root, "bin/levadura.js"), ...args], { cwd: place, env });
  levadura("host", "admit", `${key}.pub`);
  const host = spawn("node", [join(root, "bin/levadura.js"), "host"], { cwd: place, env });
  await sleep(3000);
  const file = join(place, "model.yaml");
  copyFileSync(join(root, "demo", "model.yaml"), file);
  for (const command of ["prepare", "build"]) levadura(command);
  levadura("publish", "localhost:7700");
  const before = readFileSync(file, "utf8");
  // Another name for a field: requests wait while it is applied.
  const renamed = before
    .replace("brood_frames:", "sealed_frames:\n        was: brood_frames")
    .replace(" brood_frames,", " sealed_frames,");
  writeFileSync(file, renamed);
  for (const command of ["prepare", "build"]) levadura(command);
  const lines = ["publish", "publish --preview", "publish status"];
  await terminal(
    "publish",
    place,
    lines.map((line) => `levadura ${line}`),
    40,
    place,
  );
  host.kill();
  await sleep(2000);
}

/** A picture of a form for visitors in the page of another site. */
async function embeddedForm() {
  const place = join(folder, "embedded");
  mkdirSync(place);
  const site = createServer((_, answer) => {
    answer.setHeader("content-type", "text/html");
    answer.end(`<!doctype html><html lang="en"><title>Bees of the valley</title>
<style>body{font:17px/1.5 Georgia,serif;margin:0;color:#243024}header{background:#dfe8d8;padding:1rem 3rem}
nav a{margin-right:1.5rem;color:#2c5a3a}main{max-width:820px;margin:1rem auto}h1{font-size:1.7rem;margin:.2rem 0}iframe{border:0}</style>
<header><h1>Bees of the valley</h1><nav><a href="/">News</a><a href="/">Courses</a><a href="/">Honey</a></nav></header>
<main><h2>Have you seen a swarm?</h2><p>Keep away from it, and tell us where it is. Somebody will come for it.</p>
<iframe src="http://127.0.0.1:4590/-/embedded/report-a-swarm" title="A swarm" width="100%"></iframe></main>
<script src="http://127.0.0.1:4590/-/assets/embedding.js" defer></script></html>`);
  });
  await new Promise((resolve) => site.listen(4591, "127.0.0.1", resolve));
  const swarm = `entities:
  Swarm:
    rights: {office: everything, visitors: add}
    fields:
      place: {type: text, required: yes, placeholder: In the old oak behind the school}
      seen: date ..today, required, default today
      height: {type: integer, min: 0, max: 40, unit: m, hint: Above the ground}
      telephone: phone
`;
  const model = readFileSync(join(root, "demo", "model.yaml"), "utf8").replace(
    "entities:\n",
    swarm,
  );
  const embedded = "embedded:\n  report-a-swarm: {form: Swarm, origins: http://localhost:4591}\n";
  writeFileSync(join(place, "model.yaml"), `${model}\n${embedded}`);
  const args = [join(root, "bin/levadura.js"), "rise", "--port", "4590"];
  const application = spawn("node", args, { cwd: place, stdio: "ignore" });
  await sleep(15_000);
  const browser = await chromiumBrowser();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto("http://localhost:4591/");
  await sleep(2000);
  await page.screenshot({ path: join(out, "embedded-form.png") });
  await browser.close();
  application.kill("SIGINT");
  site.close();
}

function chromiumBrowser() {
  const flags =
    "--no-sandbox --disable-quic --disable-background-networking --disable-component-update --disable-sync --no-first-run";
  return chromium.launch({ executablePath: "/usr/bin/chromium", args: flags.split(" ") });
}

/** A picture of the preview of an import. */
async function previewPage(address) {
  const browser = await chromiumBrowser();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(address);
  await page.screenshot({ path: join(out, "import-page.png") });
  await browser.close();
}

/** A picture of a hive, as somebody could have taken it. */
function hivePicture() {
  const drawing = `<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="800">
    <rect width="1200" height="800" fill="#a9cbe8"/><circle cx="980" cy="150" r="70" fill="#ffe9a3"/>
    <path d="M0 560 Q300 480 600 550 T1200 530 V800 H0z" fill="#7f9d54"/>
    <g stroke="#5c4327" stroke-width="4"><rect x="440" y="250" width="320" height="130" fill="#e6b24a"/>
    <rect x="440" y="380" width="320" height="160" fill="#d99a2f"/><rect x="420" y="215" width="360" height="40" fill="#8d8f92"/>
    <rect x="520" y="515" width="160" height="18" fill="#2c2218"/><rect x="470" y="540" width="40" height="70" fill="#5c4327"/>
    <rect x="690" y="540" width="40" height="70" fill="#5c4327"/></g></svg>`;
  return sharp(Buffer.from(drawing)).jpeg().toBuffer();
}

async function pages(address) {
  const browser = await chromiumBrowser();
  /** Pages for somebody who signed in as a sample of a group. */
  const as = async (group, viewport = { width: 1280, height: 800 }) => {
    const context = await browser.newContext({ viewport });
    const first = await context.newPage();
    await first.goto(`${address}/-/sign-in`);
    await first.getByRole("button", { name: group }).click();
    await first.waitForURL(`${address}/`);
    await first.close();
    return async (path) => {
      const page = await context.newPage();
      await page.goto(address + path);
      return page;
    };
  };
  const open = await as("Office");
  const picture = async (page, name) => {
    await page.waitForTimeout(300);
    await page.screenshot({ path: join(out, `${name}.png`) });
  };
  const shoot = async (page, name) => {
    await picture(page, name);
    await page.close();
  };
  await shoot(await open("/"), "app-home");
  const list = await open("/hives?status=active&status=weak");
  await list.click("a[data-panel]");
  await list.waitForSelector("#filter-panel");
  await shoot(list, "app-list");
  const form = await open("/hives/7/edit");
  await form.setInputFiles("#field-photo", {
    name: "front.jpg",
    mimeType: "image/jpeg",
    buffer: await hivePicture(),
  });
  // The picture that was chosen, and the rows of the parts below it.
  await form.locator("#group-photo").evaluate((it) => it.scrollIntoView());
  await picture(form, "app-form");
  await form.getByRole("button", { name: "Save" }).click();
  await form.waitForURL((url) => !url.pathname.endsWith("/edit"));
  await form.close();
  await shoot(await open("/hives/7?within=status%3Dactive"), "app-record");
  await shoot(await (await as("Office", { width: 390, height: 844 }))("/hives/7"), "app-phone");

  const honey = await open("/harvests");
  await honey.getByRole("link", { name: "Honey per apiary, this year and last" }).click();
  await shoot(honey, "app-report");
  const administrator = await as("Administrators");
  const invited = await administrator("/-/people/new");
  await invited
    .getByLabel("People to invite")
    .fill("Ana Vidal, ana@example.org\nBen Ash, ben@example.org");
  await invited.getByLabel("Members").check();
  await invited.getByRole("button", { name: "Invite people" }).click();
  await invited.close();
  for (const group of ["Members", "Wardens", "Board"]) await as(group);
  await shoot(await administrator("/-/people"), "app-people");

  const grid = await open("/hives/grid");
  await grid.locator("tbody tr").nth(3).locator("td").nth(2).click();
  await grid.keyboard.type("q");
  await grid.getByRole("option", { name: "Queenless" }).waitFor();
  await shoot(grid, "app-grid");
  await shoot(await open("/-/calendar?on=2026-04-15"), "app-calendar");

  const changed = await open("/hives/3/edit");
  await changed.getByLabel("Status").selectOption("weak");
  await changed.getByLabel("Notes").fill("Given to the school garden.");
  await changed.getByRole("button", { name: "Save", exact: true }).click();
  await changed.close();
  await shoot(await open("/-/api-reference"), "app-api");
  await browser.close();
}

const demo = join(folder, "demo");
const rise = spawn("node", [join(root, "bin/levadura.js"), "demo", "--into", demo], {
  stdio: ["ignore", "pipe", 2],
});
const address = await new Promise((resolve) => {
  let said = "";
  rise.stdout.on("data", (chunk) => {
    said += chunk;
    const found = /Open (http\S+)\//.exec(said);
    if (found) resolve(found[1]);
  });
});
if (wanted.length === 0 || wanted.some((name) => name.startsWith("app-"))) await pages(address);
rise.kill("SIGINT");

await terminal("demo", folder, ["levadura demo"], 7);
writeFileSync(
  join(demo, "model.yaml"),
  readFileSync(join(demo, "model.yaml"), "utf8")
    .replace(
      "      elevation: integer 0..4000, unit m\n",
      "      altitude: integer 0..4000, unit m, was elevation\n",
    )
    .replaceAll("town, opened, elevation]", "town, opened, altitude]")
    .replace("town, elevation, opened", "town, altitude, opened")
    .replace("      town: text ..80\n", "      town: one Town\n")
    .replace(
      "entities:\n",
      "entities:\n  Town:\n    fields:\n      name: text 2..80, required, unique\n\n",
    )
    .replace("queenless | retired", "queenless | gone was retired")
    .replace("status = 'retired'", "status = 'gone'")
    .replace("dose: decimal 0..60,", "dose: decimal 0..60, required,")
    .replace("      remarks: long text\n", ""),
);
await terminal("changes", demo, ["levadura changes"], 4);
const sheets = join(folder, "sheets");
mkdirSync(sheets);
for (const name of ["hive-book.xlsx", "equipment.csv", "keepers.ods"]) {
  copyFileSync(join(root, "demo", name), join(sheets, name));
}
await terminal("import", sheets, ["levadura import keepers.ods equipment.csv"], 5);
const [, year] = /```csv year.csv\n(.*?)```/s.exec(
  readFileSync(join(root, "docs/untidy-sheets.md"), "utf8"),
);
writeFileSync(join(sheets, "year.csv"), year);
if (isWanted("import-page")) {
  const said = spawnSync("node", [join(root, "bin/levadura.js"), "import", "year.csv", "--open"], {
    cwd: sheets,
    encoding: "utf8",
    env: { ...process.env, BROWSER: "true" },
  });
  const [, page] = /a page, too: (\S+)/.exec(said.stderr);
  await previewPage(`file://${page}`);
}
const wrong = join(folder, "wrong");
mkdirSync(wrong);
copyFileSync(join(root, "demo/model.yaml"), join(wrong, "model.yaml"));
const model = readFileSync(join(wrong, "model.yaml"), "utf8");
writeFileSync(
  join(wrong, "model.yaml"),
  model
    .replace("elevation: integer 0..4000", "elevation: integr 0..4000")
    .replace("apiary: one Apiary, required", "apiary: one Apairy, required")
    .replace(
      "columns: [date, hive, keeper, brood_frames",
      "columns: [date, hive, keeper, brood_frame",
    )
    .replace("price: money 0.., label", "price: money 0 label"),
);
await terminal("check", wrong, ["levadura check"], 3);
const saved = join(folder, "saved");
mkdirSync(saved);
copyFileSync(join(root, "demo/model.yaml"), join(saved, "model.yaml"));
const edit = (seconds, change) =>
  isWanted("rise") &&
  setTimeout(() => {
    const text = readFileSync(join(saved, "model.yaml"), "utf8");
    writeFileSync(join(saved, "model.yaml"), change(text));
  }, seconds * 1000);
edit(5, (text) => text.replace("      opened: date", "      district: text\n      opened: date"));
edit(7, (text) => text.replace("town: text ..80", "town: text ..80, required"));
edit(9, (text) => text.replace("website: url", "website: ulr"));
await terminal("rise", saved, ["levadura rise"], 11);
const kept = join(folder, "kept");
mkdirSync(kept);
copyFileSync(join(root, "demo", "model.yaml"), join(kept, "model.yaml"));
const sheetsOfDemo = ["hive-book.xlsx", "equipment.csv"].map((name) => join(root, "demo", name));
for (const command of [
  ["import", ...sheetsOfDemo, "--plan", join(root, "demo", "hive-book.plan.yaml"), "--yes"],
  ["prepare"],
  ["migrate"],
  ["import", "--yes"],
]) {
  execFileSync("node", [join(root, "bin/levadura.js"), ...command], { cwd: kept, stdio: "ignore" });
}
await terminal(
  "kept",
  kept,
  [
    "levadura seed Harvest --empty-first < /dev/null",
    "levadura seed Harvest --empty-first --accept-loss Harvest --yes",
    "levadura kept",
    "levadura restore $(ls kept)",
    "levadura rewind < /dev/null",
  ],
  9,
);
if (isWanted("publish")) await publishing();
if (isWanted("embedded-form")) await embeddedForm();
rmSync(folder, { recursive: true, force: true });
