import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { endWork, showProgress, showWork } from "./progress.ts";

let written = "";
let hour = Date.UTC(2026, 4, 3);
beforeEach(() => {
  hour += 3_600_000;
  vi.useFakeTimers({ now: hour });
  written = "";
  vi.spyOn(process.stderr, "write").mockImplementation((text) => {
    written += text;
    return true;
  });
});
afterEach(() => {
  endWork();
  vi.useRealTimers();
  vi.restoreAllMocks();
});

it("is told in lines now and then where nobody sits at a terminal, and not of quick work", () => {
  process.stderr.isTTY = false;
  showProgress("looking at hives.csv", 10, 0.1);
  vi.advanceTimersByTime(9000);
  showProgress("looking at hives.csv", 90, 0.6);
  expect(written).toBe("");
  vi.advanceTimersByTime(2000);
  showProgress("looking at hives.csv", 12_000, 0.75);
  showProgress("looking at hives.csv", 12_100, 0.76);
  expect(written).toBe("looking at hives.csv: 12,000 rows, 75 %\n");
  showWork("reading book.xlsx", { about: 40_000 });
  vi.advanceTimersByTime(11_000);
  expect(written.split("\n")[1]).toMatch(/^reading book\.xlsx: \d+ s of about 40$/);
});

it("is a bar on one line of a terminal, which goes when the work ends", () => {
  process.stderr.isTTY = true;
  showWork("making the indexes", { share: 0.5 });
  vi.advanceTimersByTime(400);
  expect(written).toBe("");
  vi.advanceTimersByTime(400);
  expect(written).toContain(`${"█".repeat(12)}${"░".repeat(12)} making the indexes, 1 s`);
  // What follows is shown at once.
  showProgress("loading\u001b[2J", 5, 0.25);
  expect(written).toContain("loading");
  expect(written).not.toContain("\u001b[2J");
  endWork();
  expect(written.endsWith("\r\u001b[K")).toBe(true);
});
