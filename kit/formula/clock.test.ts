import { afterEach, expect, it, vi } from "vitest";
import { now, todayIn } from "./clock.ts";
import { toLocal, toUtc } from "./zones.ts";

afterEach(() => {
  vi.useRealTimers();
});

it("today is the day of a time zone", () => {
  vi.useFakeTimers({ now: new Date("2026-05-03T23:30:00Z") });
  expect([todayIn("Europe/Madrid"), now(), toLocal("Europe/Madrid", now())]).toEqual([
    "2026-05-04",
    "2026-05-03T23:30:00Z",
    "2026-05-04T01:30",
  ]);
  expect([todayIn("America/Lima"), todayIn("Pacific/Kiritimati")]).toEqual([
    "2026-05-03",
    "2026-05-04",
  ]);
});

it.each([
  ["2026-01-15T12:00", "2026-01-15T11:00:00Z"],
  ["2026-07-15T12:00", "2026-07-15T10:00:00Z"],
  ["2026-10-25T02:30", "2026-10-25T00:30:00Z"],
])("%s on the wall in Madrid is %s", (local, utc) => {
  expect(toUtc("Europe/Madrid", local)).toBe(utc);
  expect(toLocal("Europe/Madrid", utc)).toBe(local);
});
