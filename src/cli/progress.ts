import ansis from "ansis";

/** How long work is left uncommented, in milliseconds. */
const patience = 1000;

let timer: NodeJS.Timeout | undefined;

/** Shows what is being done and for how long, once it takes more than a second; only to people at a terminal. */
export function showWork(on: string): void {
  endWork();
  if (!process.stderr.isTTY) return;
  const begun = Date.now();
  const show = () => {
    const seconds = Math.round((Date.now() - begun) / 1000);
    process.stderr.write(`\r\x1b[K${ansis.dim(`… ${on}, ${seconds} s`)}`);
  };
  timer = setTimeout(() => {
    show();
    timer = setInterval(show, patience);
    timer.unref();
  }, patience);
  timer.unref();
}

/** Takes that line away again. */
export function endWork(): void {
  if (!timer) return;
  clearTimeout(timer);
  timer = undefined;
  process.stderr.write("\r\x1b[K");
}
