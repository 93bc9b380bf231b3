import { describe, expect, it } from "vitest";
import { always } from "./days.ts";
import { Picker, Records } from "./parents.ts";
import { SeenKeys } from "./seen.ts";

describe("records to refer to", () => {
  it("have the numbers of those that are there, and then those to come", () => {
    const records = new Records([4, 9, 10], undefined, 21, 5);
    expect(records.count).toBe(3);
    records.add();
    records.add();
    expect([0, 1, 2, 3, 4].map((place) => records.id(place))).toEqual([4, 9, 10, 21, 22]);
    expect(records.count).toBe(5);
  });

  it("tell when they were there, by their numbers", () => {
    const known = [
      { begin: 100, end: 900 },
      { begin: -Infinity, end: 300 },
    ];
    const records = new Records([4, 9], known, 21, 2);
    records.add({ begin: 200, end: Infinity });
    records.add();
    const within = (...ids: number[]) => {
      const lifetime = { ...always };
      for (const id of ids) records.narrow(id, lifetime);
      return lifetime;
    };
    expect(within(4)).toEqual({ begin: 100, end: 900 });
    expect(within(9)).toEqual({ begin: -Infinity, end: 300 });
    expect(within(21)).toEqual({ begin: 200, end: Infinity });
    expect(within(22)).toEqual(always);
    expect(within(4, 9, 21)).toEqual({ begin: 200, end: 300 });
  });
});

describe("a picker", () => {
  it("gives places that are there, the same for the same row", () => {
    const picker = new Picker(1, "Hive", "apiary");
    const places = Array.from({ length: 500 }, (_, row) => picker.pick(7, row, 0));
    expect(new Set(places)).toEqual(new Set([0, 1, 2, 3, 4, 5, 6]));
    expect(places).toEqual(Array.from({ length: 500 }, (_, row) => picker.pick(7, row, 0)));
    expect(places).not.toEqual(Array.from({ length: 500 }, (_, row) => picker.pick(7, row, 1)));
    expect(picker.pick(1, 3, 0)).toBe(0);
  });

  it("gives several that differ: as many as are asked for, as far as there are so many", () => {
    const picker = new Picker(1, "Hive", "keepers");
    const sizes = new Map<number, number>();
    for (let row = 0; row < 1000; row++) {
      const places = picker.pickSeveral(40, row, 0);
      expect(new Set(places).size).toBe(places.length);
      sizes.set(places.length, (sizes.get(places.length) ?? 0) + 1);
    }
    expect(sizes.get(0)).toBeGreaterThan(200);
    expect(sizes.get(0)).toBeLessThan(300);
    expect(sizes.get(1)).toBeGreaterThan(sizes.get(3) ?? 0);
    for (let row = 0; row < 50; row++) {
      expect(picker.pickSeveral(40, row, 3).length).toBeGreaterThanOrEqual(3);
      expect(picker.pickSeveral(2, row, 3).sort()).toEqual([0, 1]);
    }
  });
});

describe("keys that were seen", () => {
  it("are known, and others aren't, however many there are", () => {
    const seen = new SeenKeys();
    for (let at = 0; at < 200_000; at += 2) seen.add(`B-${at}`);
    for (let at = 0; at < 200_000; at += 2) expect(seen.has(`B-${at}`)).toBe(true);
    let taken = 0;
    for (let at = 1; at < 200_000; at += 2) if (seen.has(`B-${at}`)) taken++;
    expect(taken).toBeLessThan(3);
  });
});
