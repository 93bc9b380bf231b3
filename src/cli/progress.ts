import ansis from "ansis";
import { visible } from "../core/naming/characters.ts";

/** How long work is left uncommented, and how often it is commented then, in milliseconds. */
const patience = 1000;
const between = 200;

interface Work {
  on: string;
  begun: number;
  shown: number;
  timer: NodeJS.Timeout | undefined;
}

let work: Work | undefined;

/** Shows what is being done and for how long, once it takes more than a second; only to people at a terminal. */
export function showWork(on: string): void {
  endWork();
  if (!process.stderr.isTTY) return;
  const begun = Date.now();
  const show = () => draw(`… ${on}, ${seconds(begun)} s`);
  const timer = setTimeout(() => {
    show();
    if (!work) return;
    work.timer = setInterval(show, patience);
    work.timer.unref();
  }, patience);
  timer.unref();
  work = { on, begun, shown: begun, timer };
}

/** Shows how far work is that goes through rows: a bar, the rows so far, and how many a second. */
export function showProgress(on: string, rows: number, share: number): void {
  if (!process.stderr.isTTY) return;
  if (work?.on !== on || work.timer) {
    endWork();
    work = { on, begun: Date.now(), shown: Date.now(), timer: undefined };
  }
  const now = Date.now();
  if (now - work.begun < patience || now - work.shown < between) return;
  work.shown = now;
  const rate = Math.round((rows / Math.max(1, now - work.begun)) * 1000);
  const width = 24;
  const full = Math.round(Math.min(1, share) * width);
  const bar = "█".repeat(full) + "░".repeat(width - full);
  draw(`${bar} ${on}, ${rows.toLocaleString("en")} rows, ${rate.toLocaleString("en")} a second`);
}

function seconds(begun: number): number {
  return Math.round((Date.now() - begun) / 1000);
}

function draw(text: string): void {
  const room = (process.stderr.columns ?? 80) - 1;
  process.stderr.write(`\r\x1b[K${ansis.dim([...visible(text)].slice(0, room).join(""))}`);
}

/** Removes that line. */
export function endWork(): void {
  if (!work) return;
  clearTimeout(work.timer);
  work = undefined;
  if (process.stderr.isTTY) process.stderr.write("\r\x1b[K");
}
