import ansis from "ansis";
import { visible } from "../core/naming/characters.ts";

/** When work is commented, in milliseconds: on one line of a terminal, and elsewhere in a line each time. */
const terminal = { patience: 500, between: 200 };
const elsewhere = { patience: 10_000, between: 10_000 };

interface Work {
  on: string;
  begun: number;
  timer: NodeJS.Timeout | undefined;
}

let work: Work | undefined;
/** When the first work began, and when something was shown last. */
let begun: number | undefined;
let shown = 0;
/** Whether a line is on the terminal that is to go. */
let isDrawn = false;

/** How far work is, from 0 to 1; or about how many milliseconds it takes. */
export interface Extent {
  share?: number;
  about?: number;
}

/** Shows what is being done and for how long, and how far it is where that can be told. */
export function showWork(on: string, { share, about }: Extent = {}): void {
  const show = () => {
    if (!work) return;
    const passed = Date.now() - work.begun;
    const seconds = Math.round(passed / 1000);
    // Nobody knows when it ends, so its bar never gets there.
    const done = share ?? (about === undefined ? undefined : Math.min(0.97, passed / about));
    const time = `${seconds} s${about === undefined ? "" : ` of about ${Math.max(1, Math.round(about / 1000))}`}`;
    comment(`${done === undefined ? "…" : bar(done)} ${on}, ${time}`, `${on}: ${time}`);
  };
  begin(on);
  if (work) work.timer = setInterval(show, terminal.between);
  work?.timer?.unref();
  show();
}

/** Shows how far work is that goes through rows: a bar, the rows so far, and how many a second. */
export function showProgress(on: string, rows: number, share: number): void {
  if (work?.on !== on || work.timer) begin(on);
  const passed = Math.max(1, Date.now() - (work?.begun ?? 0));
  const soFar = `${rows.toLocaleString("en")} rows`;
  const rate = Math.round((rows / passed) * 1000).toLocaleString("en");
  comment(
    `${bar(share)} ${on}, ${soFar}, ${rate} a second`,
    `${on}: ${soFar}, ${Math.floor(100 * Math.min(1, share))} %`,
  );
}

/** Removes what is shown. */
export function endWork(): void {
  if (work) clearInterval(work.timer);
  work = undefined;
  if (isDrawn) process.stderr.write("\r\x1b[K");
  isDrawn = false;
}

function begin(on: string): void {
  // What follows something that is shown is shown at once: nothing else is, while it keeps the process busy.
  if (isDrawn) shown = 0;
  if (work) clearInterval(work.timer);
  work = { on, begun: work?.on === on ? work.begun : Date.now(), timer: undefined };
  begun ??= work.begun;
}

/** Shows a line, unless it is too early for it. */
function comment(line: string, plain: string): void {
  const now = Date.now();
  const { patience, between } = process.stderr.isTTY ? terminal : elsewhere;
  if (!isDrawn && now - (process.stderr.isTTY ? (work?.begun ?? now) : (begun ?? now)) < patience)
    return;
  if (now - shown < between) return;
  shown = now;
  if (!process.stderr.isTTY) {
    process.stderr.write(`${visible(plain)}\n`);
    return;
  }
  const room = (process.stderr.columns ?? 80) - 1;
  process.stderr.write(`\r\x1b[K${ansis.dim([...visible(line)].slice(0, room).join(""))}`);
  isDrawn = true;
}

function bar(share: number): string {
  const width = 24;
  const full = Math.round(Math.min(1, share) * width);
  return "█".repeat(full) + "░".repeat(width - full);
}
